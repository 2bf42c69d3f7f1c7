package trace

import (
	"slices"
	"unsafe"

	"grotta/core/half"
)

// wide is a hierarchy of eight children a node and up to eight triangles a leaf,
// laid out for eight float32 lanes. Nodes and leaves lie in one list, the children
// of a node together, so that both are found and fetched alike; the root is the
// first.
type wide struct{ lines []line }

// line is a cache line. A node or leaf is identified by the index of its first line.
type line [64]byte

// wideNode holds its children's boxes by plane: min x, max x, min y, max y, min
// z, max z, as half-floats from its middle and rounded outward. So a node is two
// lines, and twice as many stay in the caches. An empty slot has an inverted
// infinite box.
type wideNode struct {
	planes [6][8]uint16
	child  [8]uint16 // how far behind first a child is
	middle Vec
	first  uint32
}

// A child is told by a word: twice its first line, and one more where it is a
// leaf.
const leafBit = 1

// block is a leaf, or small ones of a node together: corners and edges of up to eight
// triangles. An empty lane has no edges, so nothing meets it. Five lines.
type block struct {
	a, e1, e2 [3][8]float32
	index     [8]int32
}

const nodeLines, blockLines = 2, 5

func (w *wide) node(word uint32) *wideNode { return (*wideNode)(unsafe.Pointer(&w.lines[word/2])) }

func (w *wide) block(word uint32) *block { return (*block)(unsafe.Pointer(&w.lines[word/2])) }

// more makes room for so many lines and returns the word of the first.
func (w *wide) more(n int) uint32 {
	at := len(w.lines)
	w.lines = append(w.lines, make([]line, n)...)
	return uint32(2 * at)
}

// wideRay is a ray as the kernel reads it.
type wideRay struct {
	origin, dir, inv Vec
	max              float32
	near             [3]uint64 // byte offset in a node of the planes a ray enters by
}

func newWide(list List) *wide {
	items := itemsOf(list)
	w := &wide{}
	if len(items) == 0 {
		return w
	}
	nodes := build(items, shape{leaf: 8, boxCost: 0.4, step: 8})
	c := collapser{nodes: nodes, order: make([]int32, len(items)), triangle: list.At, wide: w}
	for i := range items {
		c.order[i] = items[i].index
	}
	items = nil // their boxes are no more of use
	c.weigh(0)
	w.lines = make([]line, 0, nodeLines+c.linesOf(0))
	c.collapse(w.more(nodeLines), 0)
	return w
}

// collapser makes wide nodes of binary ones, those of the least expected cost by
// surface area (Ylitie, Karras and Laine, "Efficient incoherent ray traversal on
// GPUs through compressed wide BVHs", 2017, section 3.1).
type collapser struct {
	nodes    []node
	order    []int32 // of the triangles in leaves
	triangle func(i int) Triangle
	wide     *wide
}

// plan says how an inner node is best put into up to eight slots of a wide one: how many
// of so many slots go to its first child; with none it takes one slot, as a node of its
// own. The first number is of its own eight slots. It is kept in place of the node's
// count, below zero.
type plan [8]int32

func (n *node) keep(p *plan) {
	n.count = 0
	for k, left := range p {
		n.count |= left << (4 * k)
	}
	n.count = ^n.count
}

// left is how many of so many slots, 2 to 8, go to the first child of a planned node; of
// 1, how many of its own eight.
func (n *node) left(slots int) int { return int(^n.count >> (4 * (slots - 1)) & 15) }

func (n *node) isLeaf() bool { return n.count > 0 }

// boxMargin widens boxes, in the extent of their node, by more than is lost where
// the origin of a ray is taken from the node's middle.
const boxMargin = 4e-7

// nodeCost is the cost of visiting a wide node, relative to testing a leaf.
const nodeCost = 1.0

func (c *collapser) area(at int32) float32 {
	b := box{c.nodes[at].min, c.nodes[at].max}
	return b.area()
}

