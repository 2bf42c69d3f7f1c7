package bake

import (
	"grotta/core/direct"
	"grotta/core/gather"
	"grotta/core/radiosity"
	"grotta/core/source"
)

// The memory that a bake may use beside its layers, in bytes. BenchmarkMemory measures it.
const (
	texelBytes    = 200
	triangleBytes = 160
	keepsFree     = 25 // one part in so many: what is let go counts until it is collected
)

// Together is how many of some sources, from the first on, are baked at once. They share
// their rays, but each takes memory. All of them go together if they fit; otherwise they
// are divided into equal parts.
func (p *Prepared) Together(sources []*source.Source, q Quality) int {
	links, groups := radiosity.MemoryOf(p.Map), gather.Groups(p.Map)
	may := texelBytes*len(p.Texels.List) + triangleBytes*p.Scene.Triangles()
	room := may - may/keepsFree - p.MemoryBytes() - links.Links
	fit, effort := 0, q.effort()
	for each := 0; fit < len(sources); fit++ {
		each += direct.MemoryBytes(p.Map, sources[fit]) + len(p.Layout.Charts) // its light and its packer
		takes := links.Sent(fit+1, effort.Fans == nil) + effort.MemoryBytes(groups, fit+1) + each
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
