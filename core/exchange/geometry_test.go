package exchange_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// crates is a file whose nodes show one mesh of two primitives under the matrices.
func crates(t *testing.T, places []mgl64.Mat4) (data []byte, corners [][3]float32) {
	t.Helper()
	doc := gltf.NewDocument()
	corners = [][3]float32{{0, 0, 0}, {1, 0, 0}, {0, 1.5, 0}, {0, 0, 2}}
	at := modeler.WritePosition(doc, corners)
	for _, indices := range [][]uint16{{0, 2, 1, 0, 1, 3}, {0, 3, 2, 1, 2, 3}} {
		doc.Materials = append(doc.Materials, &gltf.Material{Name: fmt.Sprint("paint ", len(doc.Materials)), PBRMetallicRoughness: &gltf.PBRMetallicRoughness{BaseColorFactor: &[4]float64{0.5, 0.1, 0.1, 1}}})
		material := len(doc.Materials) - 1
		if material == 0 {
			doc.Meshes = []*gltf.Mesh{{Name: "Crate"}}
		}
		doc.Meshes[0].Primitives = append(doc.Meshes[0].Primitives, &gltf.Primitive{
			Attributes: gltf.PrimitiveAttributes{gltf.POSITION: at}, Indices: gltf.Index(modeler.WriteIndices(doc, indices)), Material: gltf.Index(material),
		})
	}
	for i, m := range places {
		doc.Nodes = append(doc.Nodes, &gltf.Node{Name: fmt.Sprint("Crate ", i), Mesh: gltf.Index(0), Matrix: [16]float64(m)})
		doc.Scenes[0].Nodes = append(doc.Scenes[0].Nodes, i)
	}
	var b bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&b).Encode(doc))
	return b.Bytes(), corners
}

// turned is a matrix of a random place, rotation and scale.
func turned(r *rand.Rand, scale geom.Vec3) mgl64.Mat4 {
	axis := geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}.Normalize()
	return mgl64.Translate3D(r.Float64()*9, r.Float64()*9, r.Float64()*9).Mul4(mgl64.HomogRotate3D(r.Float64()*6, axis)).Mul4(mgl64.Scale3D(scale[0], scale[1], scale[2]))
}

// A mesh that nodes show several times becomes one geometry for each primitive, whatever the scale, and
// stands where the matrices put it. What shears, or is far larger, has triangles of its own.
func TestAMeshShownManyTimesIsOneGeometry(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	sheared := mgl64.Ident4()
	sheared.Set(0, 1, 0.5)
	places := []mgl64.Mat4{
		turned(r, geom.Vec3{0.01, 0.01, 0.01}), turned(r, geom.Vec3{0.01, 0.01, 0.01}), turned(r, geom.Vec3{0.02, 0.03, 0.01}),
		turned(r, geom.Vec3{-0.01, 0.01, 0.01}), turned(r, geom.Vec3{0.01, 0.01, -0.03}), turned(r, geom.Vec3{-1, -1, -1}),
		mgl64.HomogRotate3DY(math.Pi), mgl64.HomogRotate3DX(math.Pi), sheared, turned(r, geom.Vec3{500, 500, 500}),
	}
	data, corners := crates(t, places)
	l, _ := read(t, "crates.gltf", data, exchange.Options{})
	assert.Len(t, l.Geometries, 4, "two primitives, and mirrored")
	require.Len(t, l.Meshes, 2*len(places))
	own := 0
	for i, m := range l.Meshes {
		pose, place := l.World().Pose(&m.Entity), places[i/2]
		for v := range uint32(4) {
			want := place.Mul4x1(mgl64.Vec4{float64(corners[v][0]), float64(corners[v][1]), float64(corners[v][2]), 1}).Vec3()
			got := pose.Apply(m.Vertex(v))
			assert.InDelta(t, 0, want.Sub(got).Len(), 1e-5*(1+want.Len()), "mesh %d, vertex %d", i, v)
		}
		for k := 0; k < len(m.Indices); k += 3 { // outward, by the middle of the whole crate
			a, b, c := pose.Apply(m.Vertex(m.Indices[k])), pose.Apply(m.Vertex(m.Indices[k+1])), pose.Apply(m.Vertex(m.Indices[k+2]))
			middle := place.Mul4x1(mgl64.Vec4{0.25, 0.375, 0.5, 1}).Vec3()
			assert.Positive(t, b.Sub(a).Cross(c.Sub(a)).Dot(a.Sub(middle)), "mesh %d faces outward", i)
		}
		if m.Geometry == "" {
			own++
		}
	}
	assert.Equal(t, 4, own, "the sheared one and the huge one")
	assert.Equal(t, level.Vec{}, l.Meshes[2].Scale, "as large as the first")
	assert.InDeltaSlice(t, []float64{2, 3, 1}, l.Meshes[4].Scale[:], 1e-6)

	// An export has each geometry once, and comes back as it was.
	out, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	var doc gltf.Document
	require.NoError(t, gltf.NewDecoder(bytes.NewReader(out)).Decode(&doc))
	assert.Len(t, doc.Meshes, 4+4)
	back, _ := read(t, "back.glb", out, exchange.Options{})
	require.Len(t, back.Meshes, len(l.Meshes))
	assert.Len(t, back.Geometries, 4)
	for i, m := range back.Meshes {
		assert.Equal(t, l.Meshes[i].Geometry, m.Geometry)
		assert.InDeltaSlice(t, floats(l.Meshes[i].ScaleOf()), floats(m.ScaleOf()), 1e-5)
		for v := range uint32(4) {
			want, got := l.World().Pose(&l.Meshes[i].Entity).Apply(l.Meshes[i].Vertex(v)), back.World().Pose(&m.Entity).Apply(m.Vertex(v))
			assert.InDelta(t, 0, want.Sub(got).Len(), 1e-5*(1+want.Len()))
		}
	}
}

