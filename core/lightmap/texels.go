package lightmap

import (
	"iter"
	"math"
	"math/bits"
	"slices"

	"grotta/core/geom"
	"grotta/core/lists"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/trace"
)

// Texel is one sample of light: a place just off a triangle.
type Texel struct {
	Index    int32          // page*size*size + y*size + x
	Triangle int32          // of the scene
	Origin   [3]float32     // OffsetM off the surface, that of a curved mesh; never inside a solid
	Area     sampling.Cells // what of its square lies on the surface, flat with it and outside of solids
	Parted   bool           // whether something may stand on its square
}

// Surface is the one that the texel is on.
func (t *Texel) Surface(s *scene.Scene) int { return int(s.SurfaceOf[t.Triangle]) }

// Normal is where its triangle faces, of unit length.
func (t *Texel) Normal(s *scene.Scene) geom.Vec3 { return s.NormalOf(int(t.Triangle)) }

// Shading is the normal by which light falls on it. It is another one on meshes with normals.
func (t *Texel) Shading(s *scene.Scene) geom.Vec3 {
	return s.ShadingNormal(int(t.Triangle), vec(t.Origin))
}

// Texels are the samples to compute, in the order of charts and of blocks in them,
// and the rule that fills the rest from them.
type Texels struct {
	List    []Texel
	first   []int32 // of each chart: where its texels begin, and the end
	fill    []Fill
	ranges  [][2]int32 // of fills: where they begin and end; the first one is of none
	fillsOf []int32    // of each chart: which range is its; some share one
}

// Of is where a chart's texels begin in the list, and where they end.
func (t *Texels) Of(chart int) (first, end int) { return int(t.first[chart]), int(t.first[chart+1]) }

// Has tells whether a chart has any: one that is wholly inside solids has not.
func (t *Texels) Has(chart int) bool { return t.first[chart] < t.first[chart+1] }

// Fills returns the fills of a chart, in order; later ones read earlier ones.
func (t *Texels) Fills(chart int) []Fill {
	r := t.ranges[t.fillsOf[chart]]
	return t.fill[r[0]:r[1]]
}

// Fill sets a place of a chart to the mean of those of its eight neighbours that
// have a value.
type Fill uint32 // the place, counted by rows, in the lower bits, and a bit for each of the neighbours, row by row, in the others

// placeBits are enough for every place of a page.
const placeBits = 24

// Place is the one that is set, counted by rows.
func (f Fill) Place() int { return int(f & (1<<placeBits - 1)) }

// around are the steps to the neighbours, in the order of a fill's mask.
var around = [8][2]int{{-1, -1}, {0, -1}, {1, -1}, {-1, 0}, {1, 0}, {-1, 1}, {0, 1}, {1, 1}}

// From are the steps to the places that a fill takes the mean of, in a chart so wide.
func (f Fill) From(width int) iter.Seq[int] {
	return func(yield func(int) bool) {
		for left := uint8(f >> placeBits); left != 0; left &= left - 1 {
			if d := around[bits.TrailingZeros8(left)]; !yield(d[1]*width + d[0]) {
				return
			}
		}
	}
}

// together is how many charts get their texels at once: what that takes is let go
// before the next ones.
const together = 1024

// Texels places every sample. A texel whose centre is off the surface or inside
// a solid takes another spot of its own square that is on it and outside; where
// there is none it is filled from its neighbours.
func (l *Layout) Texels(s *scene.Scene) *Texels {
	return l.texels(s, func(int) ([]Texel, []Fill, bool) { return nil, nil, false })
}

