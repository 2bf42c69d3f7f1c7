package mirror_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/mirror"
	"grotta/core/scene"
)

func grey(v float64) color.Linear { return color.Linear{v, v, v} }

func material(metalness, roughness float64) *level.Material {
	m := level.Default[level.Material]()
	m.Metalness, m.Roughness = metalness, roughness
	return &m
}

// What a GGX surface sends of an even surrounding, summed over directions of the light on a grid; the table
// sums over half vectors.
func TestTheTableIsTheIntegral(t *testing.T) {
	for _, c := range []struct{ roughness, cos, f0 float64 }{{0.3, 0.9, 0.04}, {0.5, 0.5, 0.04}, {0.5, 0.5, 1}, {0.8, 0.25, 0.5}, {1, 0.7, 0.04}} {
		a2, toEye := math.Pow(c.roughness, 4), geom.Vec3{math.Sqrt(1 - c.cos*c.cos), 0, c.cos}
		sum, n := 0.0, 900
		for i := range n {
			cos := (float64(i) + 0.5) / float64(n)
			sin := math.Sqrt(1 - cos*cos)
			for k := range n {
				about := 2 * math.Pi * (float64(k) + 0.5) / float64(n)
				light := geom.Vec3{sin * math.Cos(about), sin * math.Sin(about), cos}
				half := light.Add(toEye).Normalize()
				spread := half[2]*half[2]*(a2-1) + 1
				density := a2 / (math.Pi * spread * spread)
				lambda := func(c float64) float64 { return (math.Sqrt(1+a2*(1/(c*c)-1)) - 1) / 2 }
				seen := 1 / (1 + lambda(cos) + lambda(c.cos))
				fresnel := c.f0 + (1-c.f0)*math.Pow(1-half.Dot(light), 5)
				sum += density * seen * fresnel / (4 * c.cos) * 2 * math.Pi / float64(n*n)
			}
		}
		scale, add := mirror.Lobes().At(c.roughness, c.cos)
		assert.InDelta(t, sum, c.f0*scale+add, 0.01, "%+v", c)
	}
	for k := range 11 { // a mirror is Schlick's approximation of Fresnel
		cos := float64(k) / 10
		scale, add := mirror.Lobes().At(0, cos)
		assert.InDelta(t, math.Pow(1-cos, 5), add, 0.005)
		assert.InDelta(t, 1, scale+add, 1e-9)
	}
}

// Nothing sends more than falls on it, and a white surface that is no metal loses nothing.
func TestLightIsKept(t *testing.T) {
	for r := range 11 {
		for m := range 3 {
			for c := 1; c <= 10; c++ {
				matt, shown := mirror.Split(material(float64(m)/2, float64(r)/10), grey(1), float64(c)/10)
				assert.LessOrEqual(t, matt+shown[1], 1.001)
				if m == 0 {
					assert.InDelta(t, 1, matt+shown[1], 1e-9)
				}
			}
		}
	}
	matt, shown := mirror.Split(material(1, 1), grey(0.5), 0.7)
	assert.Equal(t, 1.0, matt, "what is rough is matt, a metal too")
	assert.Zero(t, shown)
	matt, shown = mirror.Split(material(1, 0), color.Linear{0.9, 0.6, 0.2}, 1)
	assert.Zero(t, matt)
	assert.InDeltaSlice(t, []float64{0.9, 0.6, 0.2}, shown[:], 1e-6, "a metal mirrors in its colour")
	_, shown = mirror.Split(material(0, 0), grey(0.5), 1)
	assert.InDelta(t, 0.04, shown[0], 1e-6)
}

// In even surroundings every mirror shows the same.
func TestEvenSurroundings(t *testing.T) {
	places := []mirror.Place{{Half: geom.Vec3{2, 2, 2}, Side: 32}}
	s, err := mirror.Capture(t.Context(), places, func(geom.Vec3, geom.Vec3) color.Linear { return grey(70) })
	require.NoError(t, err)
	for _, d := range []geom.Vec3{{0, 1, 0}, {0, -1, 0}, {1, 0, 0}, {-1, 0, 1e-9}, {0.3, -0.2, 0.9}} {
		for _, roughness := range []float64{0, 0.13, 0.5, 1} {
			assert.InDelta(t, 70, s.Radiance(geom.Vec3{0.5, 0, 1}, d.Normalize(), roughness)[1], 1e-6)
		}
	}
	empty, err := mirror.Capture(t.Context(), nil, nil)
	require.NoError(t, err)
	assert.Zero(t, empty.Radiance(geom.Vec3{}, geom.Vec3{0, 1, 0}, 0))
}

