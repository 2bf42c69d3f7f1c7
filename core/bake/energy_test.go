package bake_test

import (
	"math"
	"math/bits"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/sampling"
)

// What a closed box takes up is what its lamp sends out: the light on all texels, times their areas and what their surface keeps,
// is the flux of the cone, however small the spot is and wherever it falls. Between the cones the light falls with the square of a
// line in the cosine, whose mean is a third.
func TestClosedBoxesKeepTheEnergyOfAnySpot(t *testing.T) {
	const intensity = 1000.0
	for _, c := range []struct {
		name               string
		at                 level.Vec
		aim                geom.Vec3
		innerDeg, outerDeg float64
		good, final        float64 // bounds
	}{
		{"spot of 4 degrees on the floor", level.Vec{0, 2.8, 0}, geom.Vec3{0, -1, 0}, 2.5, 4, 0.01, 0.005},
		{"off the middle of texels", level.Vec{0.39, 2.8, 0.61}, geom.Vec3{0.03, -1, 0.05}, 2.5, 4, 0.01, 0.005},
		{"into the joint of two walls", level.Vec{0, 2.5, 0}, geom.Vec3{1, -1, 1}, 2.5, 4, 0.015, 0.015}, // texels that a wall parts have their areas in sixteenths
		{"of 3 degrees across the room", level.Vec{-1.8, 1.4, -1.7}, geom.Vec3{1, 0.05, 0.8}, 1, 3, 0.01, 0.005},
		{"of 20 degrees", level.Vec{1.1, 2.6, -0.4}, geom.Vec3{-0.3, -1, 0.2}, 15, 20, 0.01, 0.005},
	} {
		l, lamp := leveltest.ClosedBox(level.Vec{4, 3, 4}), leveltest.Light("lamp", level.Spot, intensity, c.at, c.aim)
		lamp.InnerDeg, lamp.OuterDeg, lamp.RangeM = c.innerDeg, c.outerDeg, 0
		l.Lights = []*level.Light{lamp}
		p := prepare(t, l)
		inner, outer := math.Cos(c.innerDeg*math.Pi/180), math.Cos(c.outerDeg*math.Pi/180)
		flux := 2 * math.Pi * intensity * (1 - inner + (inner-outer)/3)
		for q, bound := range map[bake.Quality]float64{bake.Good: c.good, bake.Final: c.final} {
			m, kept := mixOf(t, p, q), 0.0
			for i := range p.Texels.List {
				x := &p.Texels.List[i]
				if isOutside := math.Abs(float64(x.Origin[0])) > 2.01 || math.Abs(float64(x.Origin[1])-1.5) > 1.51 || math.Abs(float64(x.Origin[2])) > 2.01; isOutside {
					continue
				}
				area := float64(bits.OnesCount16(uint16(x.Area))) / sampling.CellCount / (l.Lightmap.Density * l.Lightmap.Density)
				kept += float64(m.Pix[3*x.Index+1]) * area * (1 - p.Scene.Surfaces[x.Surface(p.Scene)].Finish().Albedo[1])
			}
			t.Logf("%s, %s: %+.2f %% of %.1f lm", c.name, q, 100*(kept/flux-1), flux)
			assert.InEpsilon(t, flux, kept, bound, "%s, %s", c.name, q)
		}
	}
}
