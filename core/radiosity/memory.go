package radiosity

import (
	"grotta/core/lightmap"
	"grotta/core/rows"
)

// The memory of the links, in bytes.
const (
	chartBytes = 8   // where its patches and places begin
	patchBytes = 112 // its links and openings, and what is known about it
	rowBytes   = 16  // of a solve
	placeBytes = 4   // of a chart with texels, without its padding
	onBytes    = 12  // the light of a source's bright patches on a patch
)

// Memory estimates the memory of links and of what patches send, in bytes.
type Memory struct {
	Links   int // with the working memory of bounces
	patches int
}

// MemoryOf estimates the memory of a level's links before they are made.
func MemoryOf(m *lightmap.Map) Memory {
	patches, places := 0, 0
	for i := range m.Layout.Charts {
		c := &m.Layout.Charts[i]
		w, h := c.Inner()
		side := patchSide(c)
		first, end := m.Texels.Of(i)
		patches += min((w+side-1)/side*((h+side-1)/side), end-first)
		if first < end {
			places += w * h
		}
	}
	return Memory{
		Links:   chartBytes*len(m.Layout.Charts) + patchBytes*patches + rowBytes*(2*patches+stretchOf(patches)) + placeBytes*places,
		patches: patches,
	}
}

// Sent is the memory of what the patches send of a number of sources, with what bright patches
// bring to each patch or without.
func (m Memory) Sent(sources int, onPatches bool) int {
	each := 2 * rows.Columns(sources)
	if onPatches {
		each += onBytes * sources
	}
	return each * m.patches
}