// In a room that is the box, a mirror anywhere in it shows what its ray meets, though the room was captured
// from another place.
func TestARoomIsMirroredFromAnyPlace(t *testing.T) {
	half, at := geom.Vec3{4, 2, 3}, geom.Vec3{1, 0, -1}
	hit := func(from, d geom.Vec3) geom.Vec3 {
		far := math.Inf(1)
		for axis := range 3 {
			if d[axis] != 0 {
				far = min(far, (at[axis]+math.Copysign(half[axis], d[axis])-from[axis])/d[axis])
			}
		}
		return from.Add(d.Mul(far))
	}
	painted := func(from, d geom.Vec3) color.Linear { // smooth over the walls
		p := hit(from, d)
		return color.Linear{5 + p[0], 5 + p[1], 5 + p[2]}
	}
	s, err := mirror.Capture(t.Context(), []mirror.Place{{At: at, Half: half, Side: 128}}, painted)
	require.NoError(t, err)
	for i := range 200 {
		a, b := float64(i)*2.4, math.Mod(float64(i)*0.618, 1)*2-1
		d := geom.Vec3{math.Sqrt(1-b*b) * math.Cos(a), b, math.Sqrt(1-b*b) * math.Sin(a)}
		from := geom.Vec3{at[0] + 3*math.Sin(float64(i)), 1.2 * math.Cos(float64(i)*1.7), at[2] + 2*math.Sin(float64(i)*0.7)}
		got, want := s.Radiance(from, d, 0), painted(from, d)
		assert.InDeltaSlice(t, want[:], got[:], 0.12, "of walls that go from 2 to 10")
	}
}

// A rougher mirror spreads a small lamp, and keeps its light.
func TestARougherMirrorSpreads(t *testing.T) {
	lamp := func(_, d geom.Vec3) color.Linear {
		if d.Dot(geom.Vec3{1, 0, 0}) > math.Cos(0.2) {
			return grey(1000)
		}
		return color.Linear{}
	}
	s, err := mirror.Capture(t.Context(), []mirror.Place{{Half: geom.Vec3{9, 9, 9}, Side: 64}}, lamp)
	require.NoError(t, err)
	last := 1001.0
	for _, roughness := range []float64{0, 0.3, 0.5, 0.7, 1} {
		v := s.Radiance(geom.Vec3{}, geom.Vec3{1, 0, 0}, roughness)[1]
		assert.Less(t, v, last)
		assert.Positive(t, v)
		last = v
	}
	aside := geom.Vec3{math.Cos(0.6), math.Sin(0.6), 0}
	assert.Zero(t, s.Radiance(geom.Vec3{}, aside, 0)[1])
	assert.Greater(t, s.Radiance(geom.Vec3{}, aside, 0.6)[1], 10.0)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = mirror.Capture(ctx, []mirror.Place{{Side: 64}}, lamp)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestWhichReflectionServes(t *testing.T) {
	l := level.New("Rooms")
	block := func(id string, at, size level.Vec) {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, size, at
		l.Solids = append(l.Solids, &s)
	}
	places := func() []mirror.Place {
		return mirror.PlacesOf(scene.Build(l))
	}
	serving := func(at geom.Vec3) string {
		all := places()
		return all[mirror.Serving(len(all), func(i int) *mirror.Place { return &all[i] }, at)].ID
	}
	assert.Empty(t, places(), "a level of nothing")
	block("floor", level.Vec{10, -0.1, 0}, level.Vec{30, 0.2, 10})
	block("roof", level.Vec{10, 4.1, 0}, level.Vec{30, 0.2, 10})
	require.Len(t, places(), 1)
	assert.InDeltaSlice(t, []float64{10, 2, 0}, places()[0].At[:], 1e-5, "one for the whole level")
	block("core", level.Vec{10, 2, 0}, level.Vec{1, 4, 1})
	assert.InDelta(t, 5.2, places()[0].At[1], 1e-5, "over it where its middle is within a block")
	z := level.Default[level.Zone]()
	z.ID, z.Boxes = "hall", []level.Box{{Min: level.Vec{0, 0, 0}, Max: level.Vec{4, 3, 2}}}
	l.Zones = []*level.Zone{&z}
	require.Len(t, places(), 1)
	assert.Equal(t, geom.Vec3{2, 1.5, 1}, places()[0].At, "or one for each zone")
	for i, c := range []struct {
		x    float64
		size level.Vec
	}{{0, level.Vec{10, 4, 10}}, {1, level.Vec{2, 2, 2}}, {20, level.Vec{4, 4, 4}}} {
		r := level.Default[level.Reflection]()
		r.ID, r.Size, r.Transform.Position = string(rune('a'+i)), c.size, level.Vec{c.x, 0, 0}
		l.Reflections = append(l.Reflections, &r)
	}
	assert.Equal(t, "b", serving(geom.Vec3{1.5, 0, 0}), "the smallest box round it")
	assert.Equal(t, "a", serving(geom.Vec3{-4, 0, 0}))
	assert.Equal(t, "c", serving(geom.Vec3{90, 0, 0}), "else the nearest")
	for _, r := range l.Reflections {
		r.Enabled = false
	}
	assert.Empty(t, places(), "those that are off are meant to be off")
}
