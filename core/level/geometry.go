package level

import (
	"errors"
	"fmt"
	"iter"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/geom"
)

// ScaleOf is how far a mesh is scaled along each of its own axes.
func (m *Mesh) ScaleOf() geom.Vec3 {
	if m.Scale == (Vec{}) {
		return geom.Vec3{1, 1, 1}
	}
	return geom.Vec3(m.Scale)
}

// Vertex is a vertex of a mesh in its own space, scaled.
func (m *Mesh) Vertex(i uint32) geom.Vec3 {
	v := geom.Vec3(m.Positions[3*i : 3*i+3])
	if m.Scale == (Vec{}) {
		return v
	}
	return geom.Vec3{v[0] * m.Scale[0], v[1] * m.Scale[1], v[2] * m.Scale[2]}
}

// Normal is the direction, of any length, that a vertex of a mesh with normals faces in the mesh's
// own space, scaled.
func (m *Mesh) Normal(i uint32) geom.Vec3 {
	n := geom.Vec3(m.Normals[3*i : 3*i+3])
	if m.Scale == (Vec{}) {
		return n
	}
	return geom.Vec3{n[0] / m.Scale[0], n[1] / m.Scale[1], n[2] / m.Scale[2]}
}

// Vertices are the vertices of a mesh in its own space, scaled.
func (m *Mesh) Vertices() iter.Seq[geom.Vec3] {
	return func(yield func(geom.Vec3) bool) {
		for i := range m.CountVertices() {
			if !yield(m.Vertex(uint32(i))) {
				return
			}
		}
	}
}

// CountVertices is how many there are.
func (t *Triangles) CountVertices() int { return len(t.Positions) / 3 }

// are tells whether two hold the same lists, not only equal ones.
func (t *Triangles) are(other *Triangles) bool {
	return sameList(t.Positions, other.Positions) && sameList(t.Indices, other.Indices) && sameList(t.UVs, other.UVs) && sameList(t.Normals, other.Normals)
}

func sameList[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// shareGeometries gives the meshes that show a geometry its triangles. A mesh that others may be
// reading is replaced, not changed.
func (l *Level) shareGeometries() {
	if !slices.ContainsFunc(l.Meshes, func(m *Mesh) bool { return m.Geometry != "" }) {
		return
	}
	byID := make(map[string]*Geometry, len(l.Geometries))
	for _, g := range l.Geometries {
		byID[g.ID] = g
	}
	owned := false
	for i, m := range l.Meshes {
		g := byID[m.Geometry]
		if g == nil || m.Triangles.are(&g.Triangles) {
			continue
		}
		if !owned {
			l.Meshes, owned = slices.Clone(l.Meshes), true
		}
		next := *m
		next.Triangles = g.Triangles
		l.Meshes[i] = &next
	}
}

// check finds triangles that cannot be built.
func (t *Triangles) check(f *faults, path string) {
	count := t.CountVertices()
	if len(t.Positions)%3 != 0 {
		f.add(path+"/positions", "has %d numbers; a multiple of three is needed", len(t.Positions))
	}
	if len(t.Indices)%3 != 0 {
		f.add(path+"/indices", "has %d numbers; a multiple of three is needed", len(t.Indices))
	}
	if n := len(t.UVs); n > 0 && n != 2*count {
		f.add(path+"/uvs", "has %d numbers; two for each of the %d vertices are needed", n, count)
	}
	if n := len(t.Normals); n > 0 && n != len(t.Positions) {
		f.add(path+"/normals", "has %d numbers; three for each of the %d vertices are needed", n, count)
	}
	for j := 0; j+2 < len(t.Normals); j += 3 {
		if n := geom.Vec3(t.Normals[j : j+3]).Len(); n < 1e-6 {
			f.add(fmt.Sprintf("%s/normals/%d", path, j), "begins a normal of no length")
			break
		}
	}
	for j, v := range t.Indices {
		if int(v) >= count {
			f.add(fmt.Sprintf("%s/indices/%d", path, j), "is %d; the mesh has %d vertices", v, count)
			break
		}
	}
}

func (m *Mesh) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Mesh
	if err := decodeDefaulted(d, (*plain)(m)); err != nil {
		return err
	}
	if m.Geometry != "" && (m.Positions != nil || m.Indices != nil || m.UVs != nil || m.Normals != nil) {
		return errors.New("shows a geometry and has positions, indices, uvs or normals of its own; leave out one or the other")
	}
	return nil
}

// MarshalJSONTo leaves out the triangles that belong to a geometry.
func (m *Mesh) MarshalJSONTo(e *jsontext.Encoder) error {
	type plain Mesh
	next := plain(*m)
	if m.Geometry != "" {
		next.Triangles = Triangles{}
	}
	return json.MarshalEncode(e, &next)
}
