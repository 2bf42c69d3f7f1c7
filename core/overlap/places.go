package overlap

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/geom"
)

// This file finds where many shadow volumes share a point.
//
// Space is halved again and again. A box is left alone when no more volumes than are allowed meet
// it. What is left are the boxes where the limit may be broken; those that touch are one place, and
// the deepest point of each place is looked for by branch and bound: volumes are convex, so whether
// some of them share a point is asked by moving a point to the farthest of them in turn until it
// lies in all (Agmon, 1954). The work grows with the room in which the limit is nearly reached, not
// with pairs of lights.

// Place is a region in which more volumes meet than are allowed.
type Place struct {
	IDs     []string // volumes that share the point
	Point   geom.Vec3
	Most    int // no point of it has more
	Region  []geom.Bounds
	InDoubt bool // the search ended early; there may be a deeper point
}

// Bounds of the search. leastM is the side of the smallest boxes; a region is made of boxes of about
// regionM, or of a sixtieth of the level if that is more.
const (
	leastM   = 0.06
	regionM  = 0.3
	maxBoxes = 200_000
	maxTests = 6000
)

// cell is a box with the volumes that may meet it. The first of them hold all of it.
type cell struct {
	box   geom.Bounds
	meet  []int
	whole int
}

func (c *cell) side() float64 {
	d := c.box.Max.Sub(c.box.Min)
	return max(d[0], d[1], d[2])
}

func (c *cell) middle() geom.Vec3 { return c.box.Min.Add(c.box.Max).Mul(0.5) }

// Places finds every separate place within some bounds where more than allowed volumes meet, the
// deepest first. complete is false where the search had to end early; then there may be more.
func Places(volumes []Volume, within geom.Bounds, allowed int) (places []Place, complete bool) {
	var base []string
	var local []Volume
	for _, v := range volumes {
		if v.Everywhere() {
			base = append(base, v.ID)
		} else {
			local = append(local, v)
		}
	}
	s := search{volumes: local, allowed: max(0, allowed-len(base)), boxes: maxBoxes}
	size := within.Max.Sub(within.Min)
	s.grain = max(regionM, max(size[0], size[1], size[2])/60)
	all := make([]int, len(local))
	for i := range all {
		all[i] = i
	}
	first := s.cellOf(within, all)
	if len(base) > allowed {
		// They are too many by themselves, everywhere.
		s.allowed = -1
		deepest := s.deepest([]cell{first})
		deepest.IDs = sorted(append(deepest.IDs, base...))
		deepest.Most += len(base)
		return []Place{deepest}, !deepest.InDoubt
	}
	s.divide(first)
	s.lookCloser()
	for _, cells := range touching(s.over, 4*s.grain) {
		p := s.deepest(cells)
		if len(p.IDs) <= s.allowed {
			continue // it was only nearly reached
		}
		p.IDs = sorted(append(p.IDs, base...))
		p.Most += len(base)
		places = append(places, p)
	}
	slices.SortStableFunc(places, func(a, b Place) int { return cmp.Compare(len(b.IDs), len(a.IDs)) })
	return places, s.boxes > 0
}

func sorted(ids []string) []string {
	slices.Sort(ids)
	return slices.Compact(ids)
}

type search struct {
	volumes []Volume
	allowed int
	boxes   int     // left to look at
	grain   float64 // side of the boxes of a region, metres
	tests   int     // left for the deepest point of a place
	over    []cell
	doubt   []cell // small ones in which the limit may be broken
}

func (s *search) cellOf(box geom.Bounds, candidates []int) cell {
	c := cell{box: box}
	var partly []int
	for _, i := range candidates {
		switch v := &s.volumes[i]; {
		case !v.Meets(box):
		case v.holds(box):
			c.meet = append(c.meet, i)
		default:
			partly = append(partly, i)
		}
	}
	c.whole = len(c.meet)
	c.meet = append(c.meet, partly...)
	return c
}

