package bake_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
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
	"grotta/core/level/leveltest"
	"grotta/core/source"
	"grotta/demo"
)

var prepare, layersOf, mixOf = baketest.Prepare, baketest.Layers, baketest.Mix

var plane, light, block, material = leveltest.Plane, leveltest.Light, leveltest.Block, leveltest.Material

var up, down = geom.Vec3{0, 1, 0}, geom.Vec3{0, -1, 0}

// closedForms are lights over the plane and their irradiance at (x, 0, z), from
// the formulas of photometry and of KHR_lights_punctual, written out again here.
var closedForms = []struct {
	name  string
	light func() *level.Light
	lux   func(x, y, z float64) float64
}{
	{
		"point", func() *level.Light { return light("l", level.Point, 150, level.Vec{0.5, 3, 0.25}, down) },
		func(x, y, z float64) float64 {
			h := 3 - y
			return 150 * h / math.Pow((x-0.5)*(x-0.5)+h*h+(z-0.25)*(z-0.25), 1.5)
		},
	},
	{
		"point with a range", func() *level.Light {
			l := light("l", level.Point, 150, level.Vec{0, 3, 0}, down)
			l.RangeM = 6
			return l
		},
		func(x, y, z float64) float64 {
			d := math.Hypot(math.Hypot(x, 3-y), z)
			return 150 * (3 - y) / (d * d * d) * max(0, min(1, 1-math.Pow(d/6, 4)))
		},
	},
	{
		"ball", func() *level.Light { // π L (r/d)² cos θ with L = I / (π r²)
			l := light("l", level.Point, 80, level.Vec{0, 2, 0}, down)
			l.RadiusM = 0.5
			return l
		},
		func(x, y, z float64) float64 {
			d2 := x*x + (2-y)*(2-y) + z*z
			radiance := 80 / (math.Pi * 0.25)
			return math.Pi * radiance * 0.25 / d2 * (2 - y) / math.Sqrt(d2)
		},
	},
	{
		"spot", func() *level.Light {
			l := light("l", level.Spot, 500, level.Vec{0, 4, 0}, down)
			l.InnerDeg, l.OuterDeg = 20, 45
			return l
		},
		func(x, y, z float64) float64 {
			d := math.Hypot(math.Hypot(x, 4-y), z)
			cos := (4 - y) / d
			inner, outer := math.Cos(20*math.Pi/180), math.Cos(45*math.Pi/180)
			a := max(0, min(1, cos/(inner-outer)-outer/(inner-outer)))
			return 500 * a * a * cos / (d * d)
		},
	},
	{
		"directional", func() *level.Light { return light("l", level.Directional, 2100, level.Vec{}, geom.Vec3{1, -1, 0}) },
		func(x, y, z float64) float64 { return 2100 * math.Sqrt2 / 2 },
	},
	{
		"directional with a disc", func() *level.Light {
			l := light("l", level.Directional, 900, level.Vec{}, geom.Vec3{0, -2, 1})
			l.AngularDeg = 10
			return l
		},
		func(x, y, z float64) float64 { return 900 * 2 / math.Sqrt(5) },
	},
}

