package bake

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/source"
)

// The encoding of keys is fixed. Where this fails after a change that was not meant to
// change light, such as a renamed field, the change is wrong. Where it was meant to,
// raise Engine or keyVersion and take the new values.
func TestKeysStayAsTheyAre(t *testing.T) {
	assert.Equal(t, goldenKeys, keysOf(t, leveltest.Level(rand.New(rand.NewPCG(7, 7)))))
}

// keysOf is the beginnings of the names of a level's geometry and layers.
func keysOf(t *testing.T, l *level.Level) []string {
	t.Helper()
	p, err := Prepare(l)
	require.NoError(t, err)
	got := []string{"geometry " + p.Geometry()[:16]}
	for i := range p.Sources {
		s := &p.Sources[i]
		got = append(got, fmt.Sprintf("%s %s %016x", s.ID, p.Key(s, Draft)[:16], s.Seed()))
	}
	return got
}

// Another material with the same albedo changes which faces shine, and nothing else.
func TestFacesThatShineNameTheirLayer(t *testing.T) {
	l := leveltest.Level(rand.New(rand.NewPCG(7, 7)))
	dark := level.Default[level.Material]()
	dark.ID, dark.Color = "dark-panel", l.Materials[1].Color
	next, _, err := l.Apply(level.Batch("", level.Add("materials", &dark), level.Set("west", map[string]any{"surface.material": "dark-panel"})))
	require.NoError(t, err)
	lit, _, err := next.Apply(level.Set("west", map[string]any{"surface.material": "panel"}))
	require.NoError(t, err)
	was, err := Prepare(next)
	require.NoError(t, err)
	now, err := Prepare(lit)
	require.NoError(t, err)
	assert.Equal(t, was.Geometry(), now.Geometry())
	for i := range now.Sources {
		s := &now.Sources[i]
		assert.Equal(t, s.Kind == source.EmissiveKind, was.Key(was.Source(s.ID), Good) != now.Key(s, Good), s.ID)
	}
}

var goldenKeys = []string{
	"geometry 25201487733f7f7c",
	"lamp-0 72d42bd7b8d9f35c 43651b2acf0aa3ff",
	"lamp-1 85fc2c537fa2247d 7dfa504cd4f8af12",
	"lamp-2 086ab4fc13a6a536 a442725e87676f40",
	"lamp-3 e37fefd59f61ea21 f481ab8d8f40a910",
	"lamp-5 73f647e8c9cd4a48 b328c1a5f3b0ec82",
	"sun 3813ced1bc84cab5 9a382c10e7a7d0d5",
	"sky 11157ea912858606 d2c2b76b12e60197",
	"emissive:panel 8d59ab6cc0b7a7f7 6ff8091ccc2b5825",
	"ambient:level c69e24372ae28a88 9a5bc607afa52564",
	"ambient:zone-0 984fa250f2f4c855 83f943939f3b8918",
	"ambient:zone-1 51c1c898c8fbe0f0 0911b7fe04d88505",
}

// A mesh that shows a geometry has the light, and so the keys, of one with those triangles of its own.
func TestKeysOfAGeometryAreThoseOfItsTriangles(t *testing.T) {
	shared := leveltest.Huts(leveltest.Plane(leveltest.Light("lamp", level.Point, 100, level.Vec{0, 3, 0}, geom.Vec3{0, -1, 0})))
	require.NoError(t, shared.Validate())
	own := *shared
	own.Geometries, own.Meshes = nil, nil
	for _, m := range shared.Meshes {
		next := *m
		next.Geometry, next.Scale, next.Positions = "", level.Vec{}, nil
		for v := range m.Vertices() {
			next.Positions = append(next.Positions, v[0], v[1], v[2])
		}
		own.Meshes = append(own.Meshes, &next)
	}
	require.NoError(t, own.Validate())
	assert.Equal(t, keysOf(t, &own), keysOf(t, shared))
}
