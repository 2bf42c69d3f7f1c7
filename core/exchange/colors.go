package exchange

import (
	"cmp"
	"fmt"
	"slices"

	"github.com/qmuntal/gltf"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// Colours of vertices. A level has its colours in materials, so a mesh of a few plain colours becomes a
// mesh for each, and one of many takes their mean.

// mostColors is the most meshes that one becomes.
const mostColors = 24

// tinted is a mesh and the colour that multiplies its material's.
type tinted struct {
	mesh *level.Mesh
	tint color.Linear
}

// byColor cuts a mesh whose vertices have colours. isMean tells whether it was left whole, with the mean
// of its colours by area.
func byColor(m *level.Mesh, colors []color.Linear) (parts []tinted, isMean bool) {
	if len(m.Indices) == 0 || 3*len(colors) != len(m.Positions) || int(slices.Max(m.Indices)) >= len(colors) {
		return []tinted{{m, color.White}}, false // which validating tells
	}
	known := map[string]int{}
	of := make([]int, len(m.Indices)/3) // the part of each triangle
	for t := range of {
		c := m.Indices[3*t:][:3]
		mean := colors[c[0]].Add(colors[c[1]]).Add(colors[c[2]]).Scale(1.0 / 3)
		name := mean.Hex()
		if _, has := known[name]; !has {
			known[name], parts = len(parts), append(parts, tinted{m, mean})
		}
		if of[t] = known[name]; len(parts) > mostColors {
			return []tinted{{m, meanColor(m, colors)}}, true
		}
	}
	for k := 0; k < len(parts) && len(parts) > 1; k++ {
		parts[k].mesh = only(m, func(t int) bool { return of[t] == k })
	}
	return parts, false
}

// meanColor is the mean of the colours of a mesh's triangles, by area.
func meanColor(m *level.Mesh, colors []color.Linear) color.Linear {
	vertex := func(i uint32) geom.Vec3 { return geom.Vec3(m.Positions[3*i : 3*i+3]) }
	var sum color.Linear
	area := 0.0
	for t := 0; t+2 < len(m.Indices); t += 3 {
		c := m.Indices[t : t+3]
		size := vertex(c[1]).Sub(vertex(c[0])).Cross(vertex(c[2]).Sub(vertex(c[0]))).Len()
		sum, area = sum.Add(colors[c[0]].Add(colors[c[1]]).Add(colors[c[2]]).Scale(size/3)), area+size
	}
	if area == 0 {
		return color.White
	}
	return sum.Scale(1 / area)
}

// only is a mesh with some of another's triangles and the vertices that they use.
func only(m *level.Mesh, takes func(triangle int) bool) *level.Mesh {
	part := *m
	part.Positions, part.Normals, part.UVs, part.Indices = nil, nil, nil, nil
	now := map[uint32]uint32{}
	for t := 0; 3*t+2 < len(m.Indices); t++ {
		if !takes(t) {
			continue
		}
		for _, i := range m.Indices[3*t:][:3] {
			k, known := now[i]
			if !known {
				k = uint32(len(now))
				now[i] = k
				part.Positions = append(part.Positions, m.Positions[3*i:][:3]...)
				if len(m.Normals) > 0 {
					part.Normals = append(part.Normals, m.Normals[3*i:][:3]...)
				}
				if len(m.UVs) > 0 {
					part.UVs = append(part.UVs, m.UVs[2*i:][:2]...)
				}
			}
			part.Indices = append(part.Indices, k)
		}
	}
	return &part
}

// palette makes the materials that colours of vertices need, each once.
type palette struct {
	level  *level.Level
	ids    *level.IDs
	report *Report
	made   map[string]string // ids, by that of the material and the tint
}

// tint is the id of a material times a colour. "" is a plain white one.
func (p *palette) tint(id string, by color.Linear, place string) string {
	if by.Hex() == "#ffffff" && id != "" {
		return id
	}
	key := id + " " + by.Hex()
	if known := p.made[key]; known != "" {
		return known
	}
	m := level.Default[level.Material]()
	m.Color = "#ffffff"
	if base := level.ByID[level.Material](p.level, id); base != nil {
		if base.Emission > 0 {
			p.report.leave("%s: the colours of vertices, as its material shines", place)
			return id
		}
		m = *base
	}
	albedo := m.Albedo().Mul(by)
	for c := range albedo {
		albedo[c] = unit(albedo[c])
	}
	m.Color = albedo.Exact()
	m.Name = clip(fmt.Sprintf("%s %s", cmp.Or(m.Name, id, "Colour"), albedo.Hex()))
	m.ID = p.ids.Fresh(m.Name)
	p.report.from("materials", len(p.level.Materials), place)
	p.level.Materials = append(p.level.Materials, &m)
	if p.made == nil {
		p.made = map[string]string{}
	}
	p.made[key] = m.ID
	return m.ID
}

// take gives meshes the materials of their colours.
func (p *palette) take(m *level.Mesh, colors []color.Linear, place string) []*level.Mesh {
	parts, isMean := byColor(m, colors)
	if isMean {
		p.report.note("%s: %s has more than %d colours at its vertices; their mean is taken.", place, level.Visible(titleOf(m)), mostColors)
	}
	out := make([]*level.Mesh, len(parts))
	for i, part := range parts {
		part.mesh.Surface.Material = p.tint(m.Surface.Material, part.tint, place)
		if i > 0 {
			part.mesh.Name = clip(fmt.Sprintf("%s %d", titleOf(m), i+1))
			part.mesh.ID = p.ids.Fresh(part.mesh.Name)
		}
		out[i] = part.mesh
	}
	return out
}

// colors reads the colours of the vertices of a primitive; nil where it has none.
func (in *importer) colors(p *gltf.Primitive, at string) ([]color.Linear, error) {
	index, ok := p.Attributes[gltf.COLOR_0]
	if !ok {
		return nil, nil
	}
	at += "/attributes/" + gltf.COLOR_0
	acr, err := in.accessor(index, at)
	if err != nil {
		return nil, err
	}
	components := 3
	if acr.Type == gltf.AccessorVec4 {
		components = 4
	}
	read, err := in.vectors(acr, components)
	if err != nil {
		return nil, fault(at, "cannot be read: %v", err)
	}
	out := make([]color.Linear, len(read))
	for i, v := range read {
		out[i] = color.Linear{unit(v[0]), unit(v[1]), unit(v[2])}
	}
	return out, nil
}
