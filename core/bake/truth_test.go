package bake_test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/source"
	"grotta/demo"
)

// quad is a mesh of one flat square of a side, facing a direction.
func quad(l *level.Level, id, material string, middle, u, v geom.Vec3) {
	m := level.Default[level.Mesh]()
	m.ID, m.Surface.Material = id, material
	for _, c := range []geom.Vec3{middle.Sub(u).Sub(v), middle.Add(u).Sub(v), middle.Add(u).Add(v), middle.Sub(u).Add(v)} {
		m.Positions = append(m.Positions, c[0], c[1], c[2])
	}
	m.Indices = []uint32{0, 1, 2, 0, 2, 3}
	l.Meshes = append(l.Meshes, &m)
}

// furnace is the inside of a closed cube of 2 m whose walls all shine and send
// back a share of light.
func furnace(grey, nits float64) *level.Level {
	l := level.New("Furnace")
	l.Environment.Sky.Luminance = 0
	material(l, "wall", grey, nits)
	for i, n := range []geom.Vec3{{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}} {
		u, v := geom.Axes(n) // u x v = n: the square faces inward, toward n
		quad(l, fmt.Sprintf("wall-%d", i), "wall", n.Mul(-1), u, v)
	}
	l.Lightmap.Density = 8
	return l
}

// In a closed box of even albedo and exitance E the radiosity is E / (1 - albedo)
// everywhere (the furnace test), so the irradiance is that too.
func TestFurnace(t *testing.T) {
	for _, grey := range []float64{0.2, 0.5, 0.8} {
		l := furnace(grey, 100)
		albedo, err := color.ParseHex(l.Materials[0].Color)
		require.NoError(t, err)
		rho := albedo[0]
		exitance := math.Pi * 100 * rho // emission is of the base colour
		want := exitance / (1 - rho)
		p := prepare(t, l)
		for q, most := range map[bake.Quality]float64{bake.Draft: 0.02, bake.Good: 0.002} {
			m := mixOf(t, p, q)
			worst := 0.0
			for _, texel := range p.Texels.List {
				worst = max(worst, math.Abs(float64(m.Pix[3*texel.Index])/want-1))
			}
			assert.Less(t, worst, most, "albedo %.2f at %s, of %d texels", rho, q, len(p.Texels.List))
		}
		got := ledger.Ask(p, geom.Vec3{0.3, -1, 0.2}, up).Total.R
		assert.InEpsilon(t, want, got, 0.02, "ledger, albedo %.2f", rho)
	}
}

// Form factors between unit squares, from Howell's catalogue: directly opposed at
// unit distance 0.1998; sharing an edge at a right angle 0.2000.
func TestFormFactorsOfPlates(t *testing.T) {
	for name, c := range map[string]struct {
		middle, u, v geom.Vec3
		want         float64
	}{
		"opposed":       {geom.Vec3{0, 1, 0}, geom.Vec3{0.5, 0, 0}, geom.Vec3{0, 0, 0.5}, 0.19982},
		"perpendicular": {geom.Vec3{-0.5, 0.5, 0}, geom.Vec3{0, 0.5, 0}, geom.Vec3{0, 0, 0.5}, 0.20004},
	} {
		l := level.New(name)
		l.Environment.Sky.Luminance = 0
		material(l, "black", 0, 0)
		material(l, "lamp", 1, 50)
		quad(l, "floor", "black", geom.Vec3{}, geom.Vec3{0, 0, 0.5}, geom.Vec3{0.5, 0, 0})
		quad(l, "plate", "lamp", c.middle, c.u, c.v)
		l.Lightmap.Density = 40
		p := prepare(t, l)
		m := mixOf(t, p, bake.Good)
		sum, n := 0.0, 0.0
		for _, texel := range p.Texels.List {
			if texel.Normal(p.Scene)[1] > 0.9 && texel.Origin[1] < 0.1 {
				sum += float64(m.Pix[3*texel.Index])
				n++
			}
		}
		require.EqualValues(t, 1600, n)
		assert.InDelta(t, c.want, sum/n/(math.Pi*50), 0.002, name)
	}
}

