package lightmap

import (
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lists"
	"grotta/core/scene"
)

// Map is a scene laid out for light: its charts on pages, its lit texels and the seams
// between charts. Texels that follow each other form chunks, which are computed and passed
// over together.
type Map struct {
	Scene  *scene.Scene
	Layout *Layout
	Texels *Texels
	Seams  *Seams
	chunks []bounds
	runs   []bounds // of each run of chunks
}

// ChunkTexels is the number of texels of a chunk.
const ChunkTexels = 64

// runChunks is the number of chunks that are passed over together.
const runChunks = 32

// New lays out a scene and places its texels. The error is a *TooLarge.
func New(s *scene.Scene) (*Map, error) {
	layout, err := Plan(s)
	if err != nil {
		return nil, err
	}
	texels := layout.Texels(s)
	m := &Map{Scene: s, Layout: layout, Texels: texels, Seams: layout.Seams(s, texels)}
	m.chunks = boundsOf(len(texels.List), ChunkTexels, func(i int) bounds { return bounds{texels.List[i].Origin, texels.List[i].Origin} })
	m.runs = boundsOf(len(m.chunks), runChunks, func(i int) bounds { return m.chunks[i] })
	return m, nil
}

// Chunks is the number of chunks.
func (m *Map) Chunks() int { return len(m.chunks) }

// Chunk is the texels of a chunk.
func (m *Map) Chunk(k int) []Texel {
	return m.Texels.List[k*ChunkTexels : min(k*ChunkTexels+ChunkTexels, len(m.Texels.List))]
}

// Near calls visit for every chunk that comes within metres of a point and, unless boxes is
// nil, meets one of the boxes.
func (m *Map) Near(at geom.Vec3, metres float64, boxes []level.Box, visit func(chunk int)) {
	for i := range m.runs {
		if !m.runs[i].within(at, metres) {
			continue
		}
		for k := i * runChunks; k < min(i*runChunks+runChunks, len(m.chunks)); k++ {
			if m.chunks[k].within(at, metres) && (boxes == nil || m.chunks[k].meetsAny(boxes)) {
				visit(k)
			}
		}
	}
}

// ChartOf is the chart that a texel is on.
func (m *Map) ChartOf(texel int) int {
	return int(m.Layout.ChartOf[m.Texels.List[texel].Surface(m.Scene)])
}

// PlaceOf is where a texel lies in its chart without its padding.
func (m *Map) PlaceOf(c *Chart, texel int) (x, y int) {
	x, y = m.Layout.PlaceIn(c, m.Texels.List[texel].Index)
	return x - PaddingTexels, y - PaddingTexels
}

// MemoryBytes estimates the memory of the map and its scene, without the level's document.
func (m *Map) MemoryBytes() int {
	return m.Scene.MemoryBytes() + m.Layout.MemoryBytes() + m.Texels.MemoryBytes() + m.Seams.MemoryBytes() +
		lists.MemoryBytes(m.chunks) + lists.MemoryBytes(m.runs)
}

// bounds is the box round some texels.
type bounds struct{ min, max [3]float32 }

// boundsOf joins n boxes, step by step of so many.
func boundsOf(n, step int, of func(i int) bounds) []bounds {
	all := make([]bounds, (n+step-1)/step)
	for i := range n {
		b, one := &all[i/step], of(i)
		if i%step == 0 {
			*b = one
		}
		for k := range 3 {
			b.min[k], b.max[k] = min(b.min[k], one.min[k]), max(b.max[k], one.max[k])
		}
	}
	return all
}

// meetsAny tells whether one of some boxes has a place in common with it.
func (b *bounds) meetsAny(boxes []level.Box) bool {
	for i := range boxes {
		if b.meets(&boxes[i]) {
			return true
		}
	}
	return false
}

func (b *bounds) meets(box *level.Box) bool {
	for k := range 3 {
		if float64(b.max[k]) < box.Min[k] || float64(b.min[k]) > box.Max[k] {
			return false
		}
	}
	return true
}

// within tells whether it comes within metres of a point.
func (b *bounds) within(p geom.Vec3, metres float64) bool {
	sum := 0.0
	for k := range 3 {
		d := max(0, float64(b.min[k])-p[k], p[k]-float64(b.max[k]))
		sum += d * d
	}
	return sum < metres*metres
}
