package bake

import (
	"grotta/core/lists"
	"grotta/core/source"
)

// The memory that a bake may use beside its layers, in bytes, and the estimate of what it
// uses beside the prepared level. BenchmarkMemory measures how good the estimate is.
const (
	mayTexel    = 200
	mayTriangle = 160
	keepsFree   = 25 // one part in so many: what is let go counts until it is collected

	holdsChart = 8   // where its patches and places begin
	holdsPatch = 98  // its links and what is known about it
	holdsRow   = 16  // of a solve
	holdsPlace = 4   // of a chart with texels, without its padding
	holdsDark  = 8   // of a chunk of texels, for each channel of a source's direct light
	holdsLit   = 144 // more where that may fall
)

// Together is how many of some sources, from the first on, are baked at once. They share
// their rays, but each takes memory. All of them go together if they fit; otherwise they
// are divided into equal parts.
func (p *Prepared) Together(sources []*source.Source) int {
	patches, places, window := 0, 0, 0
	for i := range p.Layout.Charts {
		c := &p.Layout.Charts[i]
		w, h := c.Inner()
		side := patchSide(c)
		first, end := p.Texels.Of(i)
		patches += min((w+side-1)/side*((h+side-1)/side), end-first)
		if first < end {
			places += w * h
		}
	}
	groups := p.groups()
	for i := range groups {
		window = max(window, groups[i].window)
	}
	charts := len(p.Layout.Charts)
	may := mayTexel*len(p.Texels.List) + mayTriangle*p.Scene.Triangles()
	room := may - may/keepsFree - p.memoryBytes() -
		holdsChart*charts - holdsPatch*patches - holdsRow*(2*patches+stretchOf(patches)) - holdsPlace*places
	fit := 0
	for direct := 0; fit < len(sources); fit++ {
		s, lit := sources[fit], 0
		p.lit(s, func(int) { lit++ })
		direct += max(s.Channels(), 1)*holdsDark*len(p.bounds) + s.Channels()*holdsLit*lit
		takes := columnsOf(fit+1)*(2*patches+8*window) + direct + (fit+1)*charts
		if fit >= 2 && takes > room { // the second one shares its columns with the first
			break
		}
	}
	if fit == len(sources) {
		return fit
	}
	parts := (len(sources) + fit - 1) / fit
	return min(fit, (len(sources)+parts-1)/parts)
}

// memoryBytes estimates the memory of the prepared level, without its document.
func (p *Prepared) memoryBytes() int {
	return p.Scene.MemoryBytes() + p.Layout.MemoryBytes() + p.Texels.MemoryBytes() + p.Seams.MemoryBytes() +
		lists.MemoryBytes(p.bounds) + lists.MemoryBytes(p.runs)
}