// lights of every kind over the plane, with closed forms or integrals of them.
func init() {
	falloff := func(law string, terms level.Vec, rangeM float64) func() *level.Light {
		return func() *level.Light {
			l := light("l", level.Point, 40, level.Vec{0, 2, 0}, down)
			l.Falloff, l.FalloffTerms, l.RangeM = law, terms, rangeM
			return l
		}
	}
	at := func(x, z, h float64) (d, cos float64) {
		d = math.Sqrt(x*x + z*z + h*h)
		return d, h / d
	}
	add := func(name string, light func() *level.Light, lux func(x, y, z float64) float64) {
		closedForms = append(closedForms, struct {
			name  string
			light func() *level.Light
			lux   func(x, y, z float64) float64
		}{name, light, lux})
	}
	add("linear", falloff(level.Linear, level.Vec{0, 0, 1}, 8), func(x, y, z float64) float64 {
		d, cos := at(x, z, 2)
		return 40 * cos * max(0, 1-d/8)
	})
	add("smooth", falloff(level.Smooth, level.Vec{0, 0, 1}, 8), func(x, y, z float64) float64 {
		d, cos := at(x, z, 2)
		return 40 * cos * math.Pow(max(0, 1-d*d/64), 2)
	})
	add("custom", falloff(level.Custom, level.Vec{1, 0.5, 0.25}, 0), func(x, y, z float64) float64 {
		d, cos := at(x, z, 2)
		return 40 * cos / (1 + 0.5*d + 0.25*d*d)
	})
	add("dome", func() *level.Light { return light("l", level.Dome, 60, level.Vec{0, 2, 0}, geom.Vec3{1, 0, 0}) },
		func(x, y, z float64) float64 {
			d, cos := at(x, z, 2)
			if x <= 0 {
				return 0
			}
			return 60 * cos / (d * d)
		})
	add("box", func() *level.Light {
		l := light("l", level.BoxLight, 300, level.Vec{0.5, 3, 0}, geom.Vec3{1, -2, 0})
		l.WidthM, l.HeightM = 3.3, 2.9 // along z and across the beam
		return l
	}, func(x, y, z float64) float64 {
		// The beam goes 1 along for 2 down: it comes from 1.5 to the left, 3 up.
		across := (x - 0.5 - 1.5) * 2 / math.Sqrt(5)
		if math.Abs(z) > 1.65 || math.Abs(across) > 1.45 {
			return 0
		}
		return 300 * 2 / math.Sqrt(5)
	})
	integral := func(width, height float64, of func(u, v float64) float64) float64 {
		const n = 300
		sum := 0.0
		for i := range n {
			for j := range n {
				sum += of((float64(i)+0.5)/n*width-width/2, (float64(j)+0.5)/n*height-height/2)
			}
		}
		return sum * width / n * height / n
	}
	add("rect", func() *level.Light {
		l := light("l", level.Rect, 500, level.Vec{0, 1.5, 0}, down)
		l.WidthM, l.HeightM = 2, 0.8
		return l
	}, func(x, y, z float64) float64 {
		return 500 * integral(2, 0.8, func(u, v float64) float64 {
			d2 := (x-u)*(x-u) + (z-v)*(z-v) + 1.5*1.5
			return 1.5 * 1.5 / (d2 * d2)
		})
	})
	add("rect on edge, half below the horizon", func() *level.Light {
		l := light("l", level.Rect, 500, level.Vec{-3, 0, 0}, geom.Vec3{1, 0, 0})
		l.WidthM, l.HeightM = 2, 2
		return l
	}, func(x, y, z float64) float64 {
		if x <= -3 {
			return 0
		}
		return 500 * integral(2, 1, func(u, v float64) float64 {
			h := v + 0.5
			d2 := (x+3)*(x+3) + (z-u)*(z-u) + h*h
			return h * (x + 3) / (d2 * d2)
		})
	})
	add("tube", func() *level.Light {
		l := light("l", level.Tube, 4000, level.Vec{0, 1.2, 0}, down)
		l.LengthM, l.RadiusM = 2.4, 0.02
		return l
	}, func(x, y, z float64) float64 {
		const n, around, radius = 400, 200, 0.02
		sum := 0.0
		for k := range around { // pieces of the cylinder's skin
			out := geom.Vec3{0, math.Sin(2 * math.Pi * (float64(k) + 0.5) / around), math.Cos(2 * math.Pi * (float64(k) + 0.5) / around)}
			for i := range n {
				to := geom.Vec3{((float64(i)+0.5)/n - 0.5) * 2.4, 1.2, 0}.Add(out.Mul(radius)).Sub(geom.Vec3{x, y, z})
				d2 := to.Dot(to)
				sum += max(0, to[1]) * max(0, -to.Dot(out)) / (d2 * d2) * 2 * math.Pi * radius / around * 2.4 / n
			}
		}
		return 4000 * sum
	})
}

