package gather

import (
	"grotta/core/lightmap"
	"grotta/core/radiosity"
	"grotta/core/smooth"
)

// texelField is the texels of a group. reach is in texels.
func (g *Group) texelField(m *lightmap.Map, reach int) *smooth.Field {
	f := &smooth.Field{Around: make([]smooth.Surroundings, g.size()), Reach: reach, Place: make([]int32, g.size())}
	f.CellAt = make([]int32, 0, g.places(m))
	for ci := g.From; ci < g.To; ci++ {
		first, end := m.Texels.Of(ci)
		if first == end {
			continue
		}
		c := &m.Layout.Charts[ci]
		width, height := c.Size()
		s := smooth.Cells{First: first - g.First, Places: len(f.CellAt), Width: width, Height: height, Step: 1, PerM: c.Density}
		f.Charts = append(f.Charts, s)
		for range width * height {
			f.CellAt = append(f.CellAt, -1)
		}
		for i := s.First; i < end-g.First; i++ {
			x, y := m.Layout.PlaceIn(c, m.Texels.List[g.First+i].Index)
			f.Place[i] = int32(y*width + x)
			f.CellAt[s.Places+int(f.Place[i])] = int32(i)
		}
	}
	return f
}

// places is how many places the charts of a group have that have texels.
func (g *Group) places(m *lightmap.Map) (sum int) {
	for ci := g.From; ci < g.To; ci++ {
		if m.Texels.Has(ci) {
			width, height := m.Layout.Charts[ci].Size()
			sum += width * height
		}
	}
	return sum
}

// patchField is the patches of a group. reach is in patches.
func (g *Group) patchField(m *lightmap.Map, links *radiosity.Links, reach int) *smooth.Field {
	first, end := links.Grid(g.From).First, links.Grid(g.To-1).End
	f := &smooth.Field{Around: links.Around(first, end), Place: make([]int32, end-first), Reach: reach}
	for ci := g.From; ci < g.To; ci++ {
		if !m.Texels.Has(ci) {
			continue
		}
		grid := links.Grid(ci)
		f.Charts = append(f.Charts, smooth.Cells{First: grid.First - first, Places: len(f.CellAt), Width: grid.Width, Height: grid.Height, Step: grid.Side, PerM: m.Layout.Charts[ci].Density / float64(grid.Side)})
		for y := range grid.Height {
			for x := range grid.Width {
				patch, _ := links.PatchAt(grid, x, y)
				f.CellAt = append(f.CellAt, patch-int32(first))
			}
		}
		for patch := grid.First; patch < grid.End; patch++ {
			x, y := m.PlaceOf(&m.Layout.Charts[ci], links.FirstTexel(patch))
			f.Place[patch-first] = int32(y*grid.Width + x)
		}
	}
	return f
}