// texels places every sample, but those of charts that are known.
func (l *Layout) texels(s *scene.Scene, known func(chart int) ([]Texel, []Fill, bool)) *Texels {
	t := &Texels{first: make([]int32, len(l.Charts)+1), fillsOf: make([]int32, len(l.Charts)), ranges: make([][2]int32, 1)}
	whole := map[[2]uint16]int32{} // fills of charts without gaps, by size
	var parts [][]Texel
	for from := 0; from < len(l.Charts); from += together {
		charts := l.Charts[from:min(from+together, len(l.Charts))]
		placed, fills := make([][]Texel, len(charts)), make([][]Fill, len(charts))
		parallel.All(len(charts), func(i int) {
			var filled []bool
			var has bool
			if placed[i], fills[i], has = known(from + i); has {
				return
			}
			placed[i], filled = l.chartTexels(s, &charts[i])
			if n := len(placed[i]); n > 0 && n < charts[i].places() {
				fills[i] = fillRings(filled, &charts[i])
			}
		})
		parts = append(parts, slices.Concat(placed...))
		for i := range charts {
			c, n := &charts[i], len(placed[i])
			t.first[from+i+1] = t.first[from+i] + int32(n)
			switch size := [2]uint16{c.width, c.height}; {
			case n == 0: // wholly inside solids; it stays dark
			case n < c.places():
				t.fillsOf[from+i] = t.keep(fills[i])
			default:
				if whole[size] == 0 {
					whole[size] = t.keep(fillRings(c.interior(), c))
				}
				t.fillsOf[from+i] = whole[size]
			}
		}
	}
	t.List, t.fill, t.ranges = slices.Concat(parts...), lists.Exact(t.fill), lists.Exact(t.ranges)
	return t
}

// keep adds fills of a chart, and is the number by which it finds them.
func (t *Texels) keep(fills []Fill) int32 {
	first := int32(len(t.fill))
	t.fill = append(t.fill, fills...)
	t.ranges = append(t.ranges, [2]int32{first, int32(len(t.fill))})
	return int32(len(t.ranges)) - 1
}

// places is how many texels a chart has without its padding.
func (c *Chart) places() int {
	width, height := c.Inner()
	return width * height
}

// interior marks them in its rectangle.
func (c *Chart) interior() []bool {
	width, height := c.Size()
	marks := make([]bool, width*height)
	for y := PaddingTexels; y < height-PaddingTexels; y++ {
		for x := PaddingTexels; x < width-PaddingTexels; x++ {
			marks[y*width+x] = true
		}
	}
	return marks
}

// MemoryBytes is what they take in memory.
func (t *Texels) MemoryBytes() int {
	return lists.MemoryBytes(t.List) + lists.MemoryBytes(t.first) + lists.MemoryBytes(t.fill) + lists.MemoryBytes(t.ranges) + lists.MemoryBytes(t.fillsOf)
}

// leastCos is the least cosine of a triangle's normal to its chart's. Charts hold it by their making,
// but for rounding.
const leastCos = 0.5

// BlockTexels is the side of the squares in which texels follow each other.
const BlockTexels = 8

// spots are the places of a texel's square that are tried, the centre first.
var spots = [][2]float64{
	{0.5, 0.5}, {0.2, 0.2}, {0.8, 0.8}, {0.8, 0.2}, {0.2, 0.8}, {0.5, 0.1}, {0.5, 0.9}, {0.1, 0.5}, {0.9, 0.5},
}