func TestLedgerAgainstClosedForms(t *testing.T) {
	for _, c := range closedForms {
		p := prepare(t, plane(c.light()))
		for _, at := range [][2]float64{{0, 0}, {1, 0}, {-2, 1.5}, {3, -3}, {0.1, 4}, {6, 6}} {
			got := ledger.Ask(p, geom.Vec3{at[0], 0, at[1]}, up).Total.Luminance
			want := c.lux(at[0], 0, at[1])
			assert.InDelta(t, want, got, 0.001*want+1e-9, "%s at %v", c.name, at)
		}
	}
}

// meanOver is the mean of a light on the floor over the square of a texel with this middle, by
// Gauss's rule of three places along each side. whole tells whether all of the square or none of
// it is lit: a hard edge through the square is not for this rule.
func meanOver(lux func(x, y, z float64) float64, x, z, side float64) (mean float64, whole bool) {
	at, weight := [3]float64{-math.Sqrt(0.15), 0, math.Sqrt(0.15)}, [3]float64{5. / 18, 8. / 18, 5. / 18}
	lit := 0
	for i := range 9 {
		one := lux(x+at[i%3]*side, 0, z+at[i/3]*side)
		mean += weight[i%3] * weight[i/3] * one
		if one > 0 {
			lit++
		}
	}
	return mean, lit == 0 || lit == 9
}

// Texels hold the mean over their square. Half-floats round by 2^-11, so the bound is wider than
// the ledger's.
func TestLightmapAgainstClosedForms(t *testing.T) {
	for _, c := range closedForms {
		p := prepare(t, plane(c.light()))
		m := mixOf(t, p, bake.Good)
		checked, brightest := 0, float64(slices.Max(m.Pix))
		for i := 0; i < len(p.Texels.List); i += 13 {
			texel := &p.Texels.List[i]
			if texel.Normal(p.Scene)[1] < 0.9 {
				continue
			}
			want, whole := meanOver(c.lux, float64(texel.Origin[0]), float64(texel.Origin[2]), 1/p.Scene.Level.Lightmap.Density)
			if !whole {
				continue
			}
			got := float64(m.Pix[3*texel.Index])
			// The second part is for texels that the end of a range crosses.
			require.InDelta(t, want, got, 0.001*want+0.002*brightest, "%s at %v", c.name, texel.Origin)
			checked++
		}
		assert.Greater(t, checked, 470)
	}
}

// Under a ball that is half sunk below the horizon of a wall, what is left is
// sampled; it must still agree with an integral over the visible cap.
func TestBallCutByTheHorizon(t *testing.T) {
	l := light("l", level.Point, 100, level.Vec{0, 0, 2}, down)
	l.RadiusM = 0.5
	l.Shadows.Cast = false
	p := prepare(t, plane(l))
	got := ledger.Ask(p, geom.Vec3{0, 0, 0}, up).Total.Luminance
	// Integral of L cos θ over the half of the cone above the plane, numerically.
	radiance, sinMax, sum := 100/(math.Pi*0.25), 0.25, 0.0
	const n = 2000
	for i := range n {
		a := (float64(i) + 0.5) / n * math.Asin(sinMax)
		for j := range n {
			phi := (float64(j) + 0.5) / n * math.Pi
			sum += radiance * math.Sin(a) * math.Sin(phi) * math.Sin(a) * math.Asin(sinMax) / n * math.Pi / n
		}
	}
	assert.InEpsilon(t, sum, got, 0.01)
}

