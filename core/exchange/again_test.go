package exchange_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/demo"
)

const twoCrates = `o Floor
v -5 0 -5
v 5 0 -5
v 5 0 5
v -5 0 5
f 1 4 3 2
o Crate
v 1 0 1
v 2 0 1
v 2 1 1
f 5 6 7
o Crate
v 3 0 1
v 4 0 1
v 4 1 1
f 8 9 10
`

// A file that comes again is read as it was before, unless something else is said.
func TestHowAFileWasReadIsRemembered(t *testing.T) {
	l, _ := read(t, "in/yard.obj", []byte(twoCrates), exchange.Options{UnitM: 0.01, Up: "z"})
	require.Len(t, l.Imports, 1)
	assert.Equal(t, "yard.obj", l.Imports[0].File)
	o := exchange.Options{}.AsBefore(l, "other/yard.obj")
	assert.Equal(t, 0.01, o.UnitM)
	assert.Equal(t, "z", o.Up)
	assert.Equal(t, exchange.Options{}, exchange.Options{}.AsBefore(l, "mill.obj"), "another file")
	assert.Equal(t, 1.0, exchange.Options{UnitM: 1}.AsBefore(l, "yard.obj").UnitM, "what is said holds")

	file, _ := read(t, "yard.obj", []byte(twoCrates), exchange.Options{UnitM: 0.02, Up: "z"})
	op, _, err := exchange.Into(t.Context(), l, file, "yard.obj")
	require.NoError(t, err)
	next, _, err := l.Apply(op)
	require.NoError(t, err)
	require.Len(t, next.Imports, 1)
	assert.Equal(t, 0.02, next.Imports[0].UnitM)
	other, _ := read(t, "mill.obj", []byte(twoCrates), exchange.Options{UnitM: 1})
	op, _, err = exchange.Into(t.Context(), next, other, "mill.obj")
	require.NoError(t, err)
	both, _, err := next.Apply(op)
	require.NoError(t, err)
	assert.Len(t, both.Imports, 2)
}

func TestAChangedFileIsTakenInAgain(t *testing.T) {
	// Two objects of one name make one mesh in this format, so each has its own here.
	first := strings.Replace(twoCrates, "o Crate\nv 3", "o Crate B\nv 3", 1)
	l, _ := read(t, "yard.obj", []byte(first), exchange.Options{UnitM: 1})
	require.Len(t, l.Meshes, 3)
	assert.Equal(t, []string{"from yard.obj"}, l.Meshes[0].Tags)

	// What the level says beside the geometry.
	lamp := level.NewLight("lamp", level.Point)
	lamp.Transform.Position = level.Vec{3.8, 0.75, 1.2}
	l, _, err := l.Apply(level.Batch("",
		level.Operation{Op: level.OpAdd, Part: "materials", Entity: map[string]any{"id": "oak", "name": "Oak"}},
		level.Set("crate", map[string]any{"surface.material": "oak", "surface.density": 20}),
		level.Add("lights", lamp),
	))
	require.NoError(t, err)

	// The file has moved one crate's corner, lost the other and won a lid.
	second := strings.Replace(strings.Split(first, "o Crate B")[0], "v 2 1 1", "v 2 1.5 1", 1) + "o Lid\nv 0 2 0\nv 1 2 0\nv 0 2 1\nf 8 9 10\n"
	file, _ := read(t, "folder/yard.obj", []byte(second), exchange.Options{UnitM: 1})
	op, merged, err := exchange.Into(t.Context(), l, file, "folder/yard.obj")
	require.NoError(t, err)
	assert.Equal(t, &exchange.Merged{Added: []string{"Lid"}, Changed: []string{"Crate"}, Removed: []string{"Crate B"}, Same: 1, Floating: []string{"lamp"}, Buried: []string{}}, merged)
	assert.Equal(t, "Bring in yard.obj again", op.Label)
	next, back, err := l.Apply(op)
	require.NoError(t, err)
	crate := level.ByID[level.Mesh](next, "crate")
	assert.Equal(t, "oak", crate.Surface.Material)
	assert.Equal(t, 20.0, crate.Surface.Density)
	assert.NotEqual(t, level.ByID[level.Mesh](l, "crate").Positions, crate.Positions)
	assert.Equal(t, *lamp, *next.Light("lamp"), "lights stay where they are")
	undone, _, err := next.Apply(back)
	require.NoError(t, err)
	assert.Equal(t, level.ByID[level.Mesh](l, "crate").Positions, level.ByID[level.Mesh](undone, "crate").Positions)

	// Once more changes nothing, and another file stands beside it.
	op, merged, err = exchange.Into(t.Context(), next, file, "yard.obj")
	require.NoError(t, err)
	assert.Empty(t, op.Steps)
	assert.Equal(t, 3, merged.Same)
	other, _ := read(t, "mill.obj", []byte(twoCrates), exchange.Options{UnitM: 1})
	op, merged, err = exchange.Into(t.Context(), next, other, "mill.obj")
	require.NoError(t, err)
	assert.Empty(t, merged.Removed)
	assert.Empty(t, merged.Changed)
	both, _, err := next.Apply(op)
	require.NoError(t, err)
	assert.Len(t, both.Meshes, 3+len(other.Meshes))
}

