package bake

import "grotta/core/lightmap"

// What a bake may hold beside its layers, and what it does hold, in bytes. The second
// list is of what the structures take; BenchmarkMemory shows whether it is right.
const (
	mayTexel    = 200
	mayTriangle = 160

	holdsTriangle = 145 // of a block; of a mesh it is less
	holdsChart    = 112
	holdsPatch    = 150 // its links, and the three tables of the solve
	holdsPlace    = 4   // of a chart without its padding

	eachTexel = 2 // of each source: its direct light, of a white one
	eachPatch = 6 // what comes back of it
	eachRow   = 24
)

// Together is how many of some sources are baked at once: they share their rays, and
// each takes memory. All of them if they fit, else even parts.
func (p *Prepared) Together(sources int) int {
	patches, places, window := 0, 0, 0
	for i := range p.Layout.Charts {
		c := &p.Layout.Charts[i]
		w, h, side := c.Width-2*lightmap.PaddingTexels, c.Height-2*lightmap.PaddingTexels, patchSide(c)
		patches += (w + side - 1) / side * ((h + side - 1) / side)
		places += w * h
	}
	groups := p.groups()
	for i := range groups {
		window = max(window, groups[i].window)
	}
	texels := len(p.Texels.List)
	room := mayTexel*texels + (mayTriangle-holdsTriangle)*len(p.Scene.Triangles) -
		p.Texels.Bytes() - holdsChart*len(p.Layout.Charts) - holdsPatch*patches - holdsPlace*places
	each := eachTexel*texels + eachPatch*patches + eachRow*window
	most := min(max(room/max(each, 1), 1), max(sources, 1))
	parts := (sources + most - 1) / most
	return (sources + parts - 1) / max(parts, 1)
}
