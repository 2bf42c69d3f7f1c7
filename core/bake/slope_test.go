package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/baketest"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/source"
	"grotta/demo"
)

// plain is one black floor of 12 m in an empty world.
func plain() *level.Level {
	l := level.New("Plain")
	black := level.Default[level.Material]()
	black.ID, black.Color = "black", "#000000"
	floor := level.Default[level.Solid]()
	floor.ID, floor.Size, floor.Transform.Position, floor.Surface.Material = "floor", level.Vec{12, 0.2, 12}, level.Vec{0, -0.1, 0}, "black"
	l.Materials, l.Solids = append(l.Materials, &black), append(l.Solids, &floor)
	l.Lightmap.Density, l.Environment.Ambient.Strength, l.Environment.Sky.Luminance = 2, 0, 0
	return l
}

// inTheMiddle are the texels of the floor's top within 2 m of its middle.
func inTheMiddle(p *bake.Prepared) (all []*lightmap.Texel) {
	for i := range p.Texels.List {
		if t := &p.Texels.List[i]; t.Normal(p.Scene)[1] > 0.9 && math.Hypot(float64(t.Origin[0]), float64(t.Origin[2])) < 2 {
			all = append(all, t)
		}
	}
	return all
}

func slopeOf(t *testing.T, p *bake.Prepared) bake.Slope {
	t.Helper()
	layers, err := p.BakeLeaning(t.Context(), source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err)
	return p.SlopeOf(p.Sources, layers)
}

func at(s bake.Slope, t *lightmap.Texel, channel int) geom.Vec3 {
	i := 3*int(t.Index) + channel
	return geom.Vec3{float64(s[0].Pix[i]), float64(s[1].Pix[i]), float64(s[2].Pix[i])}
}

// Light from one direction l gives a normal m the light E m·l, so the slope is E l.
func TestTheSlopeOfLightFromOneDirection(t *testing.T) {
	for _, deg := range []float64{0, 20, 35} {
		l := plain()
		toward := geom.Vec3{math.Sin(deg * math.Pi / 180), math.Cos(deg * math.Pi / 180), 0}
		beam := light("beam", level.Directional, 1000, level.Vec{0, 5, 0}, toward.Mul(-1))
		l.Lights = append(l.Lights, beam)
		p := baketest.Prepare(t, l)
		s := slopeOf(t, p)
		require.NotEmpty(t, inTheMiddle(p))
		for _, x := range inTheMiddle(p) {
			assert.InDelta(t, 0, at(s, x, 1).Sub(toward.Mul(1000)).Len(), 3, "%g degrees", deg)
		}
	}
}

// An even sky of luminance L over a black floor gives a normal that leans by t the light π L (1 + cos t) / 2. Its slope is
// π L / 2 along the normal.
func TestTheSlopeOfAnEvenSky(t *testing.T) {
	l := plain()
	l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = "solid", "#ffffff", 100
	p := baketest.Prepare(t, l)
	s := slopeOf(t, p)
	var mean geom.Vec3
	for _, x := range inTheMiddle(p) {
		mean = mean.Add(at(s, x, 1))
	}
	mean = mean.Mul(1 / float64(len(inTheMiddle(p))))
	assert.InDelta(t, 0, mean.Sub(geom.Vec3{0, 100 * math.Pi / 2, 0}).Len(), 0.03*100*math.Pi/2)
}

// Slopes mix as light does: that of all lamps is the sum of those of each, at any strength.
func TestSlopesOfAMixAreTheSum(t *testing.T) {
	l := plain()
	for i, place := range []level.Vec{{-1, 2, 0}, {1.5, 1, 1}} {
		l.Lights = append(l.Lights, light([]string{"a", "b"}[i], level.Point, 100*float64(i+1), place, down))
	}
	p := baketest.Prepare(t, l)
	layers, err := p.BakeLeaning(t.Context(), source.All(p.Sources), bake.Good, nil)
	require.NoError(t, err)
	weighed := func(weights ...float64) bake.Slope {
		sources := append([]source.Source{}, p.Sources...)
		for i := range sources {
			sources[i].Weight = sources[i].Weight.Scale(0)
			for k, id := range []string{"a", "b"} {
				if sources[i].ID == id {
					sources[i].Weight = p.Sources[i].Weight.Scale(weights[k])
				}
			}
		}
		return p.SlopeOf(sources, layers)
	}
	a, b, both := weighed(1, 0), weighed(0, 1), weighed(2, 0.5)
	for _, x := range inTheMiddle(p) {
		want := at(a, x, 0).Mul(2).Add(at(b, x, 0).Mul(0.5))
		assert.InDelta(t, 0, at(both, x, 0).Sub(want).Len(), 1e-3*want.Len()+1e-3)
	}
	// A lamp to the east lights what turns east more.
	east := at(b, inTheMiddle(p)[0], 0)
	assert.Positive(t, east[0])
}

// In a room with a lamp and bounces, the light on normals that turn by up to 30 degrees agrees with that of the ledger,
// which asks rays for each of these normals.
func TestSlopesAgreeWithTheLedger(t *testing.T) {
	p := baketest.Prepare(t, demo.Room())
	layers, err := p.BakeLeaning(t.Context(), source.All(p.Sources), bake.Good, nil)
	require.NoError(t, err)
	s := p.SlopeOf(p.Sources, layers)
	lit := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers[0])
	var off, plain, n float64
	for i := 5; i < len(p.Texels.List); i += len(p.Texels.List) / 60 {
		x := &p.Texels.List[i]
		own := x.Normal(p.Scene)
		origin := geom.Vec3{float64(x.Origin[0]), float64(x.Origin[1]), float64(x.Origin[2])}
		upright := ledger.Light(p, origin, own, 8, 256).Luminance()
		if p.Scene.Inside(origin.Add(own.Mul(0.02))) != "" || upright < 1 {
			continue // between blocks, where nothing but noise is
		}
		u, v := geom.Axes(own)
		for _, side := range []geom.Vec3{u, v, u.Mul(-1), v.Mul(-1)} {
			m := own.Mul(math.Cos(math.Pi / 6)).Add(side.Mul(math.Sin(math.Pi / 6)))
			want := ledger.Light(p, origin, m, 8, 256).Luminance()
			at3 := 3 * int(x.Index)
			var e, got color.Linear
			for c := range 3 {
				e[c] = float64(lit.Pix[at3+c])
				got[c] = e[c] + m.Sub(own).Dot(at(s, x, c))
			}
			off += math.Pow((got.Luminance()-want)/upright, 2)
			plain += math.Pow((e.Luminance()-want)/upright, 2)
			n++
		}
	}
	require.Greater(t, n, 80.0)
	t.Logf("rms off the ledger: %.3f by slopes, %.3f without, as shares of the light on the surface", math.Sqrt(off/n), math.Sqrt(plain/n))
	assert.Less(t, math.Sqrt(off/n), 0.1)
	assert.Less(t, off, plain/4)
}