// chartTexels are a chart's, and which places of its rectangle they are.
func (l *Layout) chartTexels(s *scene.Scene, c *Chart) (list []Texel, filled []bool) {
	list = make([]Texel, 0, c.places())
	surface := &s.Surfaces[c.Surface]
	var room [4]flatTriangle // most surfaces have no more
	patch, near := flatten(s, surface, c, room[:0]), s.BlocksNear(surface, 2*scene.OffsetM+beyondEdge/c.Density)
	width, height := c.Size()
	axisU, axisV := c.Axes()
	about := axisU.Cross(axisV)
	filled = make([]bool, width*height)
	// try takes the first of the spots of a square that is on the surface and
	// outside solids.
	try := func(x, y int, low, high [2]float64) bool {
		for _, spot := range spots {
			on, ok := patch.at(low[0]+spot[0]*(high[0]-low[0]), low[1]+spot[1]*(high[1]-low[1]))
			if !ok {
				continue
			}
			p := on.at.Add(on.normal.Mul(scene.OffsetM))
			if near.Hold(p) {
				continue
			}
			t := Texel{Index: l.index(c, x, y), Triangle: int32(on.triangle), Origin: f32(p)}
			t.Area, t.Parted = patch.area(x-PaddingTexels, y-PaddingTexels, p, &on, &near)
			if lift := s.Lift(on.triangle, p); lift > 0 {
				// Along the chart's own normal, so that it stays in its square.
				high := p.Add(about.Mul(lift / max(about.Dot(on.normal), leastCos)))
				if !near.Hold(high) && !s.Blocked(p, high) {
					t.Origin = f32(high)
				}
			}
			list = append(list, t)
			filled[y*width+x] = true
			return true
		}
		return false
	}
	place := func(x, y int) {
		low := [2]float64{float64(x - PaddingTexels), float64(y - PaddingTexels)}
		high := [2]float64{low[0] + 1, low[1] + 1}
		if try(x, y, low, high) {
			return
		}
		for axis := range 2 { // a surface narrower than its texel lies at one side of it
			low[axis], high[axis] = max(low[axis], patch.low[axis]), min(high[axis], patch.high[axis])
		}
		if low[0] < high[0] && low[1] < high[1] {
			try(x, y, low, high)
		}
	}
	// Block by block, so that texels that follow each other are neighbours.
	for by := PaddingTexels; by < height-PaddingTexels; by += BlockTexels {
		for bx := PaddingTexels; bx < width-PaddingTexels; bx += BlockTexels {
			for y := by; y < min(by+BlockTexels, height-PaddingTexels); y++ {
				for x := bx; x < min(bx+BlockTexels, width-PaddingTexels); x++ {
					place(x, y)
				}
			}
		}
	}
	return list, filled
}

// fillRings grows the computed texels over the rest of a chart, ring by ring.
func fillRings(filled []bool, c *Chart) []Fill {
	var fills []Fill
	width, height := c.Size()
	for {
		var ring []int
		for y := range height {
			for x := range width {
				if filled[y*width+x] {
					continue
				}
				f := Fill(y*width + x)
				for k, d := range around {
					nx, ny := x+d[0], y+d[1]
					if nx >= 0 && ny >= 0 && nx < width && ny < height && filled[ny*width+nx] {
						f |= 1 << (placeBits + k)
					}
				}
				if f>>placeBits != 0 {
					fills = append(fills, f)
					ring = append(ring, y*width+x)
				}
			}
		}
		if len(ring) == 0 {
			return fills
		}
		for _, i := range ring {
			filled[i] = true
		}
	}
}

// flat is a surface's triangles in the plane of its chart, in texels.
type flat struct {
	scene     *scene.Scene
	chart     *Chart
	first     int            // of them in the scene
	convex    bool           // it is a solid's face,
	rectangle bool           // and one along the chart's axes
	list      []flatTriangle // all of them, unless there are very many
	boxes     *trace.Boxes   // where they are, if there are many
	low, high [2]float64     // of all of them
}

type flatTriangle struct {
	a, b, c   [2]float64
	corner    [3]geom.Vec3
	normal    geom.Vec3
	index     int  // in the scene
	has       bool // an area
	low, high [2]float64
	twiceArea float64
}

// flatSlack is how far beside a triangle a point may lie that counts as on it.
const flatSlack = 1e-6

func flatten(sc *scene.Scene, s *scene.Surface, c *Chart, room []flatTriangle) flat {
	const few, most = 32, 1 << 16
	inf := math.Inf(1)
	first, end := sc.TrianglesOf(s)
	f := flat{scene: sc, chart: c, convex: s.Body().Solid != nil, first: first, list: room, low: [2]float64{inf, inf}, high: [2]float64{-inf, -inf}}
	twiceArea := 0.0
	var boxes []trace.Box
	if end-first > most {
		f.list = nil
	}
	if end-first > few {
		boxes = make([]trace.Box, 0, end-first)
	}
	for index := first; index < end; index++ {
		t := f.triangle(index)
		for axis := 0; axis < 2 && t.has; axis++ {
			f.low[axis], f.high[axis] = min(f.low[axis], t.low[axis]), max(f.high[axis], t.high[axis])
		}
		twiceArea += math.Abs(t.twiceArea)
		if boxes != nil {
			boxes = append(boxes, boxOf(t.low, t.high))
		}
		if end-first <= most {
			f.list = append(f.list, t)
		}
	}
	if boxes != nil {
		f.boxes = trace.NewBoxes(boxes)
	}
	around := 2 * (f.high[0] - f.low[0]) * (f.high[1] - f.low[1])
	f.rectangle = f.convex && math.Abs(twiceArea-around) < 1e-9*around
	return f
}