// halves are the two halves of a cell across its longest side.
func (s *search) halves(c *cell) [2]cell {
	d := c.box.Max.Sub(c.box.Min)
	axis := 0
	for i := range 3 {
		if d[i] > d[axis] {
			axis = i
		}
	}
	low, high := c.box, c.box
	middle := (c.box.Min[axis] + c.box.Max[axis]) / 2
	low.Max[axis], high.Min[axis] = middle, middle
	return [2]cell{s.cellOf(low, c.meet), s.cellOf(high, c.meet)}
}

// divide collects the cells in which the limit may be broken.
func (s *search) divide(c cell) {
	stack := []cell{c}
	for len(stack) > 0 {
		c := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if len(c.meet) <= s.allowed {
			continue
		}
		s.boxes--
		if c.whole > s.allowed && c.side() <= 4*s.grain || c.whole == len(c.meet) || s.boxes <= 0 {
			s.over = append(s.over, c)
			continue
		}
		if c.side() <= s.grain {
			if s.depthAt(&c, c.middle()) > s.allowed {
				s.over = append(s.over, c)
			} else {
				s.doubt = append(s.doubt, c)
			}
			continue
		}
		h := s.halves(&c)
		stack = append(stack, h[0], h[1])
	}
}

// depthAt counts the volumes of a cell that hold a point.
func (s *search) depthAt(c *cell, p geom.Vec3) (n int) {
	for _, i := range c.meet {
		if s.volumes[i].Contains(p) {
			n++
		}
	}
	return n
}

// lookCloser settles the small cells in doubt. One beside a place over the limit belongs to that place.
func (s *search) lookCloser() {
	near := boxesOf(s.over, 4*s.grain)
	for _, c := range s.doubt {
		// Where no light more is taken each volume is a place by itself, and needs no closer look.
		if s.allowed == 0 || near.touch(c.box) || !s.settled(&c) {
			s.over = append(s.over, c)
		}
	}
}

// settled tells whether a small cell surely keeps to the limit, by looking closer.
func (s *search) settled(c *cell) bool {
	if len(c.meet) <= s.allowed {
		return true
	}
	if s.boxes--; s.boxes <= 0 || c.whole > s.allowed {
		return false
	}
	// A point that enough volumes share is looked for before the cell is cut.
	if s.depthAt(c, c.middle()) > s.allowed {
		return false
	}
	if c.side() <= leastM {
		s.tests = 200
		best := crowd{}
		s.grow(c, nil, c.middle(), c.meet, &best, s.allowed)
		return len(best.set) <= s.allowed && s.tests > 0
	}
	h := s.halves(c)
	return s.settled(&h[0]) && s.settled(&h[1])
}

// boxGrid finds the boxes that touch another, by the cells of a grid that they lie in.
type boxGrid struct {
	cellM float64
	boxes map[[3]int32][]geom.Bounds
}

func gridCells(b geom.Bounds, gridM float64, visit func([3]int32)) {
	var low, high [3]int32
	for axis := range 3 {
		low[axis], high[axis] = int32(math.Floor((b.Min[axis]-1e-6)/gridM)), int32(math.Floor((b.Max[axis]+1e-6)/gridM))
	}
	for x := low[0]; x <= high[0]; x++ {
		for y := low[1]; y <= high[1]; y++ {
			for z := low[2]; z <= high[2]; z++ {
				visit([3]int32{x, y, z})
			}
		}
	}
}

func boxesOf(cells []cell, cellM float64) boxGrid {
	g := boxGrid{cellM, map[[3]int32][]geom.Bounds{}}
	for _, c := range cells {
		gridCells(c.box, cellM, func(k [3]int32) { g.boxes[k] = append(g.boxes[k], c.box) })
	}
	return g
}

func (g boxGrid) touch(b geom.Bounds) (found bool) {
	gridCells(b, g.cellM, func(k [3]int32) {
		found = found || slices.ContainsFunc(g.boxes[k], func(o geom.Bounds) bool { return boxesTouch(o, b) })
	})
	return found
}

func boxesTouch(a, b geom.Bounds) bool {
	for axis := range 3 {
		if a.Min[axis] > b.Max[axis]+1e-9 || b.Min[axis] > a.Max[axis]+1e-9 {
			return false
		}
	}
	return true
}

