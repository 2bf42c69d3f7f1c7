package lightmap

import (
	"iter"
	"math"
	"math/bits"

	"grotta/core/geom"
	"grotta/core/parallel"
	"grotta/core/scene"
)

// Texel is one sample of light: a place just off a surface.
type Texel struct {
	Index   int32      // page*size*size + y*size + x
	Surface int32      // in the scene
	Origin  [3]float32 // OffsetM off the surface, never inside a solid
	Normal  [3]float32
}

// Texels are the samples to compute, in the order of charts and of blocks in them,
// and the rule that fills the rest from them.
type Texels struct {
	List  []Texel
	Place []int32 // of each texel: where it is in its chart's rectangle, by rows
	Fill  []Fill  // in order; later entries read earlier ones
	// Where each chart's texels and fills begin, and the ends: one more than charts.
	TexelsOf, FillsOf []int
}

// Fill sets a place of a chart to the mean of those of its eight neighbours that
// have a value.
type Fill struct {
	Place int32
	Mask  uint8 // of the neighbours, row by row
}

// around are the steps to the neighbours, in the order of a fill's mask.
var around = [8][2]int{{-1, -1}, {0, -1}, {1, -1}, {-1, 0}, {1, 0}, {-1, 1}, {0, 1}, {1, 1}}

// From are the steps to the places that a fill takes the mean of, in a chart so wide.
func (f Fill) From(width int) iter.Seq[int] {
	return func(yield func(int) bool) {
		for left := f.Mask; left != 0; left &= left - 1 {
			if d := around[bits.TrailingZeros8(left)]; !yield(d[1]*width + d[0]) {
				return
			}
		}
	}
}

// Texels places every sample. A texel whose centre is off the surface or inside
// a solid takes another spot of its own square that is on it and outside; where
// there is none it is filled from its neighbours.
func (l *Layout) Texels(s *scene.Scene) *Texels {
	charts := make([]Texels, len(l.Charts))
	parallel.All(len(charts), func(i int) { charts[i] = l.chartTexels(s, &l.Charts[i]) })
	all := &Texels{}
	texels, fills := 0, 0
	for i := range charts {
		texels, fills = texels+len(charts[i].List), fills+len(charts[i].Fill)
	}
	all.List, all.Place, all.Fill = make([]Texel, 0, texels), make([]int32, 0, texels), make([]Fill, 0, fills)
	for _, c := range charts {
		all.TexelsOf, all.FillsOf = append(all.TexelsOf, len(all.List)), append(all.FillsOf, len(all.Fill))
		all.List, all.Place = append(all.List, c.List...), append(all.Place, c.Place...)
		all.Fill = append(all.Fill, c.Fill...)
	}
	all.TexelsOf, all.FillsOf = append(all.TexelsOf, len(all.List)), append(all.FillsOf, len(all.Fill))
	return all
}

// BlockTexels is the side of the squares in which texels follow each other.
const BlockTexels = 8

// spots are the places of a texel's square that are tried, the centre first.
var spots = [][2]float64{
	{0.5, 0.5}, {0.2, 0.2}, {0.8, 0.8}, {0.8, 0.2}, {0.2, 0.8}, {0.5, 0.1}, {0.5, 0.9}, {0.1, 0.5}, {0.9, 0.5},
}

func (l *Layout) chartTexels(s *scene.Scene, c *Chart) Texels {
	var out Texels
	surface := &s.Surfaces[c.Surface]
	patch, near := flatten(s, surface, c), s.BlocksNear(surface, 2*scene.OffsetM)
	filled := make([]bool, c.Width*c.Height)
	index := func(x, y int) int32 {
		return int32(c.Page*l.PageSize*l.PageSize + (c.Y+y)*l.PageSize + c.X + x)
	}
	// try takes the first of the spots of a square that is on the surface and
	// outside solids.
	try := func(x, y int, low, high [2]float64) bool {
		for _, spot := range spots {
			p, normal, ok := patch.at(low[0]+spot[0]*(high[0]-low[0]), low[1]+spot[1]*(high[1]-low[1]))
			if !ok {
				continue
			}
			p = p.Add(normal.Mul(scene.OffsetM))
			if near.Hold(p) {
				continue
			}
			out.List = append(out.List, Texel{index(x, y), int32(c.Surface), f32(p), f32(normal)})
			out.Place = append(out.Place, int32(y*c.Width+x))
			filled[y*c.Width+x] = true
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
			low[axis], high[axis] = math.Max(low[axis], patch.low[axis]), math.Min(high[axis], patch.high[axis])
		}
		if low[0] < high[0] && low[1] < high[1] {
			try(x, y, low, high)
		}
	}
	// Block by block, so that texels that follow each other are neighbours.
	for by := PaddingTexels; by < c.Height-PaddingTexels; by += BlockTexels {
		for bx := PaddingTexels; bx < c.Width-PaddingTexels; bx += BlockTexels {
			for y := by; y < min(by+BlockTexels, c.Height-PaddingTexels); y++ {
				for x := bx; x < min(bx+BlockTexels, c.Width-PaddingTexels); x++ {
					place(x, y)
				}
			}
		}
	}
	if len(out.List) > 0 { // a surface wholly inside solids stays dark
		out.Fill = fillRings(filled, c)
	}
	return out
}