// weigh plans a node and what is below it, and gives the cost in up to k+1 slots.
func (c *collapser) weigh(at int32) (cost [8]float32) {
	n := &c.nodes[at]
	if n.isLeaf() {
		for k := range cost {
			cost[k] = c.area(at)
		}
		return cost
	}
	l, r := c.weigh(n.first), c.weigh(n.first+1)
	split := func(slots int) (float32, int32) {
		best, left := l[0]+r[slots-2], 1 // also where areas are beyond float32
		for k := 2; k < slots; k++ {
			if cost := l[k-1] + r[slots-k-1]; cost < best {
				best, left = cost, k
			}
		}
		return best, int32(left)
	}
	whole, left := split(8)
	p := plan{left}
	cost[0] = whole + nodeCost*c.area(at)
	for k := 1; k < 8; k++ {
		cost[k], p[k] = whole, left
		if k < 7 {
			cost[k], p[k] = split(k + 1)
		}
		if cost[k-1] <= cost[k] {
			cost[k], p[k] = cost[k-1], 0
		}
	}
	n.keep(&p)
	return cost
}

// slots lists the binary nodes that fill the slots given to one.
func (c *collapser) slots(list []int32, at int32, slots int) []int32 {
	n := &c.nodes[at]
	for slots > 1 && (n.isLeaf() || n.left(slots) == 0) {
		slots-- // no better with one more
	}
	if slots == 1 {
		return append(list, at)
	}
	left := n.left(slots)
	list = c.slots(list, n.first, left)
	return c.slots(list, n.first+1, slots-left)
}

// children lists what fills the slots of the wide node made of a binary one.
func (c *collapser) children(list []int32, of int32) []int32 {
	n := &c.nodes[of]
	if n.isLeaf() {
		return append(list, of)
	}
	left := n.left(1)
	list = c.slots(list, n.first, left)
	return c.slots(list, n.first+1, 8-left)
}

// linesOf is how many lines all below a wide node take.
func (c *collapser) linesOf(of int32) (lines int) {
	var room [8]int32
	list := c.children(room[:0], of)
	_, blocks := c.share(list)
	lines = blocks * blockLines
	for _, n := range list {
		if !c.nodes[n].isLeaf() {
			lines += nodeLines + c.linesOf(n)
		}
	}
	return lines
}

// share puts the leaves among a node's children into blocks, small ones into one: where
// a ray meets one of them, testing the others too costs nothing. It tells which block
// is whose, and how many there are.
func (c *collapser) share(list []int32) (blockOf [8]int, blocks int) {
	var held [8]int32
	for slot, n := range list {
		if size := c.nodes[n].count; c.nodes[n].isLeaf() {
			k := 0
			for held[k]+size > int32(len(block{}.index)) {
				k++
			}
			held[k] += size
			blockOf[slot], blocks = k, max(blocks, k+1)
		}
	}
	return blockOf, blocks
}

func (c *collapser) collapse(at uint32, from int32) {
	var room [8]int32
	list := c.children(room[:0], from)
	blockOf, blocks := c.share(list)
	lines := blocks * blockLines
	for _, n := range list {
		if !c.nodes[n].isLeaf() {
			lines += nodeLines
		}
	}
	first := c.wide.more(lines)
	for k := range blocks {
		c.wide.block(first + uint32(2*blockLines*k)).clear()
	}
	node := wideNode{first: first}
	bounds := &c.nodes[from]
	for axis := range 3 {
		node.middle[axis] = bounds.min[axis]/2 + bounds.max[axis]/2
		margin := boxMargin * (bounds.max[axis] - bounds.min[axis])
		low, high := &node.planes[2*axis], &node.planes[2*axis+1]
		for slot := range 8 {
			low[slot], high[slot] = half.Inf, half.MinusInf
			if slot < len(list) {
				b := &c.nodes[list[slot]]
				low[slot] = half.Below(b.min[axis] - node.middle[axis] - margin)
				high[slot] = half.Above(b.max[axis] - node.middle[axis] + margin)
			}
		}
	}
	next := uint16(2 * blockLines * blocks) // blocks come first
	for slot, n := range list {
		if c.nodes[n].isLeaf() {
			at := uint16(2 * blockLines * blockOf[slot])
			c.fill(c.wide.block(first+uint32(at)), &c.nodes[n])
			node.child[slot] = at | leafBit
		} else {
			node.child[slot] = next
			next += 2 * nodeLines
		}
	}
	*c.wide.node(at) = node
	for slot, n := range list {
		if !c.nodes[n].isLeaf() {
			c.collapse(first+uint32(node.child[slot]), n)
		}
	}
}

