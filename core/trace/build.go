package trace

import "math"

// bins is the number of bins of the surface-area heuristic along each axis.
const bins = 16

// maxDepth bounds the hierarchy, and so the stacks of the walks. Below it lists
// are halved, which always ends.
const maxDepth = 48

// shape is the parameters of the build for a kind of hierarchy.
type shape struct {
	leaf    int     // the most triangles a leaf may hold
	boxCost float32 // of testing a pair of boxes, beside testing one leaf step
	step    int     // how many triangles are tested at a time
}

type box struct{ min, max Vec }

func emptyBox() box {
	inf := float32(math.Inf(1))
	return box{Vec{inf, inf, inf}, Vec{-inf, -inf, -inf}}
}

func (b *box) grow(p *Vec) {
	for i := range 3 {
		b.min[i] = min(b.min[i], p[i])
		b.max[i] = max(b.max[i], p[i])
	}
}

func (b *box) join(o *box) {
	if o.min[0] < b.min[0] {
		b.min[0] = o.min[0]
	}
	if o.min[1] < b.min[1] {
		b.min[1] = o.min[1]
	}
	if o.min[2] < b.min[2] {
		b.min[2] = o.min[2]
	}
	if o.max[0] > b.max[0] {
		b.max[0] = o.max[0]
	}
	if o.max[1] > b.max[1] {
		b.max[1] = o.max[1]
	}
	if o.max[2] > b.max[2] {
		b.max[2] = o.max[2]
	}
}

// area is half the surface of the box; only ratios matter.
func (b *box) area() float32 {
	x, y, z := b.max[0]-b.min[0], b.max[1]-b.min[1], b.max[2]-b.min[2]
	if x < 0 {
		return 0
	}
	return x*y + y*z + z*x
}

// item is a triangle in the build: its box, and its place in the caller's list.
type item struct {
	box
	index int32
}

// boxOf holds a triangle and what the slack on its edges adds, so that every
// hierarchy over the same triangles finds the same hits.
func boxOf(t *Triangle) box {
	b := emptyBox()
	b.grow(&t.A)
	b.grow(&t.B)
	b.grow(&t.C)
	for i := range 3 {
		more := 2 * edgeSlack * (b.max[i] - b.min[i])
		b.min[i] -= more
		b.max[i] += more
	}
	return b
}

// node is of the binary hierarchy: inner when count is 0, with its children at
// first and first+1; else a leaf of the items from first on.
type node struct {
	min   Vec
	first int32
	max   Vec
	count int32
}

// builder splits items by binned surface-area heuristic (Wald, "On fast
// construction of SAH-based bounding volume hierarchies", 2007).
type builder struct {
	shape
	items []item
	nodes []node
}

func build(items []item, s shape) []node {
	b := builder{shape: s, items: items, nodes: make([]node, 1, len(items)*2/s.leaf*2+1)}
	b.split(0, 0, len(items), 0)
	return b.nodes
}

func (b *builder) split(at, from, to, depth int) {
	bounds := emptyBox()
	var low, high Vec // of the middles, doubled
	inf := float32(math.Inf(1))
	low, high = Vec{inf, inf, inf}, Vec{-inf, -inf, -inf}
	for i := from; i < to; i++ {
		it := &b.items[i]
		bounds.join(&it.box)
		for k := range 3 {
			c := it.min[k] + it.max[k]
			if c < low[k] {
				low[k] = c
			}
			if c > high[k] {
				high[k] = c
			}
		}
	}
	b.nodes[at].min, b.nodes[at].max = bounds.min, bounds.max
	middle := b.partition(from, to, &bounds, low, high, depth)
	if middle < 0 {
		b.nodes[at].first, b.nodes[at].count = int32(from), int32(to-from)
		return
	}
	children := len(b.nodes)
	b.nodes = append(b.nodes, node{}, node{})
	b.nodes[at].first = int32(children)
	b.split(children, from, middle, depth+1)
	b.split(children+1, middle, to, depth+1)
}

type bin struct {
	box
	count int
}

// partition orders the items into two groups and returns where the second
// begins, or -1 where a leaf is cheaper.
func (b *builder) partition(from, to int, bounds *box, low, high Vec, depth int) int {
	n := to - from
	if n <= 1 {
		return -1
	}
	if depth >= maxDepth {
		return b.halve(from, to)
	}
	// Few items need few bins; clearing bins would cost more than filling them.
	used := min(bins, 4+n/8)
	var scale Vec
	for k := range 3 {
		if w := high[k] - low[k]; w > 0 && !math.IsInf(float64(w), 0) {
			scale[k] = float32(used) * 0.9999 / w
		}
	}
	var grid [3][bins]bin
	for k := range 3 {
		for i := range used {
			grid[k][i].box = emptyBox()
		}
	}
	for i := from; i < to; i++ {
		it := &b.items[i]
		for k := range 3 {
			g := &grid[k][binOf(it, k, low[k], scale[k])]
			g.count++
			g.join(&it.box)
		}
	}
	bestCost, bestAxis, bestBin := float32(math.Inf(1)), -1, 0
	for k := range 3 {
		if scale[k] == 0 {
			continue
		}
		var rightArea [bins]float32
		right := emptyBox()
		for i := used - 1; i > 0; i-- {
			if grid[k][i].count > 0 {
				right.join(&grid[k][i].box)
			}
			rightArea[i] = right.area()
		}
		left, count := emptyBox(), 0
		for i := range used - 1 {
			if grid[k][i].count > 0 {
				left.join(&grid[k][i].box)
				count += grid[k][i].count
			}
			if count == 0 || count == n {
				continue
			}
			if cost := left.area()*b.steps(count) + rightArea[i+1]*b.steps(n-count); cost < bestCost {
				bestCost, bestAxis, bestBin = cost, k, i
			}
		}
	}
	area := bounds.area()
	if n <= b.leaf && (bestAxis < 0 || area == 0 || b.boxCost+bestCost/area >= b.steps(n)) {
		return -1
	}
	if bestAxis < 0 {
		return b.halve(from, to) // all in one spot
	}
	i, j := from, to-1
	for i <= j {
		if binOf(&b.items[i], bestAxis, low[bestAxis], scale[bestAxis]) <= bestBin {
			i++
		} else {
			b.items[i], b.items[j] = b.items[j], b.items[i]
			j--
		}
	}
	return i
}

// steps is the cost of testing n triangles in groups of a fixed size. It is interpolated between
// whole groups, as most lists are split further.
func (b *builder) steps(n int) float32 { return max(1, float32(n)/float32(b.step)) }

// halve splits a list in the middle, so that no leaf grows long.
func (b *builder) halve(from, to int) int {
	if to-from <= b.leaf {
		return -1
	}
	return (from + to) / 2
}

func binOf(it *item, axis int, low, scale float32) int {
	return int((it.min[axis] + it.max[axis] - low) * scale)
}
