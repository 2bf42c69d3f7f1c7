package exchange

import (
	"cmp"
	"fmt"
	"math"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/geom"
	"grotta/core/level"
)

// Meshes of glTF. One that nodes show once has their scale and rotation in its vertices. One that they
// show several times becomes a geometry, and a mesh in each place that shows it. Of what an export has
// made, scale and rotation stay with the mesh, as they were.

// form is what a primitive becomes: triangles with a material.
type form struct {
	level.Mesh
	geometry string    // "" where it is shown once
	base     geom.Vec3 // the scale that is in its triangles; none where the rotation is in them too
}

// mostScale is how much larger or smaller than its geometry a mesh is shown; beyond it has its own triangles.
const mostScale = 1000

// isNear tells whether a geometry can be shown at a scale.
func (f *form) isNear(scale geom.Vec3) bool {
	for axis := range scale {
		if by := scale[axis] / f.base[axis]; by > mostScale || by < 1.0/mostScale {
			return false
		}
	}
	return true
}

// formKey names the forms of a primitive that is shown several times. What is mirrored has other forms.
type formKey struct {
	mesh, primitive int
	mirrored        bool
}

// countShown counts how often nodes show each mesh.
func (in *importer) countShown() {
	in.shown = map[int]int{}
	for _, n := range in.doc.Nodes {
		if n.Mesh != nil {
			in.shown[*n.Mesh]++
			if rawExtension(n.Extensions[instancing]) != nil {
				in.shown[*n.Mesh]++ // or more often
			}
		}
	}
}

// mesh adds one mesh for each material of a node.
func (in *importer) mesh(n *gltf.Node, index int, world mgl64.Mat4, path string) error {
	if index < 0 || index >= len(in.doc.Meshes) {
		return fault(path+"/mesh", "is %d; the file has %d meshes", index, len(in.doc.Meshes))
	}
	stand, isPlain := standOf(world)
	shares, ours := in.shown[index] > 1 && isPlain, isPlain && marked(n.Extras, "id") != ""
	for i, p := range in.doc.Meshes[index].Primitives {
		at := fmt.Sprintf("/meshes/%d/primitives/%d", index, i)
		if isMarked(p.Extras, "back") {
			continue // the front stands for it
		}
		if p.Mode != gltf.PrimitiveTriangles && p.Mode != gltf.PrimitiveTriangleStrip && p.Mode != gltf.PrimitiveTriangleFan {
			in.report.leave("%s: points or lines", at)
			continue
		}
		name := cmp.Or(n.Name, in.doc.Meshes[index].Name, "mesh")
		key := formKey{index, i, stand.mirrored}
		forms, known := in.forms[key]
		if known && shares && len(forms) > 0 && !forms[0].isNear(stand.scale) {
			shares = false
		}
		if !known || !shares {
			turn, base := world.Mat3(), geom.Vec3{}
			if ours {
				base = geom.Vec3{1, 1, 1}
			} else if shares {
				base = stand.scale
			}
			if base != (geom.Vec3{}) {
				turn = stand.only(base)
			}
			var err error
			if forms, err = in.read(p, turn, name, at); err != nil {
				return err
			}
			for k := range forms {
				forms[k].base = base
			}
		}
		if shares && !known {
			in.share(in.doc.Meshes[index], forms, at)
			in.forms[key] = forms
		}
		for k := range forms {
			if err := in.show(n, &forms[k], k, name, world, stand, at); err != nil {
				return err
			}
		}
	}
	return nil
}

// read reads the forms of a primitive, one for each colour of its vertices, under a matrix.
func (in *importer) read(p *gltf.Primitive, turn mgl64.Mat3, name, at string) ([]form, error) {
	m := level.Default[level.Mesh]()
	m.Name = clip(name)
	if p.Material != nil {
		id, err := in.material(*p.Material, at)
		if err != nil {
			return nil, err
		}
		m.Surface.Material = id
	}
	if err := in.readVertices(p, turn, at, &m); err != nil {
		return nil, err
	}
	if err := in.uvs(p, at, &m); err != nil {
		return nil, err
	}
	if err := in.normals(p, turn, at, &m); err != nil {
		return nil, err
	}
	colors, err := in.colors(p, at)
	if err != nil {
		return nil, err
	}
	if colors == nil {
		return []form{{Mesh: m}}, nil
	}
	var forms []form
	for _, part := range in.palette.take(&m, colors, at) {
		forms = append(forms, form{Mesh: *part})
	}
	return forms, nil
}

// share makes geometries of forms that are shown several times.
func (in *importer) share(mesh *gltf.Mesh, forms []form, at string) {
	for k := range forms {
		f := &forms[k]
		name := cmp.Or(mesh.Name, f.Name)
		g := &level.Geometry{ID: in.idOf(mesh.Extras, name+" geometry"), Name: clip(name), Triangles: f.Triangles}
		if k > 0 {
			g.Name = clip(fmt.Sprintf("%s %d", name, k+1))
		}
		in.report.from("geometries", len(in.level.Geometries), at)
		in.level.Geometries = append(in.level.Geometries, g)
		f.geometry = g.ID
	}
}

