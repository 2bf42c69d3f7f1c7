package exchange

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"github.com/qmuntal/gltf"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// Colours of vertices. A level has its colours in materials, so a mesh of a few plain colours becomes a
// mesh for each, and one of many becomes a mesh for each of the colours that stand for them.

// mostColors is the most meshes that one becomes.
const mostColors = 24

// tinted is a mesh and the colour that multiplies its material's.
type tinted struct {
	mesh *level.Mesh
	tint color.Linear
}

// swatch is the triangles of a mesh that have one colour.
type swatch struct {
	color     color.Linear
	area      float64
	triangles []int
}

// byColor cuts a mesh whose vertices have colours. all is how many colours it has.
func byColor(m *level.Mesh, colors []color.Linear) (parts []tinted, all int) {
	if len(m.Indices) == 0 || 3*len(colors) != len(m.Positions) || int(slices.Max(m.Indices)) >= len(colors) {
		return []tinted{{m, color.White}}, 1 // which validating tells
	}
	swatches := swatchesOf(m, colors)
	all = len(swatches)
	if all == 1 {
		return []tinted{{m, swatches[0].color}}, 1
	}
	of := make([]int, len(m.Indices)/3) // the part of each triangle
	for k, group := range inGroups(swatches, mostColors) {
		for _, s := range group {
			for _, t := range s.triangles {
				of[t] = k
			}
		}
		parts = append(parts, tinted{m, meanColor(group)})
	}
	for k := 0; k < len(parts) && len(parts) > 1; k++ {
		parts[k].mesh = only(m, func(t int) bool { return of[t] == k })
	}
	return parts, all
}

// swatchesOf are the triangles of a mesh by their colours, to 8 bits for each channel.
func swatchesOf(m *level.Mesh, colors []color.Linear) (list []swatch) {
	vertex := func(i uint32) geom.Vec3 { return geom.Vec3(m.Positions[3*i : 3*i+3]) }
	known := map[string]int{}
	for t := range len(m.Indices) / 3 {
		c := m.Indices[3*t:][:3]
		mean := colors[c[0]].Add(colors[c[1]]).Add(colors[c[2]]).Scale(1.0 / 3)
		name := mean.Hex()
		k, has := known[name]
		if !has {
			k = len(list)
			known[name], list = k, append(list, swatch{color: mean})
		}
		list[k].area += vertex(c[1]).Sub(vertex(c[0])).Cross(vertex(c[2]).Sub(vertex(c[0]))).Len() / 2
		list[k].triangles = append(list[k].triangles, t)
	}
	return list
}

// inGroups puts colours into so many groups of alike ones at most (Heckbert 1982, median cut): the group that
// spreads over most of a channel, as sRGB has it, is cut at the middle of its area.
func inGroups(swatches []swatch, most int) [][]swatch {
	if len(swatches) <= most {
		return slices.Collect(slices.Chunk(swatches, 1))
	}
	groups := [][]swatch{swatches}
	for len(groups) < most {
		widest, by, width := -1, 0, -1.0
		for k, g := range groups {
			if len(g) < 2 {
				continue
			}
			for c := range 3 {
				low, high := math.Inf(1), math.Inf(-1)
				for _, s := range g {
					v := color.EncodeSRGB(s.color[c])
					low, high = min(low, v), max(high, v)
				}
				if high-low > width {
					widest, by, width = k, c, high-low
				}
			}
		}
		g := groups[widest]
		slices.SortStableFunc(g, func(a, b swatch) int { return cmp.Compare(a.color[by], b.color[by]) })
		at := middleOf(g)
		groups[widest] = g[:at]
		groups = append(groups, g[at:])
	}
	return groups
}

// middleOf is where the second half of the area begins; neither half is empty.
func middleOf(g []swatch) int {
	whole, sum := 0.0, 0.0
	for _, s := range g {
		whole += s.area
	}
	for i, s := range g[:len(g)-1] {
		if sum += s.area; sum >= whole/2 {
			return i + 1
		}
	}
	return len(g) - 1
}

// meanColor is the mean of colours by their area.
func meanColor(g []swatch) color.Linear {
	var sum, plain color.Linear
	area := 0.0
	for _, s := range g {
		sum, plain, area = sum.Add(s.color.Scale(s.area)), plain.Add(s.color), area+s.area
	}
	if area == 0 {
		return plain.Scale(1 / float64(len(g)))
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
	parts, all := byColor(m, colors)
	if all > len(parts) {
		where := ""
		if place != "" {
			where = place + ": "
		}
		p.report.note("%s%s has %d colours at its vertices; it takes %d that stand for them.", where, level.Visible(titleOf(m)), all, len(parts))
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
