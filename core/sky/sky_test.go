package sky_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
	"grotta/core/sky"
)

func of(kind string, edit func(*level.Environment)) *sky.Sky {
	e := level.Default[level.Environment]()
	e.Sky.Kind, e.Sky.Color, e.Sky.GroundColor = kind, "#ffffff", "#000000"
	if edit != nil {
		edit(&e)
	}
	return sky.Of(&e, nil)
}

var zenith, north = geom.Vec3{0, 1, 0}, geom.Vec3{0, 0, -1}

func TestDirectionsAndAngles(t *testing.T) {
	for _, c := range []struct {
		azimuth, altitude float64
		want              geom.Vec3
	}{
		{0, 0, geom.Vec3{0, 0, -1}}, {90, 0, geom.Vec3{1, 0, 0}}, {180, 0, geom.Vec3{0, 0, 1}}, {270, 30, geom.Vec3{-math.Sqrt(3) / 2, 0.5, 0}},
	} {
		got := level.Direction(c.azimuth, c.altitude)
		assert.InDelta(t, 0, got.Sub(c.want).Len(), 1e-12)
		azimuth, altitude := sky.Angles(got.Mul(7))
		assert.InDelta(t, c.azimuth, azimuth, 1e-9)
		assert.InDelta(t, c.altitude, altitude, 1e-9)
	}
}

func TestSunByAnglesAndByPlace(t *testing.T) {
	s := level.Default[level.Sun]()
	s.AzimuthDeg, s.AltitudeDeg, s.NorthDeg = 80, 20, 10
	assert.InDelta(t, 0, s.Toward().Sub(level.Direction(90, 20)).Len(), 1e-12, "north turns it")
	s.NorthDeg = 0
	s.Place = &level.Place{LatitudeDeg: 0, LongitudeDeg: 0, At: "2026-03-20T12:07:00Z"}
	assert.Greater(t, s.Toward()[1], 0.999, "noon at the equator at the equinox: overhead")
}

// CIE S 011: the overcast zenith is three times as bright as the horizon.
func TestOvercast(t *testing.T) {
	s := of(level.SkyOvercast, nil)
	assert.InDelta(t, 1, s.Radiance(zenith)[0], 1e-12)
	assert.InDelta(t, 1.0/3, s.Radiance(geom.Vec3{1, 0, 0})[0], 1e-12)
	assert.Zero(t, s.Radiance(geom.Vec3{0, -1, 0})[0], "the ground")
}

// The clear sky of the CIE is 1 at the zenith, brightest round the sun, darkest
// about a right angle from it, and the same on both sides of it.
func TestClear(t *testing.T) {
	s := of(level.SkyClear, func(e *level.Environment) {
		sun := level.Default[level.Sun]()
		sun.AzimuthDeg, sun.AltitudeDeg = 0, 40
		e.Sun = &sun
	})
	at := func(azimuth, altitude float64) float64 { return s.Radiance(level.Direction(azimuth, altitude))[1] }
	assert.InDelta(t, 1, s.Radiance(zenith)[1], 1e-9)
	assert.InDelta(t, at(50, 30), at(-50, 30), 1e-9)
	assert.Greater(t, at(5, 40), 4*at(180, 50))
	assert.Greater(t, at(0, 10), at(180, 10))
	for h := 0.0; h <= 90; h += 7 {
		for a := 0.0; a < 360; a += 11 {
			v := at(a, h)
			require.False(t, math.IsNaN(v) || v < 0 || v > 100, "%v %v: %v", a, h, v)
		}
	}
	down := of(level.SkyClear, func(e *level.Environment) {
		sun := level.Default[level.Sun]()
		sun.AltitudeDeg = -30
		e.Sun = &sun
	})
	assert.InDelta(t, 1, down.Radiance(zenith)[1], 1e-9, "a sun that is down leaves a sky")
}

func TestGradientAndSolid(t *testing.T) {
	s := of(level.SkyGradient, func(e *level.Environment) { e.Sky.Color, e.Sky.HorizonColor = "#0000ff", "#ff0000" })
	assert.InDelta(t, 1, s.Radiance(zenith)[2], 1e-12)
	assert.InDelta(t, 1, s.Radiance(north)[0], 1e-12)
	half := level.Direction(0, 30)
	assert.InDelta(t, 0.5, s.Radiance(half)[0], 1e-9)
	assert.Equal(t, of(level.SkySolid, nil).Radiance(zenith), of(level.SkySolid, nil).Radiance(geom.Vec3{0, -1, 0}))
}

