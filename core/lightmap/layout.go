// Package lightmap lays surfaces out on pages of texels: which texel stands
// where, facing where. The layout is exact before any ray is cast. It knows
// nothing of lights; bake fills the texels.
package lightmap

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"unsafe"

	"grotta/core/geom"
	"grotta/core/lists"
	"grotta/core/scene"
)

// PaddingTexels lie round every chart, filled from its edge, so that bilinear
// reading never mixes in a neighbour.
const PaddingTexels = 2

// Limits of a layout.
const (
	MaxPages  = 64
	MaxTexels = 64 << 20
)

// Chart is the rectangle of one surface on a page.
type Chart struct {
	Surface       int32   // in the scene
	page, x, y    uint16  // its corner, padding included
	width, height uint16  // texels, padding included
	axes          *axes   // many charts have the same
	Density       float64 // texels per metre
	lowU, lowV    float32 // the corner of its unpadded rectangle, along its axes
}

// axes are the unit directions in which x and y grow.
type axes struct{ u, v [3]float32 }

// Layout is where every chart lies.
type Layout struct {
	PageSize int
	Pages    int
	Charts   []Chart
	ChartOf  []int32 // of each surface of the scene; -1 where it receives no light
	facings  int     // how many axes there are
}

// TooLarge is the error of surfaces that do not fit.
type TooLarge struct {
	Entity  string
	Message string
}

// Error names the entity where there is one.
func (e *TooLarge) Error() string {
	if e.Entity == "" {
		return e.Message
	}
	return e.Entity + ": " + e.Message
}

// Plan lays out the surfaces that receive light. Charts are placed by falling
// height along a skyline (Jylanki, "A thousand ways to pack the bin", 2010);
// ties keep the scene's order, so the same scene always gives the same layout.
// A chart larger than a page has its density lowered until it fits.
func Plan(s *scene.Scene) (*Layout, error) {
	size := s.Level.Lightmap.PageSize
	l := &Layout{PageSize: size, ChartOf: make([]int32, len(s.Surfaces))}
	texels, charts := 0, 0
	for i := range s.Surfaces {
		if s.TakesLight(&s.Surfaces[i]) {
			charts++
		}
	}
	l.Charts = make([]Chart, 0, charts)
	firsts := lists.NewFirsts(charts, func(surface int32) axes { return axesOf(s, surface) })
	for i := range s.Surfaces {
		l.ChartOf[i] = -1
		if !s.TakesLight(&s.Surfaces[i]) {
			continue
		}
		c := Chart{Surface: int32(i)}
		if first := firsts.Of(int32(i)); first < int32(i) {
			c.axes = l.Charts[l.ChartOf[first]].axes
		} else {
			own := axesOf(s, first)
			c.axes = &own
			l.facings++
		}
		c.measure(s, size, 1)
		l.ChartOf[i] = int32(len(l.Charts))
		l.Charts = append(l.Charts, c)
		width, height := c.Size()
		if texels += width * height; texels > MaxTexels {
			return nil, &TooLarge{s.Surfaces[i].Body().Entity, fmt.Sprintf("the level needs more than %d texels; %s", MaxTexels, thatFits(s, size, MaxTexels))}
		}
	}
	order := make([]int32, len(l.Charts))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int {
		return cmp.Or(cmp.Compare(l.Charts[b].height, l.Charts[a].height), cmp.Compare(l.Charts[b].width, l.Charts[a].width))
	})
	var pages []*skyline
	for _, i := range order {
		c := &l.Charts[i]
		placed := false
		put := func(page int) {
			if x, y, ok := pages[page].place(c.Size()); ok {
				c.page, c.x, c.y, placed = uint16(page), uint16(x), uint16(y), true
			}
		}
		for page := 0; page < len(pages) && !placed; page++ {
			put(page)
		}
		if !placed {
			if len(pages) == MaxPages {
				return nil, &TooLarge{s.Surfaces[c.Surface].Body().Entity, fmt.Sprintf("the level needs more than %d pages of %d; %s, or raise the page size", MaxPages, size, thatFits(s, size, int(packed*MaxPages*float64(size*size))))}
			}
			pages = append(pages, newSkyline(size))
			put(len(pages) - 1)
		}
	}
	l.Pages = len(pages)
	return l, nil
}

// axesOf returns the axes of a surface.
func axesOf(s *scene.Scene, surface int32) axes {
	u, v := geom.Axes(s.Normal(&s.Surfaces[surface]))
	return axes{f32(u), f32(v)}
}

// measure finds how much room the surface takes along the axes.
func (c *Chart) measure(sc *scene.Scene, pageSize int, factor float64) {
	s := &sc.Surfaces[c.Surface]
	u, v := c.Axes()
	lowU, lowV, highU, highV := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for t := range sc.Corners(s) {
		for _, p := range t {
			lowU, highU = min(lowU, u.Dot(p)), max(highU, u.Dot(p))
			lowV, highV = min(lowV, v.Dot(p)), max(highV, v.Dot(p))
		}
	}
	density, room := factor*s.Finish().DensityM, float64(pageSize-2*PaddingTexels)
	density = min(density, room/(highU-lowU), room/(highV-lowV))
	side := func(length float64) uint16 {
		return max(1, uint16(math.Ceil(length*density-1e-4))) + 2*PaddingTexels
	}
	c.width, c.height = side(highU-lowU), side(highV-lowV)
	c.Density, c.lowU, c.lowV = density, float32(lowU), float32(lowV)
}