func floats(v geom.Vec3) []float64 { return v[:] }

// What hangs on a scaled mesh is not scaled with it, here as in the file.
func TestAScaledCarrierDoesNotScaleWhatItCarries(t *testing.T) {
	data, _ := crates(t, []mgl64.Mat4{mgl64.Ident4(), mgl64.Translate3D(4, 0, 0).Mul4(mgl64.Scale3D(2, 3, 2))})
	l, _ := read(t, "crates.gltf", data, exchange.Options{})
	lamp := level.NewLight("lamp", level.Point)
	lamp.Parent, lamp.Transform.Position = l.Meshes[2].ID, level.Vec{0, 1, 0}
	l.Lights = append(l.Lights, lamp)
	require.NoError(t, l.Validate())
	out, _, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	back, _ := read(t, "back.glb", out, exchange.Options{})
	assert.InDeltaSlice(t, []float64{4, 1, 0}, floats(back.World().Pose(&back.Light("lamp").Entity).Position), 1e-6)
}

// A file whose crates are shown more or less often comes in again: those that stay are not touched, and a
// geometry that nothing shows any more goes.
func TestGeometriesComeInAgain(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	one := geom.Vec3{1, 1, 1}
	places := []mgl64.Mat4{turned(r, one), turned(r, one), turned(r, geom.Vec3{1, 2, 1})}
	data, _ := crates(t, places)
	l, _ := read(t, "crates.gltf", data, exchange.Options{})
	again := func(l *level.Level, places []mgl64.Mat4) (*level.Level, *exchange.Merged) {
		data, _ := crates(t, places)
		file, _ := read(t, "crates.gltf", data, exchange.Options{}.AsBefore(l, "crates.gltf"))
		op, merged, err := exchange.Into(t.Context(), l, file, "crates.gltf")
		require.NoError(t, err)
		if len(op.Steps) == 0 {
			return l, merged
		}
		next, inverse, err := l.Apply(op)
		require.NoError(t, err)
		back, _, err := next.Apply(inverse)
		require.NoError(t, err)
		before, _ := level.Encode(l)
		after, _ := level.Encode(back)
		assert.Equal(t, string(before), string(after), "undone")
		return next, merged
	}
	_, merged := again(l, places)
	assert.Equal(t, 6, merged.Same)
	moved := []mgl64.Mat4{places[0], turned(r, one), places[2], turned(r, one)}
	next, merged := again(l, moved)
	assert.Len(t, merged.Changed, 2)
	assert.Len(t, merged.Added, 2)
	assert.Len(t, next.Geometries, 2, "the new ones show what is there")
	alone, merged := again(next, moved[:1])
	assert.Equal(t, 2, merged.Same, "scale and rotation are in the vertices now, and it stands as it stood")
	assert.Len(t, merged.Removed, 6)
	assert.Len(t, alone.Geometries, 2, "the crate that stays shows them")
	grown, merged := again(alone, []mgl64.Mat4{turned(r, one)})
	assert.Len(t, merged.Changed, 2)
	assert.Empty(t, grown.Geometries, "nothing shows them")
	assert.NotEmpty(t, grown.Meshes[0].Positions)
	assert.Equal(t, scene.Build(grown).Triangles(), 4)
}