// boxOf holds what lies between two corners, and their slack.
func boxOf(low, high [2]float64) trace.Box {
	return trace.Around([3]float64{low[0] - flatSlack, low[1] - flatSlack}, [3]float64{high[0] + flatSlack, high[1] + flatSlack})
}

// triangle is one of the scene's there.
func (f *flat) triangle(index int) (t flatTriangle) {
	var q [3][2]float64
	corner := f.scene.CornersOf(index)
	for i, p := range corner {
		x, y := f.chart.At(p)
		q[i] = [2]float64{x - float64(f.chart.x+PaddingTexels), y - float64(f.chart.y+PaddingTexels)}
	}
	t = flatTriangle{a: q[0], b: q[1], c: q[2], corner: corner, index: index}
	t.twiceArea = (q[1][0]-q[0][0])*(q[2][1]-q[0][1]) - (q[1][1]-q[0][1])*(q[2][0]-q[0][0])
	for axis := range 2 {
		t.low[axis] = min(q[0][axis], q[1][axis], q[2][axis])
		t.high[axis] = max(q[0][axis], q[1][axis], q[2][axis])
	}
	n := corner[1].Sub(corner[0]).Cross(corner[2].Sub(corner[0]))
	if t.has = math.Abs(t.twiceArea) >= 1e-12 && n.Len() > 0; t.has {
		t.normal = f.scene.NormalOf(index)
	}
	return t
}

// spot is a point of the level on a triangle, and the triangle's normal.
type spot struct {
	at, normal geom.Vec3
	triangle   int // in the scene
}

// at is what lies under a point of the chart, on the first of several triangles, if any.
func (f *flat) at(x, y float64) (found spot, ok bool) {
	look := func(t *flatTriangle) bool {
		at, on := t.at(x, y)
		if on {
			found, ok = spot{at, t.normal, t.index}, true
		}
		return on
	}
	if f.boxes == nil {
		for i := range f.list {
			if look(&f.list[i]) {
				break
			}
		}
		return found, ok
	}
	f.boxes.Near(boxOf([2]float64{x, y}, [2]float64{x, y}), func(i int) {
		switch {
		case ok && f.first+i > found.triangle:
		case f.list != nil:
			look(&f.list[i])
		default:
			t := f.triangle(f.first + i)
			look(&t)
		}
	})
	return found, ok
}

// within tells whether a square lies within one triangle, by its least corner and its side.
func (f *flat) within(triangle int, x, y, side float64) bool {
	if f.list == nil {
		return false
	}
	t := &f.list[triangle-f.first]
	for k := range 4 {
		if !t.holds(x+side*float64(k&1), y+side*float64(k>>1)) {
			return false
		}
	}
	return true
}

// at is the point of the level where a point of the chart lies on the triangle, if it
// does.
func (t *flatTriangle) at(x, y float64) (p geom.Vec3, ok bool) {
	if !t.has || x < t.low[0]-flatSlack || x > t.high[0]+flatSlack || y < t.low[1]-flatSlack || y > t.high[1]+flatSlack {
		return p, false
	}
	u := ((x-t.a[0])*(t.c[1]-t.a[1]) - (y-t.a[1])*(t.c[0]-t.a[0])) / t.twiceArea
	v := ((t.b[0]-t.a[0])*(y-t.a[1]) - (t.b[1]-t.a[1])*(x-t.a[0])) / t.twiceArea
	if u < -flatSlack || v < -flatSlack || u+v > 1+flatSlack {
		return p, false
	}
	return t.corner[0].Add(t.corner[1].Sub(t.corner[0]).Mul(u)).Add(t.corner[2].Sub(t.corner[0]).Mul(v)), true
}

// holds tells whether a point of the chart lies on the triangle.
func (t *flatTriangle) holds(x, y float64) bool {
	_, ok := t.at(x, y)
	return ok
}

func f32(v geom.Vec3) [3]float32 { return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])} }

func vec(v [3]float32) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }
