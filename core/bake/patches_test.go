package bake_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
)

// An open floor is parted in squares of two by two texels at most densities, and of an
// eighth of a metre where that is more.
func TestPatchesOfAnOpenFloor(t *testing.T) {
	for density, side := range map[float64]int{1: 2, 4: 2, 24: 3, 40: 5} {
		l := plane()
		l.Solids[0].Size = level.Vec{3, 0.2, 2}
		l.Lightmap.Density = density
		p := prepare(t, l)
		patches, isCut := p.PatchOf(t)
		counts, inner := map[int32]int{}, 0
		for i, texel := range p.Texels.List {
			counts[patches[i]]++
			at := texel.Origin
			if isCut[i] && texel.Normal(p.Scene)[1] > 0.9 && math.Abs(float64(at[0])) < 1.4 && math.Abs(float64(at[2])) < 0.9 {
				inner++
			}
		}
		assert.Zero(t, inner, "nothing parts the floor")
		whole := 0
		for _, n := range counts {
			require.LessOrEqual(t, n, side*side)
			if n == side*side {
				whole++
			}
		}
		assert.GreaterOrEqual(t, whole, int(3*density)/side*(int(2*density)/side), "%v texels a metre", density)
	}
}

// Along a wall squares are cut, and each patch lies on one side of it.
func TestPatchesEndAtWalls(t *testing.T) {
	for _, density := range []float64{2, 8, 24} {
		const wall = 0.3
		l := plane()
		l.Solids[0].Size = level.Vec{4, 0.2, 4}
		block(l, "wall", level.Vec{wall, 1, 0}, level.Vec{0.02, 2, 4})
		l.Lightmap.Density = density
		p := prepare(t, l)
		patches, isCut := p.PatchOf(t)
		sides, cut := map[int32]bool{}, 0
		for i, texel := range p.Texels.List {
			if texel.Normal(p.Scene)[1] < 0.9 || texel.Origin[1] > 0.1 {
				continue
			}
			right := texel.Origin[0] > wall
			was, met := sides[patches[i]]
			require.True(t, !met || was == right, "%v texels a metre: a patch on both sides", density)
			sides[patches[i]] = right
			if isCut[i] {
				cut++
				assert.InDelta(t, wall, texel.Origin[0], 2*max(2/density, 0.125), "only what is near is cut")
			}
		}
		assert.GreaterOrEqual(t, cut, int(4*density)-2, "the wall cuts as many texels as it is long")
	}
}

// Light that is held until it is packed keeps 11 bits of each value.
func TestKeptLight(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for _, scale := range []float64{1e-20, 1, 1e9} {
		var lux [3][64]float32
		for c := range lux {
			for i := range lux[c] {
				lux[c][i] = float32(scale * math.Exp(-6*r.Float64()))
			}
		}
		for _, tinted := range []bool{true, false} {
			got, dark := bake.KeptLight(lux, tinted)
			require.False(t, dark)
			for c := range lux {
				for i := range lux[c] {
					want := lux[c][i]
					if !tinted {
						want = lux[0][i]
					}
					require.InEpsilon(t, want, got[c][i], 1.0/(1<<11))
				}
			}
		}
	}
	_, dark := bake.KeptLight([3][64]float32{}, true)
	assert.True(t, dark)
}
