package lightmap

import (
	"math"

	"grotta/core/geom"
	"grotta/core/sampling"
	"grotta/core/scene"
)

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
	whole, bounds := f.convex, geom.NoBounds()
	bounds.Grow(at)
	if f.rectangle {
		whole = float64(x) >= f.low[0]-flatSlack && float64(y) >= f.low[1]-flatSlack && float64(x)+1 <= f.high[0]+flatSlack && float64(y)+1 <= f.high[1]+flatSlack
	}
	if whole && f.rectangle {
		cx, cy := f.chart.At(at)
		cx, cy = float64(x+int(f.chart.x)+PaddingTexels)-cx, float64(y+int(f.chart.y)+PaddingTexels)-cy
		u, v := f.chart.Axes()
		for k := range 4 {
			bounds.Grow(at.Add(u.Mul((cx + float64(k&1)) / f.chart.Density)).Add(v.Mul((cy + float64(k>>1)) / f.chart.Density)))
		}
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

// Squares tells where the squares of texels lie. It is fastest for texels that follow each other.
type Squares struct {
	m        *Map
	chart    *Chart
	triangle int32
	square   sampling.Square
}

// Squares returns a teller. The texels have to be the map's.
func (m *Map) Squares() Squares { return Squares{m: m, triangle: -1} }

// Of returns the square of a texel, its middle as a step from the texel's origin. It holds until
// the next one is asked for.
func (s *Squares) Of(t *Texel) *sampling.Square {
	if t.Triangle != s.triangle {
		s.triangle, s.chart = t.Triangle, &s.m.Layout.Charts[s.m.Layout.ChartOf[t.Surface(s.m.Scene)]]
		u, v := s.chart.Axes()
		if n, about := t.Normal(s.m.Scene), u.Cross(v); n.Dot(about) < 1-1e-9 {
			// Of a mesh: along the chart's axes, but in the triangle's plane.
			cos := max(n.Dot(about), 1e-3)
			u, v = u.Sub(about.Mul(n.Dot(u)/cos)), v.Sub(about.Mul(n.Dot(v)/cos))
		}
		s.square.U, s.square.V = u.Mul(1/s.chart.Density), v.Mul(1/s.chart.Density)
	}
	x, y := s.chart.At(vec(t.Origin))
	s.square.Middle = s.square.U.Mul(math.Floor(x) + 0.5 - x).Add(s.square.V.Mul(math.Floor(y) + 0.5 - y))
	s.square.Cells = t.Area
	return &s.square
}
