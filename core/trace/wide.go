package trace

import "slices"

// wide is a hierarchy of eight children a node and up to eight triangles a leaf,
// laid out for eight float32 lanes.
type wide struct {
	nodes  []wideNode
	blocks []block
}

// wideNode holds its children's boxes by plane: min x, max x, min y, max y, min
// z, max z. An empty slot has an inverted infinite box. 256 bytes: four lines of
// cache.
type wideNode struct {
	planes [6][8]float32
	child  [8]uint32 // a node, or isLeaf and a block
	_      [8]uint32
}

const isLeaf = 1 << 31

// block is a leaf: corners and edges of up to eight triangles. An empty lane has
// no edges, so nothing meets it.
type block struct {
	a, e1, e2 [3][8]float32
	index     [8]int32
}

// wideRay is a ray as the kernel reads it.
type wideRay struct {
	origin, dir, inv Vec
	max              float32
	near             [3]uint64 // byte offset in a node of the planes a ray enters by
}

func newWide(triangles []Triangle) *wide {
	items := itemsOf(triangles)
	w := &wide{}
	if len(items) == 0 {
		return w
	}
	nodes := build(items, shape{leaf: 8, boxCost: 0.4, step: 8})
	c := collapser{nodes: nodes, items: items, triangles: triangles, wide: w}
	w.nodes = make([]wideNode, 1, len(nodes)/8+1)
	c.collapse(0, []int32{0})
	w.nodes, w.blocks = slices.Clip(w.nodes), slices.Clip(w.blocks)
	return w
}

// collapser makes wide nodes of binary ones: it opens the largest child until
// there are eight.
type collapser struct {
	nodes     []node
	items     []item
	triangles []Triangle
	wide      *wide
}

func (c *collapser) collapse(at int, from []int32) {
	var room [8]int32
	list := append(room[:0], from...)
	for len(list) < 8 {
		largest, size := -1, float32(-1)
		for i, n := range list {
			b := box{c.nodes[n].min, c.nodes[n].max}
			if c.nodes[n].count == 0 && b.area() > size {
				largest, size = i, b.area()
			}
		}
		if largest < 0 {
			break
		}
		first := c.nodes[list[largest]].first
		list[largest] = first
		list = append(list, first+1)
	}
	node := wideNode{}
	empty := emptyBox()
	for slot := range 8 {
		b := empty
		if slot < len(list) {
			b = box{c.nodes[list[slot]].min, c.nodes[list[slot]].max}
		}
		for axis := range 3 {
			node.planes[2*axis][slot], node.planes[2*axis+1][slot] = b.min[axis], b.max[axis]
		}
	}
	for slot, n := range list {
		if c.nodes[n].count > 0 {
			node.child[slot] = isLeaf | uint32(len(c.wide.blocks))
			c.wide.blocks = append(c.wide.blocks, c.block(&c.nodes[n]))
			continue
		}
		child := len(c.wide.nodes)
		c.wide.nodes = append(c.wide.nodes, wideNode{})
		node.child[slot] = uint32(child)
		c.collapse(child, []int32{c.nodes[n].first, c.nodes[n].first + 1})
	}
	c.wide.nodes[at] = node
}

func (c *collapser) block(n *node) block {
	var b block
	for lane := range int(n.count) {
		index := c.items[int(n.first)+lane].index
		k := cornerOf(&c.triangles[index])
		for axis := range 3 {
			b.a[axis][lane], b.e1[axis][lane], b.e2[axis][lane] = k.a[axis], k.e1[axis], k.e2[axis]
		}
		b.index[lane] = index
	}
	return b
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
		w.near[axis] = uint64(64 * axis)
		if w.inv[axis] < 0 {
			w.near[axis] += 32
		}
	}
	return w
}

func (w *wide) Closest(r Ray) (Hit, bool) {
	hit := Hit{Triangle: -1, T: r.Max}
	if len(w.nodes) == 0 || !r.finite() {
		return hit, false
	}
	ray := prepare(&r)
	closestWide(&w.nodes[0], &w.blocks[0], &ray, &hit)
	return hit, hit.Triangle >= 0
}

func (w *wide) Occluded(r Ray) bool {
	if len(w.nodes) == 0 || !r.finite() {
		return false
	}
	ray := prepare(&r)
	return occludedWide(&w.nodes[0], &w.blocks[0], &ray) != 0
}

// Each is not a fast path: plain Go.
func (w *wide) Each(r Ray, found func(Hit)) {
	if len(w.nodes) == 0 || !r.finite() {
		return
	}
	inv, stack := inverse(r.Dir), []uint32{0}
	for len(stack) > 0 {
		at := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if at&isLeaf != 0 {
			w.blocks[at&^isLeaf].each(&r, found)
			continue
		}
		n := &w.nodes[at]
		for slot := range 8 {
			b := node{
				min: Vec{n.planes[0][slot], n.planes[2][slot], n.planes[4][slot]},
				max: Vec{n.planes[1][slot], n.planes[3][slot], n.planes[5][slot]},
			}
			if _, ok := slab(&b, &r.Origin, &inv, r.Max); ok && b.min[0] <= b.max[0] {
				stack = append(stack, n.child[slot])
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