// The same of a larger source on a lightmap: all of the penumbra takes the samples that
// it needs, its rims too, where few of them see another share than beside it.
func TestPenumbraOfALightmap(t *testing.T) {
	l := plane(light("l", level.Point, 100, level.Vec{0, 4, 0}, down))
	l.Lights[0].RadiusM = 0.5
	l.Lightmap.Bounces, l.Lightmap.Density = false, 16
	block(l, "board", level.Vec{5, 2, 0}, level.Vec{10, 0.001, 18})
	p := prepare(t, l)
	m := mixOf(t, p, bake.Good)
	worst, sum, n := 0.0, 0.0, 0.0
	for i := range p.Texels.List {
		texel := &p.Texels.List[i]
		x, y, z := float64(texel.Origin[0]), float64(texel.Origin[1]), float64(texel.Origin[2])
		if y > 0.01 || texel.Normal(p.Scene)[1] < 0.9 || math.Abs(x) > 0.7 || math.Abs(z) > 1 {
			continue
		}
		visible := float64(m.Pix[3*texel.Index]) / (100 * 4 / math.Pow(x*x+16+z*z, 1.5))
		e := math.Abs(visible - leveltest.Segment(-x/0.5))
		worst, sum, n = max(worst, e), sum+e*e, n+1
	}
	require.Greater(t, n, 600.0)
	t.Logf("off by %.4f on average, %.4f at worst", math.Sqrt(sum/n), worst)
	assert.Less(t, math.Sqrt(sum/n), 0.009)
	assert.Less(t, worst, 0.045)
}

// A face wholly inside solids lights nothing, and takes no light from the edge of one
// beside it in its plane.
func TestHiddenFacesDarkenNothing(t *testing.T) {
	l := level.New("Corner")
	l.Environment.Sky.Luminance = 0
	l.Environment.Ambient = level.Ambient{Color: "#ffffff", Strength: 7}
	block(l, "floor", level.Vec{0, -0.5, 0}, level.Vec{2, 1, 2})
	block(l, "foot", level.Vec{2, -0.5, 0}, level.Vec{2, 1, 2})
	block(l, "tower", level.Vec{2, 0.9, 0}, level.Vec{2, 2, 2}) // a little in the foot, whose upper face it hides
	p := prepare(t, l)
	m := mixOf(t, p, bake.Draft)
	dark := 0
	for ci := range p.Layout.Charts {
		first, end := p.Texels.Of(ci)
		if first == end {
			dark++
		}
		for _, texel := range p.Texels.List[first:end] {
			require.InEpsilon(t, 7, m.Pix[3*texel.Index], 1e-3)
		}
	}
	assert.Equal(t, 4, dark, "where two blocks meet, twice")
	assert.NotEmpty(t, p.Seams.List, "the sides of foot and tower are one")
}

// randomLevel is a floor, some blocks and some lights of every kind.
func randomLevel(r *rand.Rand) *level.Level {
	l := plane()
	l.Lightmap.Bounces = false
	for i := range 3 + r.IntN(5) {
		block(l, fmt.Sprintf("b%d", i), level.Vec{r.Float64()*12 - 6, r.Float64() * 3, r.Float64()*12 - 6}, level.Vec{0.2 + r.Float64()*2, 0.2 + r.Float64()*2, 0.2 + r.Float64()*2})
	}
	for i := range 2 + r.IntN(5) {
		kind := []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube}[r.IntN(7)]
		a := light(fmt.Sprintf("l%d", i), kind, math.Exp(r.NormFloat64()*2+3), level.Vec{r.Float64()*12 - 6, 1 + r.Float64()*5, r.Float64()*12 - 6},
			geom.Vec3{r.NormFloat64(), -1 - r.Float64(), r.NormFloat64()})
		a.Color = color.Linear{r.Float64(), r.Float64(), r.Float64()}.Hex()
		a.RangeM, a.RadiusM, a.AngularDeg = float64(r.IntN(3))*4, float64(r.IntN(2))*0.3, float64(r.IntN(2))*5
		l.Lights = append(l.Lights, a)
	}
	l.Environment.Ambient.Strength = r.Float64()
	return l
}

