package bake_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/source"
)

// sane tells that a level bakes to numbers, at draft and at good, and that a point
// of it can be asked.
func sane(t *testing.T, name string, l *level.Level) {
	t.Helper()
	require.NoError(t, l.Validate(), name)
	p, err := bake.Prepare(l)
	require.NoError(t, err, name)
	for _, q := range []bake.Quality{bake.Draft, bake.Good} {
		layers, err := p.Bake(context.Background(), source.All(p.Sources), q, nil)
		require.NoError(t, err, name)
		for _, v := range layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers).Pix {
			if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) || v < 0 {
				t.Fatalf("%s, %s: a texel of %v", name, q, v)
			}
		}
	}
	total := ledger.Ask(p, geom.Vec3{0.1, 0, 0.1}, up).Total.Luminance
	assert.False(t, math.IsNaN(total) || math.IsInf(total, 0) || total < 0, name)
}

// Lights of every kind in places and of sizes that mean trouble.
func TestOddLights(t *testing.T) {
	for _, kind := range []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube} {
		for name, edit := range map[string]func(*level.Light){
			"on the floor":     func(l *level.Light) { l.Transform.Position = level.Vec{0, 0, 0} },
			"inside the floor": func(l *level.Light) { l.Transform.Position = level.Vec{0, -0.1, 0} },
			"aimed up":         func(l *level.Light) { l.Transform.Rotation = [4]float64{math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2} },
			"a tiny range":     func(l *level.Light) { l.RangeM = 1e-6 },
			"huge":             func(l *level.Light) { l.RadiusM, l.WidthM, l.HeightM, l.LengthM, l.AngularDeg = 80, 500, 500, 900, 90 },
			"tiny": func(l *level.Light) {
				l.RadiusM, l.WidthM, l.HeightM, l.LengthM, l.AngularDeg = 1e-6, 1e-6, 1e-6, 1e-6, 1e-6
			},
			"far off": func(l *level.Light) {
				l.Transform.Position = level.Vec{level.MaxExtent, level.MaxExtent, level.MaxExtent}
			},
			"a cone of nothing": func(l *level.Light) { l.InnerDeg, l.OuterDeg = 0, 1e-4 },
			"shadows of none": func(l *level.Light) {
				l.Shadows.NearM, l.Shadows.Softness, l.Shadows.FadeM, l.Shadows.ReachM = 1000, 4, 0, 1e-9
			},
			"blinding": func(l *level.Light) { l.Strength = 1e9 },
		} {
			a := light("l", kind, 100, level.Vec{0, 2, 0}, down)
			edit(a)
			l := plane(a)
			l.Lightmap.Density = 0.5
			block(l, "wall", level.Vec{2, 1, 0}, level.Vec{0.2, 2, 4})
			sane(t, kind+" "+name, l)
		}
	}
}

// Geometry that no one draws on purpose.
func TestOddGeometry(t *testing.T) {
	mesh := func(l *level.Level, positions []float64, indices []uint32) {
		m := level.Default[level.Mesh]()
		m.ID, m.Positions, m.Indices = fmt.Sprintf("m%d", len(l.Meshes)), positions, indices
		l.Meshes = append(l.Meshes, &m)
	}
	for name, edit := range map[string]func(*level.Level){
		"no area": func(l *level.Level) { mesh(l, []float64{1, 1, 1, 1, 1, 1, 1, 1, 1}, []uint32{0, 1, 2}) },
		"needles": func(l *level.Level) { mesh(l, []float64{0, 1, 0, 9, 1, 0, 4, 1, 1e-7}, []uint32{0, 1, 2}) },
		"coplanar twins": func(l *level.Level) {
			mesh(l, []float64{-1, 0, -1, -1, 0, 1, 1, 0, 1}, []uint32{0, 1, 2, 0, 1, 2, 2, 1, 0})
		},
		"inside out":   func(l *level.Level) { mesh(l, []float64{0, 1, 0, 1, 1, 0, 0, 1, 1}, []uint32{0, 1, 2}) },
		"no triangles": func(l *level.Level) { mesh(l, []float64{0, 1, 0}, nil) },
		"one point":    func(l *level.Level) { l.Solids[0].Size = level.Vec{1e-4, 1e-4, 1e-4} },
		"white as can be": func(l *level.Level) {
			material(l, "w", 1, 0)
			l.Solids[0].Surface.Material = "w"
			block(l, "lid", level.Vec{0, 1, 0}, level.Vec{20, 0.1, 20})
			l.Solids[1].Surface.Material = "w"
		},
		"shines on itself": func(l *level.Level) { material(l, "e", 0.5, 500); l.Solids[0].Surface.Material = "e" },
		"all in one another": func(l *level.Level) {
			for i := range 5 {
				block(l, fmt.Sprintf("b%d", i), level.Vec{0, 0.5, 0}, level.Vec{1, 1, 1})
			}
		},
		"receives nothing": func(l *level.Level) { l.Solids[0].Surface.ReceivesLight = false },
		"casts nothing":    func(l *level.Level) { l.Solids[0].Surface.CastsShadow = false },
		"unseen":           func(l *level.Level) { l.Solids[0].Surface.Visible = false },
		"nothing at all":   func(l *level.Level) { l.Solids, l.Lights = nil, nil },
	} {
		l := plane(light("l", level.Point, 100, level.Vec{0, 2, 0}, down))
		l.Lightmap.Density, l.Environment.Sky.Luminance, l.Environment.Sky.Color = 1, 20, "#ffffff"
		edit(l)
		sane(t, name, l)
	}
}

// A mesh of a million triangles is prepared and lit, and its rays find it.
func TestAMillionTriangles(t *testing.T) {
	if testing.Short() {
		t.Skip("takes some seconds")
	}
	const side = 708
	l := plane(light("l", level.Directional, 100, level.Vec{}, down))
	m := level.Default[level.Mesh]()
	m.ID, m.Surface.ReceivesLight = "dunes", false
	for i := range (side + 1) * (side + 1) {
		x, z := float64(i%(side+1))/side*20-10, float64(i/(side+1))/side*20-10
		m.Positions = append(m.Positions, x, 3+0.2*math.Sin(3*x)*math.Cos(2*z), z)
	}
	for y := range uint32(side) {
		for x := range uint32(side) {
			a := y*(side+1) + x
			m.Indices = append(m.Indices, a, a+side+1, a+1, a+1, a+side+1, a+side+2)
		}
	}
	require.Greater(t, len(m.Indices)/3, 1_000_000)
	l.Meshes = []*level.Mesh{&m}
	p := prepare(t, l)
	book := ledger.Ask(p, geom.Vec3{0.3, 0, 0.2}, up)
	for _, e := range book.Sources {
		if e.ID == "l" {
			assert.True(t, e.Blocked)
			assert.Equal(t, "dunes", e.BlockedBy[0].ID)
		}
	}
}
