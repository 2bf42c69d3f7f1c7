package exchange_test

import (
	"bytes"
	"math"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/intake"
	"grotta/core/level"
)

// lampFile is a pole that is turned a quarter and scaled by two, with a shade below it that has a spot below itself.
func lampFile(t *testing.T) []byte {
	t.Helper()
	doc := gltf.NewDocument()
	half := math.Sqrt2 / 2
	mesh := func(name string) *int {
		doc.Meshes = append(doc.Meshes, &gltf.Mesh{Name: name, Primitives: []*gltf.Primitive{{
			Attributes: gltf.PrimitiveAttributes{gltf.POSITION: modeler.WritePosition(doc, [][3]float32{{0, 0, 0}, {1, 0, 0}, {0, 1, 0}})},
			Indices:    gltf.Index(modeler.WriteIndices(doc, []uint32{0, 1, 2})),
		}}})
		return gltf.Index(len(doc.Meshes) - 1)
	}
	doc.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]any{"lights": lightspunctual.Lights{{Type: "spot", Spot: &lightspunctual.Spot{OuterConeAngle: gltf.Float(0.5)}}}}}
	doc.ExtensionsUsed = []string{lightspunctual.ExtensionName}
	doc.Cameras = []*gltf.Camera{{Perspective: &gltf.Perspective{Yfov: 1, Znear: 0.1}}}
	doc.Nodes = []*gltf.Node{
		{Name: "Pole", Mesh: mesh("Pole"), Translation: [3]float64{10, 0, 0}, Rotation: [4]float64{0, half, 0, half}, Scale: [3]float64{2, 2, 2}, Children: []int{1, 3}},
		{Name: "Shade", Mesh: mesh("Shade"), Translation: [3]float64{1, 3, 0}, Children: []int{2}},
		{Name: "Bulb", Translation: [3]float64{0, -0.5, 0}, Rotation: [4]float64{-half, 0, 0, half}, Extensions: gltf.Extensions{lightspunctual.ExtensionName: map[string]int{"light": 0}}},
		{Name: "Eye", Camera: gltf.Index(0), Translation: [3]float64{0, 1, 1}},
	}
	doc.Scenes = []*gltf.Scene{{Nodes: []int{0}}}
	var b bytes.Buffer
	require.NoError(t, gltf.NewEncoder(&b).Encode(doc))
	return b.Bytes()
}

func nearVec(t *testing.T, want, got geom.Vec3, why string) {
	t.Helper()
	assert.InDeltaSlice(t, want[:], got[:], 1e-6, why)
}

func entityOf(l *level.Level, id string) *level.Entity {
	for _, p := range l.Placed() {
		if p.ID == id {
			return p.Entity
		}
	}
	return nil
}

// A light hangs on the next mesh above it, and stands where the file has it: by hand, a quarter turn about y takes
// (1, 2.5, 0) times two to (0, 5, -2).
func TestLightsHangOnWhatCarriesThem(t *testing.T) {
	l, _ := read(t, "lamp.gltf", lampFile(t), exchange.Options{})
	require.Len(t, l.Lights, 1)
	bulb, w := l.Lights[0], l.World()
	assert.Equal(t, "shade", bulb.Parent)
	nearVec(t, geom.Vec3{10, 5, -2}, w.Pose(&bulb.Entity).Position, "its place")
	nearVec(t, geom.Vec3{0, -1, 0}, w.Pose(&bulb.Entity).Forward(), "it shines down")
	require.Len(t, l.Viewpoints, 1)
	assert.Equal(t, "pole", l.Viewpoints[0].Parent)
	nearVec(t, geom.Vec3{12, 2, 0}, w.Pose(&l.Viewpoints[0].Entity).Position, "its place")
	for _, m := range l.Meshes {
		assert.Empty(t, m.Parent, "meshes of another program stand by themselves")
	}

	// Where the shade is left out, the bulb stays where it is.
	rules := &intake.Rules{Rules: []intake.ThingRule{{Thing: "shade", Skip: true}}}
	l, _ = read(t, "lamp.gltf", lampFile(t), exchange.Options{Rules: rules})
	require.Len(t, l.Meshes, 1)
	assert.Empty(t, l.Lights[0].Parent)
	nearVec(t, geom.Vec3{10, 5, -2}, geom.Vec3(l.Lights[0].Transform.Position), "its place")
}

