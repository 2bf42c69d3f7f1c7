package trace

import "math"

// Of the build: how many bins the heuristic tries along an axis, how many
// triangles a leaf may hold, and what a box costs beside a triangle.
const (
	bins     = 16
	leafSize = 4
	boxCost  = 0.8
	maxDepth = 60 // the walks' stacks hold 64
)

type box struct{ min, max Vec }

func emptyBox() box {
	inf := float32(math.Inf(1))
	return box{Vec{inf, inf, inf}, Vec{-inf, -inf, -inf}}
}

func (b *box) grow(p Vec) {
	for i := range 3 {
		if p[i] < b.min[i] {
			b.min[i] = p[i]
		}
		if p[i] > b.max[i] {
			b.max[i] = p[i]
		}
	}
}

func (b *box) join(o *box) {
	for i := range 3 {
		if o.min[i] < b.min[i] {
			b.min[i] = o.min[i]
		}
		if o.max[i] > b.max[i] {
			b.max[i] = o.max[i]
		}
	}
}

func (b *box) centre() Vec {
	return Vec{(b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2}
}

// area is half the surface of the box; only ratios matter.
func (b *box) area() float32 {
	x, y, z := b.max[0]-b.min[0], b.max[1]-b.min[1], b.max[2]-b.min[2]
	if x < 0 {
		return 0
	}
	return x*y + y*z + z*x
}

type item struct {
	box    box
	centre Vec
	index  int32
}

type builder struct {
	items []item
	nodes []node
}

// split makes node at hold items [from, to), as a leaf or as two children.
func (b *builder) split(at int, from, to int) { b.splitAt(at, from, to, 0) }

func (b *builder) splitAt(at, from, to, depth int) {
	bounds, centres := emptyBox(), emptyBox()
	for i := from; i < to; i++ {
		bounds.join(&b.items[i].box)
		centres.grow(b.items[i].centre)
	}
	b.nodes[at].min, b.nodes[at].max = bounds.min, bounds.max
	middle := b.partition(from, to, &bounds, &centres)
	if middle < 0 || depth >= maxDepth {
		b.nodes[at].first, b.nodes[at].count = int32(from), int32(to-from)
		return
	}
	children := len(b.nodes)
	b.nodes = append(b.nodes, node{}, node{})
	b.nodes[at].first = int32(children)
	b.splitAt(children, from, middle, depth+1)
	b.splitAt(children+1, middle, to, depth+1)
}

// partition puts the items into the cheapest order of two groups and returns
// where the second begins, or -1 where a leaf is cheaper.
func (b *builder) partition(from, to int, bounds, centres *box) int {
	n := to - from
	if n <= 1 {
		return -1
	}
	bestCost, bestAxis, bestBin := float32(math.Inf(1)), -1, 0
	for axis := range 3 {
		width := centres.max[axis] - centres.min[axis]
		if !(width > 0) {
			continue
		}
		scale := bins / width
		var boxes [bins]box
		var counts [bins]int
		for i := range boxes {
			boxes[i] = emptyBox()
		}
		for i := from; i < to; i++ {
			k := binOf(b.items[i].centre[axis], centres.min[axis], scale)
			counts[k]++
			boxes[k].join(&b.items[i].box)
		}
		var rightArea [bins]float32
		right := emptyBox()
		for k := bins - 1; k > 0; k-- {
			right.join(&boxes[k])
			rightArea[k] = right.area()
		}
		left, leftCount := emptyBox(), 0
		for k := range bins - 1 {
			left.join(&boxes[k])
			leftCount += counts[k]
			if leftCount == 0 || leftCount == n {
				continue
			}
			cost := left.area()*float32(leftCount) + rightArea[k+1]*float32(n-leftCount)
			if cost < bestCost {
				bestCost, bestAxis, bestBin = cost, axis, k
			}
		}
	}
	area := bounds.area()
	if n <= leafSize && (bestAxis < 0 || area == 0 || boxCost+bestCost/area >= float32(n)) {
		return -1
	}
	if bestAxis < 0 {
		return from + n/2 // all in one spot: halve the list so that no leaf grows long
	}
	scale := bins / (centres.max[bestAxis] - centres.min[bestAxis])
	i, j := from, to-1
	for i <= j {
		if binOf(b.items[i].centre[bestAxis], centres.min[bestAxis], scale) <= bestBin {
			i++
		} else {
			b.items[i], b.items[j] = b.items[j], b.items[i]
			j--
		}
	}
	return i
}

func binOf(x, low, scale float32) int {
	return min(max(int((x-low)*scale), 0), bins-1)
}
