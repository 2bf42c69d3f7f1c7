package exchange_test

import (
	"bytes"
	"strings"
	"testing"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/level"
)

// painted is a file with a strip of squares whose vertices have colours.
func painted(t *testing.T, colors [][4]uint8, base [4]float64) []byte {
	t.Helper()
	doc := gltf.NewDocument()
	var places [][3]float32
	var indices []uint32
	var all [][4]uint8
	for i, c := range colors {
		x, k := float32(i), uint32(4*i)
		places = append(places, [3]float32{x, 0, 0}, [3]float32{x, 0, 1}, [3]float32{x + 1, 0, 1}, [3]float32{x + 1, 0, 0})
		indices = append(indices, k, k+1, k+2, k, k+2, k+3)
		all = append(all, c, c, c, c)
	}
	doc.Materials = []*gltf.Material{{Name: "Paint", PBRMetallicRoughness: &gltf.PBRMetallicRoughness{BaseColorFactor: &base}}}
	doc.Meshes = []*gltf.Mesh{{Name: "Strip", Primitives: []*gltf.Primitive{{
		Attributes: gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(doc, places), gltf.COLOR_0: modeler.WriteColor(doc, all)},
		Indices:    gltf.Index(modeler.WriteIndices(doc, indices)), Material: gltf.Index(0),
	}}}}
	doc.Nodes = []*gltf.Node{{Name: "Strip", Mesh: gltf.Index(0)}}
	doc.Scenes = []*gltf.Scene{{Nodes: []int{0}}}
	var b bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&b).Encode(doc))
	return b.Bytes()
}

// Plain colours of vertices become materials, times the material's own colour; no triangle is lost.
func TestColorsOfVerticesBecomeMaterials(t *testing.T) {
	red, half := [4]uint8{255, 0, 0, 255}, [4]uint8{128, 128, 128, 255}
	l, report := read(t, "strip.glb", painted(t, [][4]uint8{red, half, red}, [4]float64{1, 0.5, 0.5, 1}), exchange.Options{})
	require.Len(t, l.Meshes, 2)
	assert.InDelta(t, 3, area(l), 1e-9)
	assert.Empty(t, report.Left)
	isColor := func(r, g, b float64, m *level.Mesh) {
		t.Helper()
		is := level.ByID[level.Material](l, m.Surface.Material).Albedo()
		assert.InDeltaSlice(t, []float64{r, g, b}, is[:], 2e-5)
	}
	isColor(1, 0, 0, l.Meshes[0])
	isColor(128.0/255, 64.0/255, 64.0/255, l.Meshes[1]) // colours of vertices are linear
	assert.NotEqual(t, l.Meshes[0].ID, l.Meshes[1].ID)
	assert.Len(t, l.Meshes[0].Positions, 3*8, "its own vertices alone")

	// White says nothing.
	l, _ = read(t, "white.glb", painted(t, [][4]uint8{{255, 255, 255, 255}}, [4]float64{0.5, 0.5, 0.5, 1}), exchange.Options{})
	require.Len(t, l.Materials, 1)
	assert.Equal(t, "Paint", l.Materials[0].Name)

	// OBJ has them behind the places.
	l, _ = read(t, "tile.obj", []byte("v 0 0 0\nv 0 0 1\nv 1 0 0\nv 5 0 0 0 0.5 1\nv 5 0 1 0 0.5 1\nv 6 0 0 0 0.5 1\nf 1 2 3\nf 4 5 6\n"), exchange.Options{})
	require.Len(t, l.Meshes, 2)
	isColor(1, 1, 1, l.Meshes[0])
	isColor(0, 0.214041, 1, l.Meshes[1]) // IEC 61966-2-1 of 0.5

	// Of many, some stand for all: here 0 to 1 in 52 equal steps. None is further off than half of the widest
	// group, which spans three steps, and the mean stays.
	var many [][4]uint8
	for i := range 52 {
		many = append(many, [4]uint8{uint8(5 * i), 255, 255, 255})
	}
	l, report = read(t, "many.glb", painted(t, many, [4]float64{1, 1, 1, 1}), exchange.Options{})
	require.Len(t, l.Meshes, 24)
	assert.InDelta(t, 52, area(l), 1e-9)
	assert.Contains(t, strings.Join(report.Notes, "\n"), "has 52 colours at its vertices; it takes 24 that stand for them")
	mean := 0.0
	for _, m := range l.Meshes {
		red := level.ByID[level.Material](l, m.Surface.Material).Albedo()[0]
		mean += red * float64(len(m.Indices)/6) / 52
		for i := 0; i < len(m.Positions); i += 12 { // a square of the strip has its number as x
			assert.InDelta(t, 5*m.Positions[i]/255, red, 1.5*5/255+1e-6)
		}
	}
	assert.InDelta(t, 0.5, mean, 1e-4)
}