// Several files stand in one level, each at its own place, which holds when the file comes again.
func TestEachFileHasItsPlace(t *testing.T) {
	middle := func(l *level.Level, name string) geom.Vec3 {
		t.Helper()
		for _, m := range l.Meshes {
			if m.Name == name || m.ID == name {
				b := geom.NoBounds()
				for i := 0; i < len(m.Positions); i += 3 {
					b.Grow(geom.Vec3(m.Positions[i : i+3]).Add(geom.Vec3(m.Transform.Position)))
				}
				return b.Min.Add(b.Max).Mul(0.5)
			}
		}
		require.Fail(t, "no mesh "+name)
		return geom.Vec3{}
	}
	// The crates' middle is (2.5, 0.5, 1); a quarter turn clockwise takes east to south, and south to west.
	place := &exchange.Place{At: level.Vec{100, 2, -50}, TurnDeg: 90}
	yard, _ := read(t, "yard.obj", []byte(twoCrates), exchange.Options{Place: place})
	nearVec(t, geom.Vec3{99, 2.5, -47.5}, middle(yard, "Crate"), "obj")
	lamp, _ := read(t, "lamp.gltf", lampFile(t), exchange.Options{Place: place})
	nearVec(t, geom.Vec3{100 + 2, 2 + 5, -50 + 10}, lamp.World().Pose(&lamp.Lights[0].Entity).Position, "its light was at (10, 5, -2)")
	hills := greyPNG(t, 3, 3, false, func(x, y int) float64 { return 0 })
	ground, _ := read(t, "hills.png", hills, exchange.Options{TerrainM: 10, Place: place})
	nearVec(t, geom.Vec3{100, 2, -50}, middle(ground, ground.Meshes[0].Name), "terrain")

	// A second file beside it, then the first again: where nothing is said it stays, and it can be put elsewhere.
	mill, _ := read(t, "mill.obj", []byte(twoCrates), exchange.Options{Place: &exchange.Place{At: level.Vec{-30, 0, 0}}})
	op, _, err := exchange.Into(t.Context(), yard, mill, "mill.obj")
	require.NoError(t, err)
	both, _, err := yard.Apply(op)
	require.NoError(t, err)
	require.Len(t, both.Imports, 2)
	file, _ := read(t, "yard.obj", []byte(twoCrates), exchange.Options{}.AsBefore(both, "yard.obj"))
	op, merged, err := exchange.Into(t.Context(), both, file, "yard.obj")
	require.NoError(t, err)
	assert.Empty(t, op.Steps)
	assert.Equal(t, 2, merged.Same)
	file, _ = read(t, "yard.obj", []byte(twoCrates), exchange.Options{Place: &exchange.Place{}}.AsBefore(both, "yard.obj"))
	op, _, err = exchange.Into(t.Context(), both, file, "yard.obj")
	require.NoError(t, err)
	both, _, err = both.Apply(op)
	require.NoError(t, err)
	nearVec(t, geom.Vec3{2.5, 0.5, 1}, middle(both, "Crate"), "back at the origin")
	assert.Equal(t, level.Vec{}, both.Imports[0].At)
	assert.Equal(t, level.Vec{-30, 0, 0}, both.Imports[1].At)

	for _, bad := range []exchange.Place{{At: level.Vec{0, 40000, 0}}, {TurnDeg: 1000}, {At: level.Vec{math.NaN(), 0, 0}}} {
		_, _, err := exchange.Read(&exchange.Files{Name: "yard.obj", Data: []byte(twoCrates)}, exchange.Options{Place: &bad})
		assert.ErrorContains(t, err, "/at/")
	}
}

// A file that is new in a level brings its lights and viewpoints; when it comes again, lights stay as the level has
// them.
func TestANewFileBringsItsLights(t *testing.T) {
	l, _ := read(t, "yard.obj", []byte(twoCrates), exchange.Options{})
	doc := demo.Room()
	data, _, err := exchange.WriteGLTF(doc)
	require.NoError(t, err)
	file, _ := read(t, "room.glb", data, exchange.Options{Place: &exchange.Place{At: level.Vec{50, 0, 0}}})
	op, merged, err := exchange.Into(t.Context(), l, file, "room.glb")
	require.NoError(t, err)
	next, _, err := l.Apply(op)
	require.NoError(t, err)
	assert.Len(t, next.Lights, len(doc.Lights))
	assert.Len(t, next.Viewpoints, len(l.Viewpoints)+len(doc.Viewpoints))
	was, is := doc.World(), next.World()
	for _, light := range doc.Lights {
		now := next.Light(light.ID)
		require.NotNil(t, now, light.ID)
		nearVec(t, was.Pose(&light.Entity).Position.Add(geom.Vec3{50, 0, 0}), is.Pose(&now.Entity).Position, light.ID)
		assert.Contains(t, merged.Added, light.Name)
	}

	sunny := demo.Noon()
	data2, _, err := exchange.WriteGLTF(sunny)
	require.NoError(t, err)
	noon, _ := read(t, "noon.glb", data2, exchange.Options{})
	_, withSun, err := exchange.Into(t.Context(), l, noon, "noon.glb")
	require.NoError(t, err)
	assert.Contains(t, withSun.Words(), "left out: the file's sun, as the level says how its sky is")

	file, _ = read(t, "room.glb", data, exchange.Options{}.AsBefore(next, "room.glb"))
	op, _, err = exchange.Into(t.Context(), next, file, "room.glb")
	require.NoError(t, err)
	assert.Empty(t, op.Steps)
	op, _, err = exchange.Into(t.Context(), next, lampLevel(t), "lamp.gltf")
	require.NoError(t, err)
	next, _, err = next.Apply(op)
	require.NoError(t, err)
	require.NotNil(t, next.Light("bulb"))
	assert.Equal(t, "shade", next.Light("bulb").Parent, "it hangs there too")
}

func lampLevel(t *testing.T) *level.Level {
	l, _ := read(t, "lamp.gltf", lampFile(t), exchange.Options{})
	return l
}
