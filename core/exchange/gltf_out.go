package exchange

import (
	"bytes"
	"cmp"
	"math"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/lightspunctual"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// WriteGLTF writes a level as binary glTF 2.0: a node for each solid and mesh
// with its base colours, and one for each light that is on. What glTF has no
// place for, such as glows, zones and shadows, is left out.
func WriteGLTF(l *level.Level) ([]byte, error) {
	doc := gltf.NewDocument()
	doc.Asset.Generator = "Grotta"
	out := &exporter{doc: doc, scene: scene.Build(l), material: map[*level.Material]int{}}
	out.geometry()
	out.lights(l)
	var b bytes.Buffer
	enc := gltf.NewEncoder(&b)
	enc.AsBinary = true
	if err := enc.Encode(doc); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

type exporter struct {
	doc      *gltf.Document
	scene    *scene.Scene
	material map[*level.Material]int
}

// geometry writes the surfaces of each entity as one mesh with one primitive
// for each material, placed relative to the entity.
func (x *exporter) geometry() {
	surfaces := x.scene.Surfaces
	for from := 0; from < len(surfaces); {
		to := from
		for to < len(surfaces) && surfaces[to].Body().Entity == surfaces[from].Body().Entity {
			to++
		}
		x.entity(surfaces[from:to])
		from = to
	}
}

func (x *exporter) entity(surfaces []scene.Surface) {
	place := x.scene.CornersOf(int(surfaces[0].First))[0]
	mesh := &gltf.Mesh{Name: surfaces[0].Body().Entity}
	for _, material := range materialsOf(surfaces) {
		var positions, normals [][3]float32
		var indices []uint32
		for i := range surfaces {
			if s := &surfaces[i]; s.Finish().Material == material && s.Finish().Roles.Visible {
				for t := range x.scene.Corners(s) {
					n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Normalize()
					for _, v := range t {
						indices = append(indices, uint32(len(positions)))
						positions = append(positions, f32(v.Sub(place)))
						normals = append(normals, unit32(n))
					}
				}
			}
		}
		if len(positions) == 0 {
			continue
		}
		index := x.materialIndex(material)
		mesh.Primitives = append(mesh.Primitives, &gltf.Primitive{
			Attributes: gltf.PrimitiveAttributes{
				gltf.POSITION: modeler.WritePosition(x.doc, positions),
				gltf.NORMAL:   modeler.WriteNormal(x.doc, normals),
			},
			Indices:  gltf.Index(modeler.WriteIndices(x.doc, indices)),
			Material: gltf.Index(index),
		})
	}
	if len(mesh.Primitives) == 0 {
		return
	}
	x.doc.Meshes = append(x.doc.Meshes, mesh)
	x.node(&gltf.Node{Name: mesh.Name, Mesh: gltf.Index(len(x.doc.Meshes) - 1), Translation: place})
}

func materialsOf(surfaces []scene.Surface) []*level.Material {
	var list []*level.Material
	seen := map[*level.Material]bool{}
	for i := range surfaces {
		if m := surfaces[i].Finish().Material; !seen[m] {
			seen[m] = true
			list = append(list, m)
		}
	}
	return list
}

func (x *exporter) materialIndex(m *level.Material) int {
	if i, ok := x.material[m]; ok {
		return i
	}
	a := m.Albedo()
	x.doc.Materials = append(x.doc.Materials, &gltf.Material{
		Name: cmp.Or(m.Name, m.ID, "plain"),
		PBRMetallicRoughness: &gltf.PBRMetallicRoughness{
			BaseColorFactor: &[4]float64{a[0], a[1], a[2], 1},
			MetallicFactor:  gltf.Float(0),
			RoughnessFactor: gltf.Float(1),
		},
	})
	x.material[m] = len(x.doc.Materials) - 1
	return x.material[m]
}

func (x *exporter) node(n *gltf.Node) {
	x.doc.Nodes = append(x.doc.Nodes, n)
	x.doc.Scenes[0].Nodes = append(x.doc.Scenes[0].Nodes, len(x.doc.Nodes)-1)
}

// lights writes the colour so that no channel exceeds 1, as glTF asks, and
// gives the intensity what that took.
func (x *exporter) lights(l *level.Level) {
	var lights lightspunctual.Lights
	for _, light := range l.Lights {
		if !light.Surfaces {
			continue // it shows in fog alone, which glTF has not
		}
		if !light.Enabled {
			continue
		}
		c := l.Color(light)
		most := max(c[0], c[1], c[2], 1e-9)
		if most < 1 && light.Color != "" {
			most = 1 // a chosen dark colour stays as it was written
		}
		rgb := [3]float64(c.Scale(1 / most))
		kind, candela := standIn(light)
		out := &lightspunctual.Light{
			Type: kind, Name: cmp.Or(light.Name, light.ID),
			Color: clamp(rgb), Intensity: gltf.Float(l.Strength(light) * candela * most),
		}
		if light.RangeM > 0 && kind != level.Directional {
			out.Range = gltf.Float(light.RangeM)
		}
		if kind == level.Spot {
			outer, inner := light.OuterDeg*math.Pi/180, light.InnerDeg*math.Pi/180
			if light.Kind != level.Spot {
				outer, inner = math.Pi/2, 0 // what shines to one side
			}
			inner = min(inner, outer-1e-6) // the standard wants it smaller
			out.Spot = &lightspunctual.Spot{InnerConeAngle: max(0, inner), OuterConeAngle: &outer}
		}
		pose := x.scene.World.Pose(&light.Entity)
		q := pose.Rotation
		lights = append(lights, out)
		x.node(&gltf.Node{
			Name: light.ID, Translation: pose.Position,
			Rotation:   [4]float64{q.V[0], q.V[1], q.V[2], q.W},
			Extensions: gltf.Extensions{lightspunctual.ExtensionName: map[string]int{"light": len(lights) - 1}},
		})
	}
	if len(lights) > 0 {
		x.doc.Extensions = gltf.Extensions{lightspunctual.ExtensionName: map[string]any{"lights": lights}}
		x.doc.ExtensionsUsed = append(x.doc.ExtensionsUsed, lightspunctual.ExtensionName)
	}
}

// standIn is the kind of glTF that a light becomes, and what its strength is
// multiplied by: glTF has points, spots and parallel light. A rect of L nits and
// area A shines L A candela along its axis, so it becomes a spot as wide as can
// be; a tube, 2 r length L across, a point; a box loses its edges.
func standIn(l *level.Light) (kind string, factor float64) {
	switch l.Kind {
	case level.Dome:
		return level.Spot, 1
	case level.BoxLight:
		return level.Directional, 1
	case level.Rect:
		return level.Spot, l.WidthM * l.HeightM
	case level.Tube:
		return level.Point, 2 * max(l.RadiusM, 0.01) * l.LengthM
	}
	return l.Kind, 1
}

func clamp(c color.Linear) *[3]float64 {
	for i := range c {
		c[i] = min(max(c[i], 0), 1)
	}
	return (*[3]float64)(&c)
}

func f32(v geom.Vec3) [3]float32 { return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])} }

// unit32 is a normal whose length is 1 to float32's precision.
func unit32(n geom.Vec3) [3]float32 { return f32(n.Normalize()) }