// touching divides cells into groups that hang together.
func touching(cells []cell, gridM float64) [][]cell {
	group := make([]int, len(cells))
	for i := range group {
		group[i] = i
	}
	var root func(int) int
	root = func(i int) int {
		if group[i] != i {
			group[i] = root(group[i])
		}
		return group[i]
	}
	at := map[[3]int32][]int{}
	for i := range cells {
		gridCells(cells[i].box, gridM, func(k [3]int32) {
			for _, j := range at[k] {
				if root(i) != root(j) && boxesTouch(cells[i].box, cells[j].box) {
					group[root(i)] = root(j)
				}
			}
			at[k] = append(at[k], i)
		})
	}
	byRoot := map[int]int{}
	var out [][]cell
	for i := range cells {
		r := root(i)
		k, ok := byRoot[r]
		if !ok {
			k = len(out)
			byRoot[r] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], cells[i])
	}
	return out
}

// crowd is a set of volumes that share a point.
type crowd struct {
	set   []int
	point geom.Vec3
}

// deepest finds the largest set of volumes that share a point in some cells.
func (s *search) deepest(cells []cell) Place {
	var best crowd
	out := Place{}
	s.tests = maxTests
	stack := slices.Clone(cells)
	// The most crowded cells come last, so that they are taken first.
	slices.SortStableFunc(stack, func(a, b cell) int { return cmp.Compare(len(a.meet), len(b.meet)) })
	for _, c := range cells {
		out.Most = max(out.Most, len(c.meet))
		out.Region = append(out.Region, c.box)
	}
	for len(stack) > 0 {
		c := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if len(c.meet) <= len(best.set) {
			continue
		}
		if s.tests <= 0 {
			out.InDoubt = true
			break
		}
		var here []int
		for _, i := range c.meet {
			if s.volumes[i].Contains(c.middle()) {
				here = append(here, i)
			}
		}
		s.tests--
		if len(here) > len(best.set) {
			best = crowd{here, c.middle()}
		}
		if len(c.meet) <= len(best.set) {
			continue
		}
		if len(c.meet) <= 10 || c.side() <= leastM {
			s.grow(&c, nil, c.middle(), c.meet, &best, len(best.set))
			continue
		}
		h := s.halves(&c)
		stack = append(stack, h[0], h[1])
	}
	if !out.InDoubt {
		out.Most = len(best.set)
	}
	out.Point = best.point
	// Of all points that prove it, one near the lights is one that a player sees.
	var middle geom.Vec3
	for _, i := range best.set {
		middle = middle.Add(s.volumes[i].Middle.Mul(1 / float64(len(best.set))))
	}
	if p, ok := s.common(best.set, middle); ok && len(best.set) > 0 {
		out.Point = p
	}
	for _, i := range best.set {
		out.IDs = append(out.IDs, s.volumes[i].ID)
	}
	return out
}

// grow looks among some candidates for a set larger than best that shares a point in a cell.
func (s *search) grow(c *cell, set []int, at geom.Vec3, candidates []int, best *crowd, least int) {
	if len(set) > max(len(best.set), least) {
		best.set, best.point = slices.Clone(set), at
	}
	for k, i := range candidates {
		if len(set)+len(candidates)-k <= max(len(best.set), least) || s.tests <= 0 {
			return
		}
		grown := append(slices.Clone(set), i)
		point, ok := s.common(grown, at)
		if !ok {
			continue
		}
		s.grow(c, grown, point, candidates[k+1:], best, least)
	}
}

// shrinkM is how deep in all volumes a shared point is looked for, so that it lies well inside.
const shrinkM = 0.0005

// common looks for a point that all volumes of a set share, from p on.
func (s *search) common(set []int, p geom.Vec3) (geom.Vec3, bool) {
	s.tests--
	for range 400 {
		worst, far := convex(nil), 0.0
		for _, i := range set {
			for _, part := range s.volumes[i].parts {
				if d := part.distance(p); worst == nil || d > far {
					worst, far = part, d
				}
			}
		}
		if worst == nil || far <= 0 {
			return p, true
		}
		// A little over the border, so that the way ends after a number of steps.
		next := worst.nearest(p)
		step := next.Sub(p)
		p = p.Add(step.Mul(1 + shrinkM/max(step.Len(), 1e-12)))
	}
	return p, false
}
