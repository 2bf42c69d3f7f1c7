package level_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

const shared = `{"format":"grotta-level/1","name":"Yard",
	"geometries":[{"id":"kite","positions":[0,0,0,1,0,0,0,1,0],"indices":[0,1,2],"normals":[0,0,1,0,0.6,0.8,0,0,1]}],
	"meshes":[{"id":"one","geometry":"kite"},{"id":"two","geometry":"kite","scale":[2,3,4]},{"id":"own","positions":[0,0,0,1,0,0,0,1,0],"indices":[0,1,2]}]}`

// Meshes that show a geometry have its triangles without a copy, and are written without them.
func TestAGeometryIsSharedInMemoryAndInTheDocument(t *testing.T) {
	l := parse(t, shared)
	require.Len(t, l.Meshes, 3)
	assert.Same(t, &l.Geometries[0].Positions[0], &l.Meshes[0].Positions[0])
	assert.Same(t, &l.Geometries[0].Positions[0], &l.Meshes[1].Positions[0])
	assert.InDeltaSlice(t, []float64{2, 0, 0}, vec(l.Meshes[1].Vertex(1)), 0)
	assert.InDeltaSlice(t, []float64{0, 0.2, 0.2}, vec(l.Meshes[1].Normal(1)), 1e-12, "by the inverse of the scale")
	text, err := level.Encode(l.Meshes)
	require.NoError(t, err)
	assert.NotContains(t, string(text[:200]), "positions")
	again, _, err := level.Parse([]byte(encode(t, l)))
	require.NoError(t, err)
	assert.Equal(t, l.Meshes[1].Positions, again.Meshes[1].Positions)
	assert.Equal(t, encode(t, l), encode(t, again))
}

func vec[V ~[3]float64](v V) []float64 { return v[:] }

// A geometry that changes changes the meshes that show it; the level before stays as it was, and undo
// leads back to it.
func TestAChangedGeometryShowsInItsMeshes(t *testing.T) {
	l := parse(t, shared)
	before := encode(t, l)
	next, inverse, err := l.Apply(level.Set("kite", map[string]any{"positions": []any{0, 0, 0, 5, 0, 0, 0, 1, 0}, "normals": nil}))
	require.NoError(t, err)
	assert.Equal(t, 5.0, next.Meshes[0].Positions[3])
	assert.Empty(t, next.Meshes[1].Normals)
	assert.Equal(t, 1.0, l.Meshes[0].Positions[3])
	assert.Same(t, l.Meshes[2], next.Meshes[2], "a mesh of its own triangles is not touched")
	back, _, err := next.Apply(inverse)
	require.NoError(t, err)
	assert.Equal(t, before, encode(t, back))
	assert.Equal(t, 1.0, back.Meshes[0].Positions[3])

	// A mesh takes up a geometry and lets go of it again.
	next, inverse, err = l.Apply(level.Set("own", map[string]any{"geometry": "kite", "positions": nil, "indices": nil}))
	require.NoError(t, err)
	assert.Same(t, &next.Geometries[0].Positions[0], &next.Meshes[2].Positions[0])
	back, _, err = next.Apply(inverse)
	require.NoError(t, err)
	assert.Equal(t, before, encode(t, back))
}

func TestGeometriesAreChecked(t *testing.T) {
	l := parse(t, shared)
	for name, c := range map[string]struct {
		op   level.Operation
		says string
	}{
		"both":       {level.Set("own", map[string]any{"geometry": "kite"}), "shows a geometry and has positions"},
		"none such":  {level.Set("one", map[string]any{"geometry": "gone"}), `is "gone", and no such id is among the geometries`},
		"no vertex":  {level.Set("kite", map[string]any{"indices": []any{0, 1, 3}}), "/geometries/0/indices/2 is 3; the mesh has 3 vertices"},
		"flat":       {level.Set("two", map[string]any{"scale": []any{1, 0, 1}}), "/meshes/1/scale"},
		"mirrored":   {level.Set("two", map[string]any{"scale": []any{1, -1, 1}}), "/meshes/1/scale/1"},
		"far":        {level.Set("two", map[string]any{"scale": []any{1, 20000, 1}}), "/meshes/1/scale/1"},
		"of a light": {level.Set("own", map[string]any{"geometry": "two", "positions": nil, "indices": nil}), "among the geometries"},
	} {
		_, _, err := l.Apply(c.op)
		assert.ErrorContains(t, err, c.says, name)
	}
	// All places count against the limit of triangles.
	big := parse(t, shared)
	g := big.Geometries[0]
	for len(g.Indices) < 3*level.MaxTriangles/2 {
		g.Indices = append(g.Indices, 0, 1, 2)
	}
	big.Meshes = big.Meshes[:2]
	require.NoError(t, big.Validate())
	third := *big.Meshes[0]
	third.ID = "three"
	big.Meshes = append(big.Meshes, &third)
	assert.ErrorContains(t, big.Validate(), "triangles together")
}
