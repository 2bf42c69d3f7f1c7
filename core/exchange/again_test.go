package exchange_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/level"
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
