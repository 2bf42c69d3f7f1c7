package lightmap

import (
	"math"

	"grotta/core/color"
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
	places []int32  // of each place of the charts that lack some texels, without their padding: its texel, or -1
	at     []int32  // of each chart: where its places begin, and the end
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
	return finish(s, layout, layout.Texels(s)), nil
}

// finish makes a map of a layout and its texels.
func finish(s *scene.Scene, layout *Layout, texels *Texels) *Map {
	m := &Map{Scene: s, Layout: layout, Texels: texels, Seams: layout.Seams(s, texels)}
	m.chunks = boundsOf(len(texels.List), ChunkTexels, func(i int) bounds { return bounds{texels.List[i].Origin, texels.List[i].Origin} })
	m.runs = boundsOf(len(m.chunks), runChunks, func(i int) bounds { return m.chunks[i] })
	m.setPlaces()
	return m
}

func (m *Map) setPlaces() {
	m.at = make([]int32, len(m.Layout.Charts)+1)
	for i := range m.Layout.Charts {
		m.at[i+1] = m.at[i]
		if first, end := m.Texels.Of(i); first < end && end-first < m.Layout.Charts[i].places() {
			m.at[i+1] += int32(m.Layout.Charts[i].places())
		}
	}
	m.places = make([]int32, m.at[len(m.Layout.Charts)])
	for i := range m.places {
		m.places[i] = -1
	}
	for i := range m.Layout.Charts {
		if m.at[i] == m.at[i+1] {
			continue
		}
		c := &m.Layout.Charts[i]
		width, _ := c.Inner()
		first, end := m.Texels.Of(i)
		for texel := first; texel < end; texel++ {
			x, y := m.PlaceOf(c, texel)
			m.places[int(m.at[i])+y*width+x] = int32(texel)
		}
	}
}

// TexelAt is the texel at a place of a chart without its padding, or -1.
func (m *Map) TexelAt(chart, x, y int) int32 {
	width, height := m.Layout.Charts[chart].Inner()
	if first := m.at[chart]; first < m.at[chart+1] {
		return m.places[int(first)+y*width+x]
	}
	if !m.Texels.Has(chart) {
		return -1
	}
	return m.Texels.first[chart] + int32(orderOf(x, y, width, height))
}

// orderOf is which one of the places of a rectangle a place is, block by block.
func orderOf(x, y, width, height int) int {
	left, top := x&^(BlockTexels-1), y&^(BlockTexels-1) // of its block
	across, down := min(BlockTexels, width-left), min(BlockTexels, height-top)
	return top*width + left*down + (y-top)*across + x - left
}

// Beside returns the eight neighbours of a texel and itself, row by row; -1 where there is none.
// Neighbours k and 8-k are opposite.
func (m *Map) Beside(texel int) (all [9]int32) {
	chart := m.ChartOf(texel)
	c := &m.Layout.Charts[chart]
	width, height := c.Inner()
	x, y := m.PlaceOf(c, texel)
	for k := range all {
		all[k] = -1
		if nx, ny := x+k%3-1, y+k/3-1; nx >= 0 && ny >= 0 && nx < width && ny < height {
			all[k] = m.TexelAt(chart, nx, ny)
		}
	}
	return all
}

// UnderWater is the share of the light on a texel that comes through water above it.
func (m *Map) UnderWater(texel int) color.Linear {
	if len(m.Scene.Waters) == 0 {
		return color.White
	}
	return m.Scene.UnderWater(vec(m.Texels.List[texel].Origin))
}

// Translucency is the share of a texel's light that comes from its other side.
func (m *Map) Translucency(texel int) float64 {
	return m.Scene.Translucency(&m.Scene.Surfaces[m.Texels.List[texel].Surface(m.Scene)])
}

// HasTranslucent tells whether some texels have light from their other side.
func (m *Map) HasTranslucent() bool {
	for i := range m.Layout.Charts {
		if m.Scene.Translucency(&m.Scene.Surfaces[m.Layout.Charts[i].Surface]) > 0 {
			return true
		}
	}
	return false
}

// OtherSide is the texel at the same place on the other side of a mesh with two sides, or the nearest
// one beside that; -1 where there is none.
func (m *Map) OtherSide(texel int) int32 {
	t := &m.Texels.List[texel]
	triangle := m.Scene.OtherSide(int(t.Triangle))
	if triangle < 0 {
		return -1
	}
	chart := m.Layout.ChartOf[m.Scene.SurfaceOf[triangle]]
	if chart < 0 || !m.Texels.Has(int(chart)) {
		return -1
	}
	c := &m.Layout.Charts[chart]
	x, y := c.At(vec(t.Origin))
	left, top := c.Corner()
	x, y = x-float64(left+PaddingTexels), y-float64(top+PaddingTexels)
	width, height := c.Inner()
	best, nearest := int32(-1), math.Inf(1)
	for dy := -1; dy <= 1; dy++ {
		for dx := -1; dx <= 1; dx++ {
			px, py := min(max(int(math.Floor(x))+dx, 0), width-1), min(max(int(math.Floor(y))+dy, 0), height-1)
			if away := math.Hypot(float64(px)+0.5-x, float64(py)+0.5-y); away < nearest {
				if other := m.TexelAt(int(chart), px, py); other >= 0 {
					best, nearest = other, away
				}
			}
		}
	}
	return best
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
		lists.MemoryBytes(m.chunks) + lists.MemoryBytes(m.runs) + lists.MemoryBytes(m.places) + lists.MemoryBytes(m.at)
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