// The heart of the product: a mix after changes of strength, colour and on/off
// is what a fresh bake of those values gives, within half-float rounding.
func TestMixEqualsAFreshBake(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	for round := range 8 {
		l := randomLevel(r)
		p := prepare(t, l)
		layers := layersOf(t, p, bake.Draft)
		for _, a := range l.Lights {
			a.Strength *= math.Exp(r.NormFloat64())
			a.Color = color.Linear{r.Float64(), r.Float64(), r.Float64()}.Hex()
			a.Enabled = r.IntN(4) > 0
		}
		changed, err := p.Again(l)
		require.NoError(t, err)
		mixed := layer.Mix(p.Layout.PageSize, p.Layout.Pages, changed.Sources, layers)
		fresh := prepare(t, l)
		require.Equal(t, mixed.Hash(), mixOf(t, fresh, bake.Draft).Hash(), "the same bytes, as layers do not depend on what changed")
		// And against light computed without layers; both round to half-floats.
		unmixed := fresh.UnmixedIrradiance(t)
		for i := 0; i < len(p.Texels.List); i += 37 {
			texel := &p.Texels.List[i]
			want := unmixed[i]
			for c := range 3 {
				got := float64(mixed.Pix[3*texel.Index+int32(c)])
				require.InDelta(t, want[c], got, want[c]/1024+1e-5, "round %d, texel %d", round, i)
			}
		}
	}
}

func TestBytesDoNotDependOnThreads(t *testing.T) {
	p := prepare(t, demo.Room())
	hashes := map[string]bool{}
	for _, threads := range []int{1, 2, 5} {
		was := runtime.GOMAXPROCS(threads)
		hashes[mixOf(t, p, bake.Good).Hash()] = true
		runtime.GOMAXPROCS(was)
	}
	assert.Len(t, hashes, 1)
}

func TestKeysFollowWhatALayerDependsOn(t *testing.T) {
	base := func() *level.Level {
		return plane(light("a", level.Spot, 10, level.Vec{0, 2, 0}, down), light("b", level.Point, 10, level.Vec{1, 2, 0}, down))
	}
	keys := func(l *level.Level) [2]string {
		p := prepare(t, l)
		return [2]string{p.Key(&p.Sources[0], bake.Good), p.Key(&p.Sources[1], bake.Good)}
	}
	was := keys(base())
	for name, c := range map[string]struct {
		edit         func(*level.Level)
		first, other bool // whether the key of a, and of b, changes
	}{
		"strength":  {func(l *level.Level) { l.Lights[0].Strength = 99 }, false, false},
		"colour":    {func(l *level.Level) { l.Lights[0].Color = "#ff0000" }, false, false},
		"off":       {func(l *level.Level) { l.Lights[0].Enabled = false }, false, false},
		"look":      {func(l *level.Level) { l.Look.ExposureEV = 1 }, false, false},
		"moved":     {func(l *level.Level) { l.Lights[0].Transform.Position[0] = 0.5 }, true, false},
		"cone":      {func(l *level.Level) { l.Lights[0].OuterDeg = 50 }, true, false},
		"shadow":    {func(l *level.Level) { l.Lights[0].Shadows.NearM = 0.3 }, true, false},
		"new block": {func(l *level.Level) { block(l, "x", level.Vec{0, 1, 0}, level.Vec{1, 1, 1}) }, true, true},
		"density":   {func(l *level.Level) { l.Lightmap.Density = 5 }, true, true},
	} {
		l := base()
		c.edit(l)
		now := keys(l)
		assert.Equal(t, c.first, was[0] != now[0], name)
		assert.Equal(t, c.other, was[1] != now[1], name)
	}
}

func TestCancelledBakeEndsWithItsContext(t *testing.T) {
	p := prepare(t, demo.Saltmarsh())
	ctx, cancel := context.WithCancel(context.Background())
	_, err := p.Bake(ctx, source.All(p.Sources), bake.Final, func(float64) { cancel() })
	assert.ErrorIs(t, err, context.Canceled)
}