// packed is about how much of full pages charts cover.
const packed = 0.85

// thatFits says to which densities a level has to go down to need no more than so many texels.
func thatFits(s *scene.Scene, size, most int) string {
	var charts []Chart
	for i := range s.Surfaces {
		if s.TakesLight(&s.Surfaces[i]) {
			own := axesOf(s, int32(i))
			charts = append(charts, Chart{Surface: int32(i), axes: &own})
		}
	}
	fits := func(factor float64) bool {
		sum := 0
		for i := range charts {
			charts[i].measure(s, size, factor)
			width, height := charts[i].Size()
			if sum += width * height; sum > most {
				return false
			}
		}
		return true
	}
	low, high := 0.0, 1.0
	for range 20 {
		if middle := (low + high) / 2; fits(middle) {
			low = middle
		} else {
			high = middle
		}
	}
	if low < 1e-3 {
		return "it has too many surfaces for a lightmap, however coarse"
	}
	own, share := s.Level.Lightmap.Density, low*0.99 // a little less, as it is said with two digits
	return fmt.Sprintf("lower the densities to %.2g of what they are (the level's own from %.3g to %.2g texels a metre)", share, own, own*share)
}

// Page is the one that it lies on, and Corner where there, padding included.
func (c *Chart) Page() int          { return int(c.page) }
func (c *Chart) Corner() (x, y int) { return int(c.x), int(c.y) }

// Size is how many texels its rectangle has along each side, padding included.
func (c *Chart) Size() (width, height int) { return int(c.width), int(c.height) }

// Inner is the rectangle without its padding.
func (c *Chart) Inner() (width, height int) {
	return int(c.width) - 2*PaddingTexels, int(c.height) - 2*PaddingTexels
}

// Axes are the directions in the level in which x and y grow, to float32's precision.
func (c *Chart) Axes() (u, v geom.Vec3) { return vec(c.axes.u), vec(c.axes.v) }

// At maps a point of the level to texel coordinates of the chart's page; whole
// numbers plus a half are texel centres.
func (c *Chart) At(p geom.Vec3) (x, y float64) {
	u, v := c.Axes()
	x, y = (u.Dot(p)-float64(c.lowU))*c.Density, (v.Dot(p)-float64(c.lowV))*c.Density
	return float64(c.x+PaddingTexels) + x, float64(c.y+PaddingTexels) + y
}

// index is the index of the texel at a place of a chart's rectangle.
func (l *Layout) index(c *Chart, x, y int) int32 {
	return int32((int(c.page)*l.PageSize+int(c.y)+y)*l.PageSize + int(c.x) + x)
}

// Place is where on its page a texel stands.
func (l *Layout) Place(index int32) (x, y int) {
	row := index / int32(l.PageSize)
	return int(index) - int(row)*l.PageSize, int(row) % l.PageSize
}

// PlaceIn is where in its chart's rectangle a texel stands.
func (l *Layout) PlaceIn(c *Chart, index int32) (x, y int) {
	row := index / int32(l.PageSize)
	return int(index) - int(row)*l.PageSize - int(c.x), int(row) - int(c.page)*l.PageSize - int(c.y)
}

// MemoryBytes is what the layout itself takes in memory.
func (l *Layout) MemoryBytes() int {
	return lists.MemoryBytes(l.Charts) + lists.MemoryBytes(l.ChartOf) + l.facings*int(unsafe.Sizeof(axes{}))
}

// Bytes is what the pages take with so many bytes a texel.
func (l *Layout) Bytes(perTexel int) int { return l.Pages * l.PageSize * l.PageSize * perTexel }

// skyline is the upper edge of what is placed on a page, as steps.
type skyline struct {
	size  int
	steps []step
}

type step struct{ x, y, width int }

func newSkyline(size int) *skyline { return &skyline{size, []step{{0, 0, size}}} }

// place finds the lowest, then leftmost, spot for a rectangle and takes it.
func (s *skyline) place(width, height int) (x, y int, ok bool) {
	best, bestY := -1, s.size+1
	for i := range s.steps {
		if top, fits := s.top(i, width); fits && top+height <= s.size && top < bestY {
			best, bestY = i, top
		}
	}
	if best < 0 {
		return 0, 0, false
	}
	x, y = s.steps[best].x, bestY
	s.raise(best, step{x, y + height, width})
	return x, y, true
}

// top is how high a rectangle of a width stands when it starts at step i.
func (s *skyline) top(i, width int) (int, bool) {
	if s.steps[i].x+width > s.size {
		return 0, false
	}
	high := 0
	for left := width; left > 0; i++ {
		high = max(high, s.steps[i].y)
		left -= s.steps[i].width
	}
	return high, true
}

func (s *skyline) raise(i int, over step) {
	s.steps = slices.Insert(s.steps, i, over)
	end := over.x + over.width
	for i+1 < len(s.steps) && s.steps[i+1].x < end {
		next := &s.steps[i+1]
		covered := end - next.x
		if covered < next.width {
			next.x, next.width = next.x+covered, next.width-covered
			break
		}
		s.steps = slices.Delete(s.steps, i+1, i+2)
	}
	if i > 0 && s.steps[i-1].y == over.y {
		s.steps[i-1].width += s.steps[i].width
		s.steps = slices.Delete(s.steps, i, i+1)
		i--
	}
	if i+1 < len(s.steps) && s.steps[i+1].y == s.steps[i].y {
		s.steps[i].width += s.steps[i+1].width
		s.steps = slices.Delete(s.steps, i+1, i+2)
	}
}
