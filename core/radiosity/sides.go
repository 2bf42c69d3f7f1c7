package radiosity

import (
	"math"

	"grotta/core/geom"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
)

// sides are the parts into which something divides the square of a patch, by standing on it or hanging low over it. A texel has
// one light for all of its square, so without them a strip between a wall and the next texel has none of its own.
type sides struct {
	x, y          int32  // of the square, in the chart
	width, height int32  // in cells
	of            []int8 // the side of each cell, or -1 where something stands on it or a mesh has no surface
}

// cells are where those of the sides of a square lie.
type cells struct {
	*sides
	count        int         // of the sides
	at           []geom.Vec3 // the middles, off the surface
	u, v         geom.Vec3   // the sides of a cell
	normal, lift geom.Vec3
}

const (
	cellsOfTexel = 4  // along each side
	placesOfCell = 4  // at which the light is looked at
	mostSides    = 64 // of a square
	sidesSeed    = 0x73696465
)

// sidesOf finds the sides of the square of a patch; nil if there is but one, or if the patch is not flat.
func (l *Links) sidesOf(patch int) *cells {
	texel := &l.m.Texels.List[l.first[patch]]
	chart := l.m.ChartOf(int(l.first[patch]))
	c, g := &l.m.Layout.Charts[chart], l.Grid(chart)
	isMesh := l.m.Scene.Surfaces[c.Surface].Body().Solid == nil
	if !l.isCut(patch) && !l.isUnder(patch) || isMesh && !l.isFlat(patch) {
		return nil
	}
	x, y := l.m.PlaceOf(c, int(l.first[patch]))
	x, y = x/g.Side*g.Side, y/g.Side*g.Side
	width, height := cellsOfTexel*min(g.Side, g.Width-x), cellsOfTexel*min(g.Side, g.Height-y)
	s := &cells{sides: &sides{x: int32(x), y: int32(y), width: int32(width), height: int32(height)}, normal: texel.Normal(l.m.Scene)}
	origin := vec(texel.Origin)
	fromX, fromY := inChart(c, origin)
	u, v := c.Axes()
	s.u, s.v = u.Mul(1/(cellsOfTexel*c.Density)), v.Mul(1/(cellsOfTexel*c.Density))
	s.lift = s.normal.Mul(liftTexels / c.Density)
	s.of, s.at = make([]int8, width*height), make([]geom.Vec3, width*height)
	for k := range s.of {
		cx := float64(x) + (float64(k%width)+0.5)/cellsOfTexel - fromX
		cy := float64(y) + (float64(k/width)+0.5)/cellsOfTexel - fromY
		s.at[k] = origin.Add(u.Mul(cx / c.Density)).Add(v.Mul(cy / c.Density))
		s.of[k] = unknown
		if l.m.Scene.Blocked(s.at[k], s.at[k].Add(s.lift)) || isMesh && !l.m.Scene.Blocked(s.at[k], s.at[k].Sub(s.lift)) {
			s.of[k] = -1
		}
	}
	var queue []int
	for first := range s.of {
		if s.of[first] != unknown {
			continue
		}
		if s.count == mostSides {
			return nil
		}
		s.of[first], queue = int8(s.count), append(queue[:0], first)
		for len(queue) > 0 {
			k := queue[len(queue)-1]
			queue = queue[:len(queue)-1]
			for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				nx, ny := k%width+d[0], k/width+d[1]
				if nx < 0 || ny < 0 || nx >= width || ny >= height {
					continue
				}
				if to := ny*width + nx; s.of[to] == unknown && !l.m.Scene.Blocked(s.at[k].Add(s.lift), s.at[to].Add(s.lift)) {
					s.of[to] = int8(s.count)
					queue = append(queue, to)
				}
			}
		}
		s.count++
	}
	if s.count < 2 {
		return nil
	}
	return s
}

// unknown is the side of a cell that is not looked at yet.
const unknown = -2

// isFlat tells whether the texels of a patch lie in one plane and are lit by its normal.
func (l *Links) isFlat(patch int) bool {
	const mostOff = 1e-3 // of a normal, and of a texel
	var room [16]int32
	texels := l.texelsOf(patch, room[:0])
	first := &l.m.Texels.List[texels[0]]
	normal, origin := first.Normal(l.m.Scene), vec(first.Origin)
	mostOffM := mostOff / l.m.Layout.Charts[l.m.ChartOf(int(texels[0]))].Density
	for _, k := range texels {
		t := &l.m.Texels.List[k]
		if t.Shading(l.m.Scene).Sub(normal).Len() > mostOff || math.Abs(vec(t.Origin).Sub(origin).Dot(normal)) > mostOffM {
			return false
		}
	}
	return true
}

// isUnder tells whether something hangs low over a texel of a patch.
func (l *Links) isUnder(patch int) bool {
	var room [16]int32
	for _, k := range l.texelsOf(patch, room[:0]) {
		t := &l.m.Texels.List[k]
		at := vec(t.Origin)
		if l.m.Scene.Blocked(at, at.Add(t.Normal(l.m.Scene).Mul(liftTexels/l.m.Layout.Charts[l.m.ChartOf(int(k))].Density))) {
			return true
		}
	}
	return false
}

// light is the mean of a source's light on each side.
func (s *cells) light(sc *scene.Scene, src *source.Source, seed uint64) [][3]float32 {
	lux, n := make([][3]float32, s.count), make([]float32, s.count)
	for k, side := range s.of {
		if side < 0 {
			continue
		}
		cell := sampling.Square{U: s.u, V: s.v, Cells: sampling.AllCells}
		turn := sampling.TurnAt(seed^sidesSeed, [3]float32{float32(s.at[k][0]), float32(s.at[k][1]), float32(s.at[k][2])})
		var room [placesOfCell]geom.Vec3
		for _, step := range cell.Spread(room[:], turn) {
			at := s.at[k].Add(step)
			if sc.Blocked(s.at[k], at) || sc.Blocked(at, at.Add(s.lift)) || sc.Blocked(s.at[k].Add(s.lift), at.Add(s.lift)) {
				continue // it is on another side, or something stands there
			}
			r := source.Receiver{Point: at.Sub(s.normal.Mul(scene.OffsetM)), Origin: at, Normal: s.normal}
			one, _ := src.Sharp(sc, &r, source.Steady(edgeSamples), turn)
			for c := range 3 {
				lux[side][c] += float32(one[c])
			}
			n[side]++
		}
	}
	for side := range lux {
		for c := range 3 {
			lux[side][c] /= max(n[side], 1)
		}
	}
	return lux
}

// sideAt is the side at a place of the chart, -1 for none.
func (s *sides) sideAt(x, y float64) int {
	cx, cy := int32((x-float64(s.x))*cellsOfTexel), int32((y-float64(s.y))*cellsOfTexel)
	if x < float64(s.x) || y < float64(s.y) || cx >= s.width || cy >= s.height {
		return -1
	}
	return int(s.of[cy*s.width+cx])
}
