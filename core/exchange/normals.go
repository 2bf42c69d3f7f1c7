package exchange

import (
	"math"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/qmuntal/gltf"

	"grotta/core/geom"
	"grotta/core/level"
)

// The normals of files. They are kept only where they say more than the triangles do.

// flatCos is the cosine of one degree: normals nearer to the triangle's own than that make it look flat.
const flatCos = 0.99985

// normals reads the normals of a primitive.
func (in *importer) normals(p *gltf.Primitive, turn mgl64.Mat3, at string, m *level.Mesh) error {
	index, ok := p.Attributes[gltf.NORMAL]
	if !ok {
		return nil
	}
	at += "/attributes/" + gltf.NORMAL
	acr, err := in.accessor(index, at)
	if err != nil {
		return err
	}
	read, err := in.vectors(acr, 3)
	if err != nil {
		return fault(at, "cannot be read: %v", err)
	}
	if 3*len(read) != len(m.Positions) {
		return fault(at, "has %d entries for %d vertices", len(read), len(m.Positions)/3)
	}
	normals := make([]geom.Vec3, len(read))
	for i, n := range read {
		normals[i] = geom.Vec3{n[0], n[1], n[2]}
	}
	setNormals(m, normals, turn, in.report)
	return nil
}

// setNormals gives a mesh the normals of its vertices, turned as its positions were. They are left
// out where they are those of its triangles.
func setNormals(m *level.Mesh, normals []geom.Vec3, turn mgl64.Mat3, report *Report) {
	if turn.Det() == 0 {
		return
	}
	turn = turn.Inv().Transpose()
	for i, n := range normals {
		n = turn.Mul3x1(n)
		if length := n.Len(); length < 1e-12 || math.IsNaN(length) || math.IsInf(length, 0) {
			report.note("%s: some normals have no length; it is shaded flat.", level.Visible(titleOf(m)))
			return
		}
		normals[i] = n.Normalize()
	}
	vertex := func(i uint32) geom.Vec3 { return geom.Vec3(m.Positions[3*i : 3*i+3]) }
	smooth := false
	for t := 0; t+2 < len(m.Indices) && !smooth; t += 3 {
		at := m.Indices[t : t+3]
		if int(max(at[0], at[1], at[2])) >= len(normals) {
			return // which validating tells
		}
		n := vertex(at[1]).Sub(vertex(at[0])).Cross(vertex(at[2]).Sub(vertex(at[0])))
		for k := 0; k < 3 && n.Len() > 0; k++ {
			smooth = smooth || n.Normalize().Dot(normals[at[k]]) < flatCos
		}
	}
	if !smooth {
		return
	}
	m.Normals = make([]float64, 0, 3*len(normals))
	for _, n := range normals {
		for _, v := range n {
			m.Normals = append(m.Normals, math.Round(v*1e5)/1e5)
		}
	}
}