// Under a uniform sky an open plane gets π L, and an upright surface half of it;
// under the overcast sky of the CIE 7/9 of π Lz, and upright 2/3 (π/4 + 2/3) Lz.
func TestSkyOverAPlane(t *testing.T) {
	for _, c := range []struct {
		kind          string
		flat, upright float64
	}{
		{level.SkySolid, math.Pi, math.Pi / 2},
		{level.SkyOvercast, math.Pi * 7 / 9, 2.0 / 3 * (math.Pi/4 + 2.0/3)},
	} {
		l := plane()
		l.Lightmap.Bounces = false
		l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = c.kind, "#ffffff", 200
		l.Environment.Sky.GroundColor = "#000000"
		p := prepare(t, l)
		assert.InEpsilon(t, 200*c.flat, ledger.Ask(p, geom.Vec3{0, 0, 0}, up).Total.Luminance, 0.001, c.kind)
		// 10 m of floor on: the rest of what is below the horizon is dark or counts nothing.
		if c.kind == level.SkyOvercast {
			assert.InEpsilon(t, 200*c.upright, ledger.Ask(p, geom.Vec3{0, 0.01, 0}, geom.Vec3{1, 0, 0}).Total.Luminance, 0.003, "upright")
		}
		m := mixOf(t, p, bake.Good)
		for _, texel := range p.Texels.List {
			if texel.Normal(p.Scene)[1] > 0.9 {
				require.InEpsilon(t, 200*c.flat, m.Pix[3*texel.Index], 0.005, c.kind)
			}
		}
	}
}

// The sky in patches is the same sky, within what cutting it up costs.
func TestSkyPatchesMakeTheSky(t *testing.T) {
	for _, kind := range []string{level.SkyClear, level.SkyOvercast, level.SkyGradient} {
		l := plane()
		block(l, "wall", level.Vec{2, 1.5, 0}, level.Vec{0.3, 3, 6})
		l.Lightmap.Density = 1
		sun := level.Default[level.Sun]()
		sun.Enabled = false
		l.Environment.Sun = &sun
		l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = kind, "#ffffff", 1000
		whole := prepare(t, l)
		a := mixOf(t, whole, bake.Good)
		l.Lightmap.Patches = true
		p := prepare(t, l)
		require.Greater(t, len(p.Sources), 146)
		layers := layersOf(t, p, bake.Good)
		b := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
		worst, sum, n := 0.0, 0.0, 0.0
		for _, texel := range p.Texels.List {
			if x := float64(a.Pix[3*texel.Index]); x > 10 {
				off := math.Abs(float64(b.Pix[3*texel.Index])/x - 1)
				worst, sum, n = max(worst, off), sum+off, n+1
			}
		}
		assert.Less(t, sum/n, 0.03, kind)
		assert.Less(t, worst, 0.25, kind)
		t.Logf("%s: off by %.3f on average, %.3f at worst", kind, sum/n, worst)

		// Another sky is another mix of the same layers.
		l.Environment.Sky.Kind = level.SkySolid
		other, err := p.Again(l)
		require.NoError(t, err)
		for i := range other.Sources {
			require.Equal(t, p.Key(&p.Sources[i], bake.Good), other.Key(&other.Sources[i], bake.Good))
		}
	}
}

// The noise of sampled light falls at least as one over the root of the samples.
func TestSkyLightConverges(t *testing.T) {
	l := plane()
	block(l, "wall", level.Vec{2, 1.5, 0}, level.Vec{0.3, 3, 6})
	l.Environment.Sky.Kind, l.Environment.Sky.Luminance, l.Environment.Sky.Color = level.SkyOvercast, 1000, "#ffffff"
	p := prepare(t, l)
	n := geom.Vec3{0, 1, 0}
	truth := func(at geom.Vec3) float64 { return ledger.Light(p, at, n, 1<<17, 0)[0] }
	rms := func(samples int) float64 {
		sum := 0.0
		for i := range 12 {
			at := geom.Vec3{float64(i)*0.11 + 0.3, 0.002, float64(i%5) * 0.13}
			e := ledger.Light(p, at, n, samples, 0)[0]/truth(at) - 1
			sum += e * e
		}
		return math.Sqrt(sum / 12)
	}
	few, many := rms(64), rms(4096)
	assert.Less(t, many, few/8, "64 times the samples: at least an eighth of the noise")
}

