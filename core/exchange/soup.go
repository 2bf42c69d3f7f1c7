package exchange

import (
	"fmt"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// soup gathers the meshes of formats that list vertices and faces.
type soup struct {
	level     *level.Level
	ids       *level.IDs
	report    *Report
	frame     mgl64.Mat4
	mirrored  bool
	palette   palette
	triangles int
}

func newSoup(o Options, report *Report) *soup {
	l := level.New(o.Name)
	s := &soup{level: l, ids: l.NewIDs(), frame: o.frame(), report: report}
	s.mirrored = s.frame.Det() < 0
	s.palette = palette{level: l, ids: s.ids, report: report}
	return s
}

// piece is a mesh under construction: vertices of the file that it uses, each once.
type piece struct {
	mesh    *level.Mesh
	index   map[corner]uint32
	uvs     bool
	normals []geom.Vec3    // of its vertices, as the file has them
	flat    bool           // some corners have no normal
	colors  []color.Linear // of its vertices, if the file has any
}

// corner is what a corner of a face names, by the numbers of the file; -1 for none.
type corner struct{ vertex, image, normal int }

func (s *soup) begin(name, material string) *piece {
	m := level.Default[level.Mesh]()
	m.ID, m.Name = s.ids.Fresh(name), clip(name)
	m.Surface.Material = material
	return &piece{mesh: &m, index: map[corner]uint32{}}
}

// vertex is the index of a vertex in the piece.
func (s *soup) vertex(p *piece, at corner, place geom.Vec3, image [2]float64, normal geom.Vec3) uint32 {
	if i, ok := p.index[at]; ok {
		return i
	}
	i := uint32(len(p.index))
	p.index[at] = i
	w := mgl64.TransformCoordinate(place, s.frame)
	p.mesh.Positions = append(p.mesh.Positions, w[0], w[1], w[2])
	p.mesh.UVs = append(p.mesh.UVs, image[0], 1-image[1])
	p.normals = append(p.normals, normal)
	p.uvs, p.flat = p.uvs || at.image >= 0, p.flat || at.normal < 0
	return i
}

// face adds a polygon as a fan of triangles.
func (s *soup) face(p *piece, corners []uint32, where string) error {
	for i := 2; i < len(corners); i++ {
		if s.triangles++; s.triangles > level.MaxTriangles {
			return fault(where, "brings the level to more than %d triangles", level.MaxTriangles)
		}
		b, c := corners[i-1], corners[i]
		if s.mirrored { // a left-handed file: triangles go on facing outward
			b, c = c, b
		}
		p.mesh.Indices = append(p.mesh.Indices, corners[0], b, c)
	}
	return nil
}

// end adds a piece to the level, about its own middle; one without a face is left.
func (s *soup) end(p *piece) error {
	m := p.mesh
	if len(m.Indices) == 0 {
		return nil
	}
	if !p.uvs {
		m.UVs = nil
	}
	if !p.flat {
		setNormals(m, p.normals, s.frame.Mat3(), s.report)
	}
	low, high := geom.Vec3{m.Positions[0], m.Positions[1], m.Positions[2]}, geom.Vec3{m.Positions[0], m.Positions[1], m.Positions[2]}
	for i, v := range m.Positions {
		low[i%3], high[i%3] = min(low[i%3], v), max(high[i%3], v)
	}
	middle := low.Add(high).Mul(0.5)
	for i := range m.Positions {
		m.Positions[i] -= middle[i%3]
	}
	m.Transform.Position = level.Vec(middle)
	parts := []*level.Mesh{m}
	if p.colors != nil {
		parts = s.palette.take(m, p.colors, "")
	}
	s.level.Meshes = append(s.level.Meshes, parts...)
	if len(s.level.Meshes) > level.MaxEntities {
		return fault("", "holds more than %d meshes", level.MaxEntities)
	}
	return nil
}

func lineOf(n int) string { return fmt.Sprintf("/line %d", n) }
