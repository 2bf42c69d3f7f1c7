package bake

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
	"grotta/core/lightmap"
)

// Smoothing a penumbra takes noise off a slope, and leaves slopes, edges and lines.
func TestSmoothPenumbra(t *testing.T) {
	const side, noise = 8, 0.05
	r := rand.New(rand.NewPCG(1, 1))
	smooth := func(visible func(x, y int) float64) (after [side][side]float64) {
		var s penumbra
		var texels []lightmap.Texel
		for i := range side * side {
			texels = append(texels, lightmap.Texel{Index: int32(i/side*64 + i%side + 130)})
			s.visible = append(s.visible, visible(i%side, i/side))
			after[i/side][i%side] = s.visible[i]
		}
		s.place(texels, 64)
		for i, factor := range s.smooth(noise) {
			after[i/side][i%side] *= factor
		}
		return after
	}
	slope := func(x, y int) float64 { return 0.1 + 0.08*float64(x) + 0.02*float64(y) }
	edge := func(x, _ int) float64 { return float64(x / 4) }
	line := func(x, _ int) float64 {
		if x == 4 {
			return 0.5
		}
		return 0.8
	}
	var before, left float64
	slopes, edges, lines := smooth(slope), smooth(edge), smooth(line)
	noisy := smooth(func(x, y int) float64 {
		e := 0.02 * r.NormFloat64()
		before += e * e
		return slope(x, y) + e
	})
	for y := range side {
		for x := range side {
			assert.InDelta(t, slope(x, y), slopes[y][x], 1e-12)
			assert.Equal(t, edge(x, y), edges[y][x])
			assert.InDelta(t, line(x, y), lines[y][x], 1e-12)
			left += (noisy[y][x] - slope(x, y)) * (noisy[y][x] - slope(x, y))
		}
	}
	assert.Less(t, left, before/2)
}

// What stands between cells keeps them apart; what is clear does not.
func TestSurroundings(t *testing.T) {
	s := survey{u: geom.Vec3{1, 0, 0}, v: geom.Vec3{0, 0, 1}}
	up, wall, side := geom.Vec3{0, 1, 0}, geom.Vec3{1, 0.2, 0}.Normalize(), geom.Vec3{0.3, 0.1, 0.6}.Normalize()
	for range 10 {
		s.add(geom.Vec3{0, 1, 0.1}.Normalize(), 3, up)
		s.add(geom.Vec3{-0.7, 0.7, 0}, 2, up)
		s.add(wall, 0.25/wall[0], geom.Vec3{-3, 0, 0})
		s.add(side, 0.25/side[0], geom.Vec3{-3, 0, 0}) // the same wall, from one who goes along it
	}
	got := s.done(10) // ten cells a metre: the wall is two and a half cells off
	assert.True(t, got.opens(2, 0))
	assert.False(t, got.opens(3, 0))
	assert.True(t, got.opens(-4, 0))
	assert.True(t, got.opens(0, -60))
	assert.True(t, got.opens(0, 60), "beside the wall")
	assert.InEpsilon(t, 4/(1/3.0+1/2.0+wall[0]/0.25+side[0]/0.25), got.nearM, 1e-5)
}