// The lightmap's bounces, by links, and the ledger's, by paths, are two ways to
// one truth.
func TestLightmapAndLedgerAgreeOnBounces(t *testing.T) {
	l := plane(light("l", level.Point, 200, level.Vec{-1, 1.5, 0}, down))
	block(l, "wall", level.Vec{-3, 1.5, 0}, level.Vec{0.2, 3, 6})
	block(l, "roof", level.Vec{-1.5, 3.1, 0}, level.Vec{5, 0.2, 6})
	material(l, "red", 0.6, 0)
	l.Materials[0].Color = "#d04030"
	l.Solids[1].Surface.Material = "red"
	p := prepare(t, l)
	m := mixOf(t, p, bake.Final)
	checked, sum, square := 0, 0.0, 0.0
	for i := 0; i < len(p.Texels.List); i += 41 {
		texel := &p.Texels.List[i]
		at := geom.Vec3{float64(texel.Origin[0]), float64(texel.Origin[1]), float64(texel.Origin[2])}
		n := geom.Vec3{float64(texel.Normal(p.Scene)[0]), float64(texel.Normal(p.Scene)[1]), float64(texel.Normal(p.Scene)[2])}
		book := ledger.Ask(p, at.Sub(n.Mul(0.002)), n)
		if book.Total.R < 2 || math.Abs(at[0]) > 5 || math.Abs(at[2]) > 2.5 {
			continue
		}
		got := color.Linear{float64(m.Pix[3*texel.Index]), float64(m.Pix[3*texel.Index+1]), float64(m.Pix[3*texel.Index+2])}
		require.InEpsilon(t, book.Total.R, got[0], 0.25, "%v facing %v: %+v", at, n, book.Total)
		require.InEpsilon(t, book.Total.B, got[2], 0.25, "%v facing %v", at, n)
		off := got.Luminance()/book.Total.Luminance - 1
		sum, square = sum+off, square+off*off
		checked++
	}
	assert.Greater(t, checked, 25)
	assert.Less(t, math.Abs(sum)/float64(checked), 0.02, "no lean either way")
	assert.Less(t, math.Sqrt(square/float64(checked)), 0.06)
	book := ledger.Ask(p, geom.Vec3{-2.5, 0, 1}, up)
	assert.Greater(t, book.Sources[0].Bounced.R/book.Sources[0].Bounced.B, 1.1, "the red wall tints what it sends back")
}

func hashOf(l *layer.Layer) [32]byte { return sha256.Sum256(l.Raw()) }

// A level baked whole equals itself baked source by source, to the byte, and the
// bytes do not depend on the threads.
func TestWholeEqualsOneByOne(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 3))
	for range 3 {
		l := randomLevel(r)
		l.Lightmap.Bounces, l.Lightmap.Density = true, 2
		l.Environment.Sky.Luminance = 50
		p := prepare(t, l)
		for _, q := range []bake.Quality{bake.Draft, bake.Good} {
			together := layersOf(t, p, q)
			was := runtime.GOMAXPROCS(1)
			alone := prepare(t, l)
			for i := range alone.Sources {
				one, err := alone.Bake(context.Background(), source.All(alone.Sources[i:i+1]), q, nil)
				require.NoError(t, err)
				require.Equal(t, hashOf(together[i]), hashOf(one[0]), alone.Sources[i].ID)
			}
			runtime.GOMAXPROCS(was)
		}
	}
}

