package lightmap

import (
	"math"

	"grotta/core/geom"
	"grotta/core/sampling"
	"grotta/core/scene"
)

// beyondEdge is how far a part of a square may reach beyond the edge of its surface, in texels: half its side, as its middle
// is on the surface.
const beyondEdge = 0.125

// area finds which cells of the square at a place of the chart lie on the surface. at is where the
// texel was put, off the spot under it. parted tells whether something may stand on the square.
func (f *flat) area(x, y int, at geom.Vec3, under *spot, near *scene.Blocks) (a sampling.Cells, parted bool) {
	on := func(u, v float64) (geom.Vec3, bool) {
		other, ok := f.at(float64(x)+u, float64(y)+v)
		if !ok {
			return other.at, false
		}
		p := other.at.Add(other.normal.Mul(scene.OffsetM))
		return p, math.Abs(p.Sub(at).Dot(under.normal)) < scene.OffsetM/2
	}
	// The square reaches beyond the edge of the surface by half a part: places there may be inside of what joins on.
	whole, bounds := f.convex, geom.NoBounds()
	cx, cy := f.chart.At(at)
	cx, cy = cx-float64(int(f.chart.x)+PaddingTexels), cy-float64(int(f.chart.y)+PaddingTexels)
	u, v := f.chart.sidesOn(under.normal)
	for k := range 4 {
		x := min(max(float64(x+k&1), f.low[0]-beyondEdge), f.high[0]+beyondEdge)
		y := min(max(float64(y+k>>1), f.low[1]-beyondEdge), f.high[1]+beyondEdge)
		bounds.Grow(at.Add(u.Mul(x - cx)).Add(v.Mul(y - cy)))
	}
	if f.rectangle {
		whole = float64(x) >= f.low[0]-flatSlack && float64(y) >= f.low[1]-flatSlack && float64(x)+1 <= f.high[0]+flatSlack && float64(y)+1 <= f.high[1]+flatSlack
	} else {
		const edge = 1e-4
		for k := range 4 {
			p, ok := on(edge+(1-2*edge)*float64(k&1), edge+(1-2*edge)*float64(k>>1))
			if whole = whole && ok; ok {
				bounds.Grow(p)
			}
		}
	}
	apart := near.Apart(bounds)
	if apart && (whole || !f.convex && f.within(under.triangle, float64(x), float64(y), 1)) {
		return sampling.AllCells, false
	}
	for i := range sampling.CellCount {
		cx, cy := sampling.CellAt(i)
		// What stands on the texel parts it: only the side that the texel's own place is on counts.
		if p, ok := on((float64(cx)+0.5)/4, (float64(cy)+0.5)/4); ok && (apart || !near.Hold(p) && !f.scene.Blocked(at, p)) {
			a |= 1 << i
		}
	}
	return a, !apart
}

// sidesOn are the sides of a texel's square on a surface with this normal: along the chart's axes, but in the
// surface's plane.
func (c *Chart) sidesOn(normal geom.Vec3) (u, v geom.Vec3) {
	u, v = c.Axes()
	if about := u.Cross(v); normal.Dot(about) < 1-1e-9 {
		cos := max(normal.Dot(about), 1e-3)
		u, v = u.Sub(about.Mul(normal.Dot(u)/cos)), v.Sub(about.Mul(normal.Dot(v)/cos))
	}
	return u.Mul(1 / c.Density), v.Mul(1 / c.Density)
}

// Squares tells where the squares of texels lie, and their normals. It is fastest for texels that follow each other.
type Squares struct {
	m               *Map
	chart           *Chart
	triangle        int32
	square          sampling.Square
	normal, shading geom.Vec3
	curved          bool // each texel of the triangle has a shading normal of its own
}

// Squares returns a teller. The texels have to be the map's.
func (m *Map) Squares() Squares { return Squares{m: m, triangle: -1} }

// on makes the triangle of a texel the one that is told about.
func (s *Squares) on(t *Texel) {
	if t.Triangle == s.triangle {
		return
	}
	s.triangle, s.chart = t.Triangle, &s.m.Layout.Charts[s.m.Layout.ChartOf[t.Surface(s.m.Scene)]]
	s.normal, s.shading, s.curved = t.Normal(s.m.Scene), t.Shading(s.m.Scene), s.m.Scene.IsCurved(int(t.Triangle))
	s.square.U, s.square.V = s.chart.sidesOn(s.normal)
}

// Of returns the square of a texel, its middle as a step from the texel's origin. It holds until
// the next one is asked for.
func (s *Squares) Of(t *Texel) *sampling.Square {
	s.on(t)
	x, y := s.chart.At(vec(t.Origin))
	s.square.Middle = s.square.U.Mul(math.Floor(x) + 0.5 - x).Add(s.square.V.Mul(math.Floor(y) + 0.5 - y))
	s.square.Cells = t.Area
	return &s.square
}

// Normals are a texel's Normal and its Shading.
func (s *Squares) Normals(t *Texel) (normal, shading geom.Vec3) {
	if s.on(t); s.curved {
		return s.normal, t.Shading(s.m.Scene)
	}
	return s.normal, s.shading
}
