package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/bake"
	"grotta/core/direct"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/scene"
)

// Right under a bare lamp that is nearer than a texel is wide, the texel has the mean of its light: the intensity times the
// solid angle of the square, over its area.
func TestATexelUnderALampHasTheMeanOfItsLight(t *testing.T) {
	const candela, side = 100, 0.25
	for _, heightM := range []float64{0.02, 0.05, 0.1, 0.3} {
		lamp := light("lamp", level.Point, candela, level.Vec{side / 2, heightM, side / 2}, geom.Vec3{0, -1, 0})
		l := leveltest.Plane(lamp)
		l.Lightmap.Bounces = false
		p := prepare(t, l)
		m := mixOf(t, p, bake.Good)
		angle := 4 * math.Atan(side*side/4/(heightM*math.Sqrt(heightM*heightM+side*side/2)))
		found := false
		for i := range p.Texels.List {
			x := &p.Texels.List[i]
			if x.Normal(p.Scene)[1] > 0.9 && math.Hypot(float64(x.Origin[0])-side/2, float64(x.Origin[2])-side/2) < 0.01 {
				found = true
				assert.InEpsilon(t, candela*angle/(side*side), m.Pix[3*x.Index], 0.01, "%v m", heightM)
			}
		}
		assert.True(t, found)
	}
}

// Beside a lamp of some size, of which a part is below the horizon of the surface, texels have the mean over their places, each with
// all of the lamp that it sees.
func TestTexelsBesideALampOfSomeSize(t *testing.T) {
	lamp := light("lamp", level.Spot, 2600, level.Vec{0.1, 0.06, 0.1}, geom.Vec3{1, 0, 0})
	lamp.InnerDeg, lamp.OuterDeg, lamp.RangeM, lamp.RadiusM = 42, 72, 16, 0.2
	l := leveltest.Plane(lamp)
	l.Lightmap.Bounces = false
	p := prepare(t, l)
	m := mixOf(t, p, bake.Good)
	texels := 0
	squares := p.Squares()
	for i := range p.Texels.List {
		x := &p.Texels.List[i]
		if ahead := float64(x.Origin[0]) - 0.1; x.Normal(p.Scene)[1] < 0.9 || ahead < 0.1 || ahead > 0.9 || math.Abs(float64(x.Origin[2])) > 0.4 {
			continue
		}
		texels++
		want := 0.0
		at := direct.Receiver(p.Map, x).Point
		const places = 64
		for _, step := range squares.Of(x).Spread(make([]geom.Vec3, places), 0.4) {
			want += ledger.Ask(p, at.Add(step).Add(geom.Vec3{0, scene.OffsetM / 4, 0}), up).Total.Luminance / places
		}
		assert.InEpsilon(t, want, m.Pix[3*x.Index], 0.08, "%v", x.Origin)
	}
	assert.Greater(t, texels, 8)
}