// Where two charts show one smooth wall, both read the same to under a display
// step, however their texels lie.
func TestSeamsMatch(t *testing.T) {
	l := level.New("Wall")
	l.Environment.Sky.Luminance, l.Lightmap.Bounces, l.Lightmap.Density = 0, false, 6
	lamp := light("l", level.Point, 300, level.Vec{0.1, 1.1, 2}, geom.Vec3{0, 0, -1})
	l.Lights = []*level.Light{lamp}
	block(l, "left", level.Vec{-0.685, 1, -0.1}, level.Vec{1.37, 2, 0.2})
	block(l, "right", level.Vec{1.055, 1, -0.1}, level.Vec{2.11, 2, 0.2})
	block(l, "bar", level.Vec{0.1, 1.2, 1}, level.Vec{2, 0.12, 0.1}) // its shadow crosses the seam
	p := prepare(t, l)
	require.NotEmpty(t, p.Seams.List)
	gap := func(m *layer.Image) float64 {
		worst := 0.0
		charts := map[string]int{}
		for i := range p.Scene.Surfaces {
			if s := &p.Scene.Surfaces[i]; p.Scene.Normal(s)[2] > 0.9 {
				charts[s.Body().Entity] = int(p.Layout.ChartOf[i])
			}
		}
		read := func(id string, y float64) float64 {
			c := &p.Layout.Charts[charts[id]]
			u, v := c.At(geom.Vec3{0, y, 0})
			return color.EncodeSRGB(m.At(c.Page(), u, v)[0] / 80)
		}
		for y := 0.05; y < 1.95; y += 0.01 {
			worst = max(worst, math.Abs(read("left", y)-read("right", y)))
		}
		return worst * 255
	}
	matched := gap(mixOf(t, p, bake.Good))
	p.Seams = &lightmap.Seams{}
	plain := gap(mixOf(t, p, bake.Good))
	assert.Greater(t, plain, 3.0, "without it the seam would show")
	assert.Less(t, matched, 1.0)
}

// Sky fill is a share of what an even sky sends to level ground, π L, on every
// surface whichever way it faces, by zone, and one more mix of the ambient's layer.
func TestSkyFillIsAShareOfTheSkysLight(t *testing.T) {
	l := plane()
	block(l, "roof", level.Vec{0, 3, 0}, level.Vec{20, 0.2, 20})
	l.Environment.Sky.Color, l.Environment.Sky.Luminance, l.Environment.Sky.Lights = "#ffffff", 100, false
	l.Environment.Ambient.SkyFill = 0.5
	z := level.Default[level.Zone]()
	z.ID, z.Boxes, z.Ambient = "den", []level.Box{{Min: level.Vec{4, -1, -1}, Max: level.Vec{6, 2, 1}}}, &level.Ambient{Color: "#ffffff", Strength: 2, SkyFill: 0.1}
	l.Zones = []*level.Zone{&z}
	p := prepare(t, l)
	up := geom.Vec3{0, 1, 0}
	for _, n := range []geom.Vec3{up, up.Mul(-1), {1, 0, 0}} {
		assert.InEpsilon(t, 0.5*math.Pi*100, ledger.Light(p, geom.Vec3{0, 1, 0}, n, 8, 0)[1], 1e-3)
		assert.InEpsilon(t, 2+0.1*math.Pi*100, ledger.Light(p, geom.Vec3{5, 1, 0}, n, 8, 0)[1], 1e-3, "the zone's own")
	}
	assert.InEpsilon(t, 0.5*math.Pi*100, p.Ambient(geom.Vec3{0, 1, 0})[0], 1e-3)
	fill, ambient := p.Source("sky_fill:level"), p.Source("ambient:level")
	require.NotNil(t, fill)
	assert.Equal(t, p.Key(ambient, bake.Good), p.Key(fill, bake.Good), "no layer of its own")
	l.Environment.Ambient.SkyFill = 0
	assert.Nil(t, prepare(t, l).Source("sky_fill:level"))
}

// Each quality keeps to the noise that it states, against paths from each place;
// a finer one is no worse than a coarser.
func TestQualitiesKeepToTheirNoise(t *testing.T) {
	l := demo.Room()
	l.Environment.Ambient.Strength, l.Zones[0].Ambient = 0, nil // which have none
	p := prepare(t, l)
	const places, paths = 120, 2048
	var at []int32
	var truth []float64
	mean := 0.0
	for i := 7; i < len(p.Texels.List); i += len(p.Texels.List)/places + 1 {
		x := &p.Texels.List[i]
		light := ledger.Light(p, vec3(x.Origin), x.Normal(p.Scene), 128, paths).Luminance()
		at, truth, mean = append(at, x.Index), append(truth, light), mean+light
	}
	mean /= float64(len(at))
	last := 1.0
	for _, q := range bake.Qualities {
		m := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layersOf(t, p, q))
		sum := 0.0
		for k, i := range at {
			got := color.Linear{float64(m.Pix[3*i]), float64(m.Pix[3*i+1]), float64(m.Pix[3*i+2])}.Luminance()
			sum += (got - truth[k]) * (got - truth[k])
		}
		noise := math.Sqrt(sum/float64(len(at))) / mean
		t.Logf("%s: %.3f of a mean of %.2f lx", q, noise, mean)
		assert.Less(t, noise, q.Noise(), "%s", q)
		assert.LessOrEqual(t, noise, last+0.002, "%s", q)
		last = noise
	}
}