func (b *block) clear() {
	for lane := range b.index {
		b.index[lane] = -1
	}
}

// fill adds a leaf's triangles to a block.
func (c *collapser) fill(b *block, n *node) {
	lane := slices.Index(b.index[:], -1)
	for _, index := range c.order[n.first : n.first+n.count] {
		t := c.triangle(int(index))
		k := cornerOf(&t)
		for axis := range 3 {
			b.a[axis][lane], b.e1[axis][lane], b.e2[axis][lane] = k.a[axis], k.e1[axis], k.e2[axis]
		}
		b.index[lane] = index
		lane++
	}
}

// finite tells whether a ray has a place and a direction. One that has not meets
// nothing: compares with NaN would lead the kernels through empty children.
func (r *Ray) finite() bool {
	sum := (r.Origin[0] + r.Origin[1] + r.Origin[2] + r.Dir[0] + r.Dir[1] + r.Dir[2]) * 0
	return sum == 0
}

func prepare(r *Ray) wideRay {
	w := wideRay{origin: r.Origin, dir: r.Dir, inv: inverse(r.Dir), max: r.Max}
	for axis := range 3 {
		w.near[axis] = uint64(32 * axis)
		if w.inv[axis] < 0 {
			w.near[axis] += 16
		}
	}
	return w
}

func (w *wide) Closest(r Ray) (Hit, bool) {
	hit := Hit{Triangle: -1, T: r.Max}
	if len(w.lines) == 0 || !r.finite() {
		return hit, false
	}
	ray := prepare(&r)
	closestWide(&w.lines[0], &ray, &hit)
	return hit, hit.Triangle >= 0
}

func (w *wide) ClosestOf(p *Packet) {
	if len(w.lines) == 0 || closestPacket(&w.lines[0], p) < 0 {
		p.closestEach(w.Closest)
	}
}

func (w *wide) OccludedOf(p *Packet) uint8 {
	if len(w.lines) > 0 {
		if rays := occludedPacket(&w.lines[0], p); rays >= 0 {
			return uint8(rays)
		}
	}
	return p.occludedEach(w.Occluded)
}

func (w *wide) Occluded(r Ray) bool {
	if len(w.lines) == 0 || !r.finite() {
		return false
	}
	ray := prepare(&r)
	return occludedWide(&w.lines[0], &ray) != 0
}

// Each is not a fast path: plain Go.
func (w *wide) Each(r Ray, found func(Hit)) {
	if len(w.lines) == 0 || !r.finite() {
		return
	}
	inv, stack := inverse(r.Dir), []uint32{0}
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if at&leafBit != 0 {
			w.block(at).each(&r, found)
			continue
		}
		n := w.node(at)
		from, children := sub(r.Origin, n.middle), len(stack)
		for slot := range 8 {
			var b node
			for axis := range 3 {
				b.min[axis], b.max[axis] = half.Decode(n.planes[2*axis][slot]), half.Decode(n.planes[2*axis+1][slot])
			}
			if _, ok := slab(&b, &from, &inv, r.Max); ok && b.min[0] <= b.max[0] {
				if child := n.first + uint32(n.child[slot]); !slices.Contains(stack[children:], child) { // leaves share blocks
					stack = append(stack, child)
				}
			}
		}
	}
}

func (b *block) each(r *Ray, found func(Hit)) {
	lane := func(v *[3][8]float32, i int) *Vec { return &Vec{v[0][i], v[1][i], v[2][i]} }
	for i := range 8 {
		if t, u, v, ok := meet(lane(&b.a, i), lane(&b.e1, i), lane(&b.e2, i), r); ok && t < r.Max {
			found(Hit{b.index[i], t, u, v})
		}
	}
}