// The patches cover the sky once, and are of about even size: 2π over 145.
func TestPatchesCoverTheSky(t *testing.T) {
	counts := make([]int, sky.Patches)
	r := rand.New(rand.NewPCG(1, 2))
	const n = 400_000
	for range n {
		y := r.Float64()
		a := r.Float64() * 2 * math.Pi
		k := math.Sqrt(1 - y*y)
		counts[sky.PatchOf(geom.Vec3{k * math.Sin(a), y, -k * math.Cos(a)})]++
	}
	for i, c := range counts[:sky.Patches-1] {
		assert.InDelta(t, 1, float64(c)/n*145, 0.35, "patch %d", i)
	}
	assert.Zero(t, counts[sky.Patches-1])
	assert.Equal(t, sky.Patches-1, sky.PatchOf(geom.Vec3{0, -1, 0}))
}

func TestPatchMeansAreTheSky(t *testing.T) {
	means := of(level.SkyOvercast, nil).PatchMeans()
	require.Len(t, means, sky.Patches)
	assert.InDelta(t, 1, means[144][0], 0.01, "the zenith's")
	assert.InDelta(t, (1+2*math.Sin(6*math.Pi/180))/3, means[0][0], 0.01, "of the lowest row")
	assert.Zero(t, means[145][0])
}

// A sky image with a small sun: the sun is sampled, the mean of its radiance over
// density is its integral over the sphere, and with the rest it is the whole.
func TestSamplingAnImage(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 32))
	for y := range 32 {
		for x := range 64 {
			img.SetNRGBA(x, y, color.NRGBA{40, 60, 90, 255})
		}
	}
	img.SetNRGBA(20, 7, color.NRGBA{255, 255, 255, 255})
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	p, err := picture.Decode(b.Bytes())
	require.NoError(t, err)
	e := level.Default[level.Environment]()
	e.Sky.Kind, e.Sky.RotationDeg = level.SkyImage, 35
	s := sky.Of(&e, p)
	require.True(t, s.Sampled())
	r := rand.New(rand.NewPCG(4, 4))
	sampled, integral := 0.0, 0.0
	const n, side = 60_000, 1000
	for range n {
		d, density := s.Sample(r.Float64(), r.Float64())
		require.InDelta(t, 1, d.Len(), 1e-9)
		require.InEpsilon(t, density, s.Density(d), 1e-6)
		sampled += s.Bright(d)[1] / density / n
	}
	for i := range side * side { // cells of like solid angle
		y, a := 1-(float64(i/side)+0.5)*2/side, 2*math.Pi*(float64(i%side)+0.5)/side
		k := math.Sqrt(1 - y*y)
		d := geom.Vec3{k * math.Sin(a), y, -k * math.Cos(a)}
		integral += s.Bright(d)[1] * 4 * math.Pi / (side * side)
		if sum := s.Even(d)[1] + s.Bright(d)[1]; math.Abs(sum-s.Radiance(d)[1]) > 1e-12 {
			t.Fatal("a part of the radiance is in neither", d)
		}
	}
	assert.InEpsilon(t, integral, sampled, 0.02)
	assert.False(t, of(level.SkyClear, nil).Sampled())
}

// The middle of a sky image is north; a rotation turns it clockwise from above.
func TestImageStandsNorth(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 8, 4))
	for y := range 4 {
		img.SetNRGBA(4, y, color.NRGBA{255, 0, 0, 255})
		img.SetNRGBA(3, y, color.NRGBA{255, 0, 0, 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	p, err := picture.Decode(b.Bytes())
	require.NoError(t, err)
	e := level.Default[level.Environment]()
	e.Sky.Kind = level.SkyImage
	assert.InDelta(t, 1, sky.Of(&e, p).Radiance(north)[0], 1e-6)
	assert.InDelta(t, 0, sky.Of(&e, p).Radiance(geom.Vec3{1, 0, 0})[0], 1e-6)
	e.Sky.RotationDeg = 90
	assert.InDelta(t, 1, sky.Of(&e, p).Radiance(geom.Vec3{1, 0, 0})[0], 1e-6)
}

func TestHorizontalIrradiance(t *testing.T) {
	assert.InEpsilon(t, math.Pi, of(level.SkySolid, nil).Horizontal()[0], 1e-9)
	assert.InEpsilon(t, math.Pi*7/9, of(level.SkyOvercast, nil).Horizontal()[0], 1e-3)
}

// IES RP-21: at 30 degrees 83.8 klx of sun and 11.76 klx of sky; it grows with the
// sun, and runs on through the horizon.
func TestDaylight(t *testing.T) {
	sun, diffuse := sky.Daylight(30)
	assert.InEpsilon(t, 83_770, sun, 1e-3)
	assert.InEpsilon(t, 11_760, diffuse, 1e-3)
	_, dusk := sky.Daylight(-6)
	assert.InDelta(t, 3.4, dusk, 0.1)
	last := -1.0
	for h := -18.0; h <= 90; h += 0.5 {
		_, e := sky.Daylight(h)
		assert.Greater(t, e, last)
		last = e
	}
}