// Light that comes by bounces from small bright spots is as even along a corner as
// it is on the open wall, not dashed: each texel hardly off from the mean of the one
// above and the one below.
func TestCornersAreAsEvenAsWalls(t *testing.T) {
	for _, exhibit := range demo.LightKinds() {
		if exhibit.Label != "box" && exhibit.Label != "sun through the opening" {
			continue
		}
		p := prepare(t, exhibit.Level)
		roughness := func(m *layer.Image, fromCorner float64) float64 {
			light := map[int]float64{} // by texels over the floor
			for i := range p.Texels.List {
				x := &p.Texels.List[i]
				if p.Scene.Surfaces[x.Surface(p.Scene)].Body().Entity == "north-1" && x.Normal(p.Scene)[2] > 0.9 && math.Abs(float64(x.Origin[0])+2.5-fromCorner) < 0.01 {
					light[int(20*x.Origin[1])] = float64(m.Pix[3*x.Index+1])
				}
			}
			require.Len(t, light, 56)
			sum, squares := 0.0, 0.0
			for y := 1; y < 55; y++ {
				off := light[y] - (light[y-1]+light[y+1])/2
				sum, squares = sum+light[y], squares+off*off
			}
			return math.Sqrt(squares*54) / sum
		}
		good := mixOf(t, p, bake.Good)
		corner, open, final := roughness(good, 0.025), roughness(good, 0.525), roughness(mixOf(t, p, bake.Final), 0.525)
		t.Logf("%s: %.4f in the corner, %.4f on the wall, there %.4f at final", exhibit.Label, corner, open, final)
		assert.Less(t, corner, 3*open)
		assert.Less(t, open, 0.02)
		assert.Less(t, final, 0.01)
	}
}

func vec3(v [3]float32) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }

// No light goes through a wall that stands on the middle of patches and of the squares
// in which they are blended: the room next door stays black.
func TestWallsKeepBouncesIn(t *testing.T) {
	for _, density := range []float64{1, 2, 5.3, 8, 24} {
		for _, q := range []bake.Quality{bake.Draft, bake.Good} {
			l := level.New("Two rooms")
			l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
			l.Lightmap.Density = density
			const wall = 0.3
			block(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{4.2, 0.2, 2.2})
			block(l, "roof", level.Vec{0, 2.1, 0}, level.Vec{4.2, 0.2, 2.2})
			block(l, "wall", level.Vec{wall, 1, 0}, level.Vec{0.02, 2, 2.2})
			block(l, "east", level.Vec{2.05, 1, 0}, level.Vec{0.1, 2.4, 2.2})
			block(l, "west", level.Vec{-2.05, 1, 0}, level.Vec{0.1, 2.4, 2.2})
			block(l, "north", level.Vec{0, 1, -1.05}, level.Vec{4.2, 2.4, 0.1})
			block(l, "south", level.Vec{0, 1, 1.05}, level.Vec{4.2, 2.4, 0.1})
			l.Lights = []*level.Light{light("lamp", level.Point, 100, level.Vec{1.2, 1.2, 0}, down)}
			p := prepare(t, l)
			m := mixOf(t, p, q)
			bright, dark, n := float32(0), float32(0), 0
			for _, texel := range p.Texels.List {
				x, y, z := texel.Origin[0], texel.Origin[1], texel.Origin[2]
				if y < 0 || y > 2 || z < -1 || z > 1 || x < -2 || x > 2 { // outside
					continue
				}
				if v := m.Pix[3*texel.Index+1]; x > wall {
					bright = max(bright, v)
				} else {
					dark, n = max(dark, v), n+1
				}
			}
			assert.Greater(t, n, 5*int(density*density), "texels of the dark room")
			assert.Greater(t, bright, float32(30))
			assert.Zero(t, dark, "%v texels a metre, %s", density, q)
		}
	}
}