// show adds a mesh of a form in its place.
func (in *importer) show(n *gltf.Node, f *form, number int, name string, world mgl64.Mat4, stand stand, at string) error {
	m := f.Mesh
	m.Geometry = f.geometry
	if number > 0 {
		name = fmt.Sprintf("%s %d", name, number+1)
		m.ID = in.ids.Fresh(name)
	} else {
		m.ID = in.idOf(n.Extras, name)
	}
	if m.Name = clip(name); m.Name == m.ID {
		m.Name = ""
	}
	m.Transform.Position = level.Vec(world.Col(3).Vec3())
	if f.base != (geom.Vec3{}) {
		q := stand.rotation
		m.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
		for axis, own := range f.base {
			if m.Scale[axis] = stand.scale[axis] / own; math.Abs(m.Scale[axis]-1) < 1e-6 {
				m.Scale[axis] = 1
			}
		}
		if m.Scale == (level.Vec{1, 1, 1}) {
			m.Scale = level.Vec{}
		}
	}
	takeRole(n, &m)
	if in.triangles += len(m.Indices) / 3; in.triangles > level.MaxTriangles {
		return fault(at, "brings the level to more than %d triangles", level.MaxTriangles)
	}
	if len(in.level.Meshes) >= level.MaxEntities {
		return fault("/nodes", "hold more than %d meshes", level.MaxEntities)
	}
	in.report.from("meshes", len(in.level.Meshes), at)
	in.level.Meshes = append(in.level.Meshes, &m)
	return nil
}

// stand is how a node stands: turned after it was scaled, and mirrored in x before that.
type stand struct {
	rotation mgl64.Quat
	scale    geom.Vec3
	mirrored bool
}

// standOf takes a matrix apart; false where it shears, or leaves nothing.
func standOf(world mgl64.Mat4) (s stand, ok bool) {
	m := world.Mat3()
	s.mirrored = m.Det() < 0
	if s.mirrored {
		m = m.Mul3(mgl64.Diag3(geom.Vec3{-1, 1, 1}))
	}
	var axes [3]geom.Vec3
	for k := range axes {
		axes[k] = m.Col(k)
		if s.scale[k] = axes[k].Len(); s.scale[k] < 1e-9 {
			return s, false
		}
		axes[k] = axes[k].Mul(1 / s.scale[k])
	}
	const square = 1e-6
	if math.Abs(axes[0].Dot(axes[1])) > square || math.Abs(axes[1].Dot(axes[2])) > square || math.Abs(axes[2].Dot(axes[0])) > square {
		return s, false
	}
	s.rotation = mgl64.Mat4ToQuat(mgl64.Mat3FromCols(axes[0], axes[1], axes[2]).Mat4()).Normalize()
	return s, true
}

// only is a scale, mirrored as the node is.
func (s *stand) only(scale geom.Vec3) mgl64.Mat3 {
	if s.mirrored {
		scale[0] = -scale[0]
	}
	return mgl64.Diag3(scale)
}

func (in *importer) readVertices(p *gltf.Primitive, turn mgl64.Mat3, at string, m *level.Mesh) error {
	index, ok := p.Attributes[gltf.POSITION]
	if !ok {
		return fault(at+"/attributes", "have no POSITION")
	}
	acr, err := in.accessor(index, at+"/attributes/POSITION")
	if err != nil {
		return err
	}
	if in.vertices += acr.Count; in.vertices > maxVertices {
		return fault(at, "brings the level to more than %d vertices", maxVertices)
	}
	positions, err := in.vectors(acr, 3)
	if err != nil {
		return fault(at+"/attributes/POSITION", "cannot be read: %v", err)
	}
	for _, v := range positions {
		w := turn.Mul3x1(geom.Vec3{v[0], v[1], v[2]})
		m.Positions = append(m.Positions, w[0], w[1], w[2])
	}
	if p.Indices == nil {
		for i := range positions {
			m.Indices = append(m.Indices, uint32(i))
		}
	} else {
		acr, err := in.accessor(*p.Indices, at+"/indices")
		if err != nil {
			return err
		}
		most := acr.Count / 3
		if p.Mode != gltf.PrimitiveTriangles {
			most = acr.Count
		}
		if in.triangles+most > level.MaxTriangles {
			return fault(at, "brings the level to more than %d triangles", level.MaxTriangles)
		}
		if m.Indices, err = modeler.ReadIndices(in.doc, acr, nil); err != nil {
			return fault(at+"/indices", "cannot be read: %v", err)
		}
	}
	m.Indices = asTriangles(p.Mode, m.Indices)
	if turn.Det() < 0 { // mirrored: keep triangles facing outward
		for i := 0; i+2 < len(m.Indices); i += 3 {
			m.Indices[i+1], m.Indices[i+2] = m.Indices[i+2], m.Indices[i+1]
		}
	}
	return nil
}