// What hangs on what goes out and comes back, whatever the carriers are turned by, and nothing moves.
func TestHangingComesBack(t *testing.T) {
	l := level.New("Arm")
	entity := func(id, parent string, at level.Vec, turn mgl64.Quat) level.Entity {
		e := level.Default[level.Entity]()
		q := turn.Normalize()
		e.ID, e.Parent = id, parent
		e.Transform = level.Transform{Position: at, Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		return e
	}
	turn := mgl64.Quat{W: 0.8, V: geom.Vec3{0.3, 0.4, 0.2}}
	block := level.Default[level.Solid]()
	block.Entity, block.Size = entity("post", "", level.Vec{3, 1, 2}, turn), level.Vec{1, 2, 1}
	mesh := level.Default[level.Mesh]()
	mesh.Entity, mesh.Positions, mesh.Indices = entity("arm", "post", level.Vec{0, 1, 0.5}, turn), []float64{0, 0, 0, 1, 0, 0, 0, 1, 0}, []uint32{0, 1, 2}
	spot, bulb := level.NewLight("spot", level.Spot), level.NewLight("bulb", level.Point)
	spot.Entity = entity("spot", "arm", level.Vec{1, 0, 0}, turn)
	bulb.Entity = entity("bulb", "spot", level.Vec{0, 0, -0.2}, mgl64.QuatIdent())
	hidden := level.Default[level.Solid]()
	hidden.Entity, hidden.Size, hidden.Surface.Visible = entity("clip", "", level.Vec{0, 0, 9}, turn), level.Vec{1, 1, 1}, false
	loose := level.NewLight("loose", level.Point)
	loose.Entity = entity("loose", "clip", level.Vec{0, 1, 0}, mgl64.QuatIdent())
	l.Solids, l.Meshes, l.Lights = []*level.Solid{&hidden, &block}, []*level.Mesh{&mesh}, []*level.Light{bulb, spot, loose}
	require.NoError(t, l.Validate())

	data, report, err := exchange.WriteGLTF(l)
	require.NoError(t, err)
	assert.Contains(t, report.Left, "what carries 1 of the things, as it is not written itself")
	back, _ := read(t, "arm.glb", data, exchange.Options{})
	was, is := l.World(), back.World()
	for id, parent := range map[string]string{"post": "", "arm": "post", "spot": "arm", "bulb": "spot", "loose": ""} {
		before, after := entityOf(l, id), entityOf(back, id)
		require.NotNil(t, after, id)
		assert.Equal(t, parent, after.Parent, id)
		nearVec(t, was.Pose(before).Position, is.Pose(after).Position, id)
	}
	nearVec(t, was.Pose(&spot.Entity).Forward(), is.Pose(entityOf(back, "spot")).Forward(), "where the spot shines")

	// Taken in again, nothing has changed; and where the level has moved the post, the file puts it back.
	file, _ := read(t, "arm.glb", data, exchange.Options{})
	_, merged, err := exchange.Into(t.Context(), back, file, "arm.glb")
	require.NoError(t, err)
	assert.Equal(t, 2, merged.Same)
	moved, _, err := back.Apply(level.Set("post", map[string]any{"transform.position": []any{0.0, 0.0, 0.0}}))
	require.NoError(t, err)
	op, merged, err := exchange.Into(t.Context(), moved, file, "arm.glb")
	require.NoError(t, err)
	assert.Contains(t, merged.Changed, "post")
	again, _, err := moved.Apply(op)
	require.NoError(t, err)
	w := again.World()
	nearVec(t, was.Pose(entityOf(l, "arm")).Position, w.Pose(entityOf(again, "arm")).Position, "the arm")
}