// fillRings grows the computed texels over the rest of a chart, ring by ring.
func fillRings(filled []bool, c *Chart) []Fill {
	var fills []Fill
	for {
		var ring []int
		for y := range c.Height {
			for x := range c.Width {
				if filled[y*c.Width+x] {
					continue
				}
				f := Fill{Place: int32(y*c.Width + x)}
				for k, d := range around {
					nx, ny := x+d[0], y+d[1]
					if nx >= 0 && ny >= 0 && nx < c.Width && ny < c.Height && filled[ny*c.Width+nx] {
						f.Mask |= 1 << k
					}
				}
				if f.Mask != 0 {
					fills = append(fills, f)
					ring = append(ring, y*c.Width+x)
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
	tris      []flatTriangle
	low, high [2]float64 // of all of them
}

type flatTriangle struct {
	a, b, c   [2]float64
	corner    [3]geom.Vec3
	normal    geom.Vec3
	low, high [2]float64
	twiceArea float64
}

func flatten(sc *scene.Scene, s *scene.Surface, c *Chart) flat {
	inf := math.Inf(1)
	f := flat{low: [2]float64{inf, inf}, high: [2]float64{-inf, -inf}}
	for t := range sc.Corners(s) {
		var q [3][2]float64
		for i, p := range t {
			x, y := c.At(p)
			q[i] = [2]float64{x - float64(c.X+PaddingTexels), y - float64(c.Y+PaddingTexels)}
		}
		area := (q[1][0]-q[0][0])*(q[2][1]-q[0][1]) - (q[1][1]-q[0][1])*(q[2][0]-q[0][0])
		n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0]))
		if math.Abs(area) < 1e-12 || n.Len() == 0 {
			continue
		}
		ft := flatTriangle{a: q[0], b: q[1], c: q[2], corner: t, normal: n.Normalize(), twiceArea: area}
		for axis := range 2 {
			ft.low[axis] = math.Min(q[0][axis], math.Min(q[1][axis], q[2][axis]))
			ft.high[axis] = math.Max(q[0][axis], math.Max(q[1][axis], q[2][axis]))
			f.low[axis], f.high[axis] = math.Min(f.low[axis], ft.low[axis]), math.Max(f.high[axis], ft.high[axis])
		}
		f.tris = append(f.tris, ft)
	}
	return f
}

// at is the point of the level above a point of the chart, if it is on one of
// the triangles.
func (f *flat) at(x, y float64) (p, normal geom.Vec3, ok bool) {
	for i := range f.tris {
		t := &f.tris[i]
		if x < t.low[0]-1e-6 || x > t.high[0]+1e-6 || y < t.low[1]-1e-6 || y > t.high[1]+1e-6 {
			continue
		}
		u := ((x-t.a[0])*(t.c[1]-t.a[1]) - (y-t.a[1])*(t.c[0]-t.a[0])) / t.twiceArea
		v := ((t.b[0]-t.a[0])*(y-t.a[1]) - (t.b[1]-t.a[1])*(x-t.a[0])) / t.twiceArea
		if u < -1e-6 || v < -1e-6 || u+v > 1+1e-6 {
			continue
		}
		p = t.corner[0].Add(t.corner[1].Sub(t.corner[0]).Mul(u)).Add(t.corner[2].Sub(t.corner[0]).Mul(v))
		return p, t.normal, true
	}
	return
}

func f32(v geom.Vec3) [3]float32 { return [3]float32{float32(v[0]), float32(v[1]), float32(v[2])} }
