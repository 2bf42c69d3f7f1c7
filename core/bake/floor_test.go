package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/demo"
)

// A floor under blinds has the light that gets between them, though its texels are wider than the stripes. Without bounces each
// row of texels is held against path tracing, and all of them together.
func TestTheFloorUnderBlindsHasTheirLight(t *testing.T) {
	const paths, behindM = 1500, 3 // the row at 3 m is cut by the blinds
	for _, blinds := range []struct{ pitch, shift float64 }{{0.17, 0.03}, {0.12, 0.05}} {
		l := demo.Blinds(blinds.pitch, blinds.shift)
		l.Lightmap.Bounces, l.Materials[0].Color = false, "#000000"
		p := prepare(t, l)
		floor := demo.HardPlace{Judged: []string{"floor"}}
		var list []int
		for i := range p.Texels.List {
			texel := &p.Texels.List[i]
			if floor.Judges(p.Scene.Surfaces[texel.Surface(p.Scene)].Body().Entity) && texel.Origin[2] < behindM {
				list = append(list, i)
			}
		}
		truth := reference.New(p.Map).Texels(list, paths)
		for _, q := range []bake.Quality{bake.Good, bake.Final} {
			m := mixOf(t, p, q)
			rows, all := map[int32][2]float64{}, [2]float64{}
			for k, i := range list {
				lux := float64(m.Pix[3*p.Texels.List[i].Index+1])
				row := int32(math.Floor(float64(p.Texels.List[i].Origin[2]) * l.Lightmap.Density))
				rows[row] = [2]float64{rows[row][0] + lux, rows[row][1] + truth[k].Lux}
				all = [2]float64{all[0] + lux, all[1] + truth[k].Lux}
			}
			require.Greater(t, len(rows), 12)
			mean, squares := all[1]/float64(len(rows)), 0.0
			for _, r := range rows {
				squares += (r[0] - r[1]) * (r[0] - r[1]) / float64(len(rows))
			}
			off, rowsOff := all[0]/all[1]-1, math.Sqrt(squares)/mean
			t.Logf("blinds of %v m, %s: the floor is %+.2f %% off, its rows %.1f %%", blinds.pitch, q, 100*off, 100*rowsOff)
			assert.InDelta(t, 0, off, 0.006, "%v, %s", blinds.pitch, q)
			assert.Less(t, rowsOff, 0.035, "%v, %s", blinds.pitch, q)
		}
	}
}