// Odd levels give a defined result: no hang, no crash, no texel that is no number.
func TestOddLevels(t *testing.T) {
	for name, edit := range map[string]func(*level.Level){
		"no geometry":       func(l *level.Level) { l.Solids = nil },
		"no lights":         func(l *level.Level) { l.Lights = nil },
		"light in a solid":  func(l *level.Level) { l.Lights[0].Transform.Position = level.Vec{0, -0.1, 0} },
		"light on the face": func(l *level.Level) { l.Lights[0].Transform.Position = level.Vec{0, 0, 0} },
		"same solid twice":  func(l *level.Level) { block(l, "twin", level.Vec{0, -0.1, 0}, level.Vec{20, 0.2, 20}) },
		"needles": func(l *level.Level) {
			l.Meshes = []*level.Mesh{{Entity: level.Entity{ID: "m", Enabled: true, Transform: level.Default[level.Transform]()},
				Triangles: level.Triangles{Positions: []float64{0, 1, 0, 5, 1, 0, 10, 1, 1e-9, 1, 1, 1, 1, 1, 1}, Indices: []uint32{0, 1, 2, 0, 3, 4, 3, 3, 3, 0, 1, 3}},
				Surface:   level.Default[level.Surface]()}}
		},
		"ball larger than its height": func(l *level.Level) { l.Lights[0].RadiusM = 50 },
		"many lights at a spot": func(l *level.Level) {
			for i := range 300 {
				l.Lights = append(l.Lights, light(fmt.Sprintf("x%d", i), level.Point, 1, level.Vec{0, 2, 0}, down))
			}
		},
	} {
		l := plane(light("l", level.Point, 100, level.Vec{0, 2, 0}, down))
		l.Lightmap.Density = 1
		edit(l)
		p := prepare(t, l)
		for _, v := range mixOf(t, p, bake.Draft).Pix {
			require.False(t, math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) || v < 0, name)
		}
		total := ledger.Ask(p, geom.Vec3{0.1, 0, 0.1}, up).Total
		assert.False(t, math.IsNaN(total.Luminance), name)
	}
}

func FuzzDecodeLayer(f *testing.F) {
	p, err := bake.Prepare(demo.Room())
	require.NoError(f, err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources[:1]), bake.Draft, nil)
	require.NoError(f, err)
	f.Add(layers[0].Encode())
	f.Add([]byte("grotta-layer/1\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if l, err := layer.Decode("k", data); err == nil && l.PageSize*l.PageSize*l.Pages < 1<<22 {
			l.AddTo(layer.NewImage(l.PageSize, l.Pages), color.White)
		}
	})
}

// The direct layer of a light is its whole one where nothing bounces.
func TestDirectIsTheLayerWithoutBounces(t *testing.T) {
	l := plane(light("a", level.Point, 100, level.Vec{1, 2, 0}, down), light("b", level.Spot, 300, level.Vec{-2, 3, 1}, down))
	block(l, "box", level.Vec{0, 0.5, 0}, level.Vec{1, 1, 1})
	l.Lightmap.Bounces = false
	p := prepare(t, l)
	whole := layersOf(t, p, bake.Draft)
	direct, err := p.Direct(t.Context(), source.All(p.Sources)[:2], bake.Draft)
	require.NoError(t, err)
	for i := range direct {
		assert.Equal(t, whole[i].Raw(), direct[i].Raw())
	}
	l.Lightmap.Bounces = true
	bounced := prepare(t, l)
	direct, err = bounced.Direct(t.Context(), source.All(bounced.Sources)[:2], bake.Draft)
	require.NoError(t, err)
	assert.Equal(t, whole[0].Raw(), direct[0].Raw())
	assert.NotEqual(t, layersOf(t, bounced, bake.Draft)[0].Raw(), direct[0].Raw())
}
