package trace

// binary is the portable hierarchy.
type binary struct {
	nodes []node
	tris  []corner
	index []int32 // of each prepared triangle in the caller's list
}

// corner is a triangle as one corner and the two edges from it.
type corner struct{ a, e1, e2 Vec }

func cornerOf(t *Triangle) corner { return corner{t.A, sub(t.B, t.A), sub(t.C, t.A)} }

func newBinary(list List) *binary {
	items := itemsOf(list)
	b := &binary{tris: make([]corner, len(items)), index: make([]int32, len(items))}
	if len(items) == 0 {
		return b
	}
	b.nodes = build(items, shape{leaf: 4, boxCost: 0.8, step: 1})
	for i := range items {
		t := list.At(int(items[i].index))
		b.tris[i] = cornerOf(&t)
		b.index[i] = items[i].index
	}
	return b
}

// Closest walks near children first.
func (b *binary) Closest(r Ray) (Hit, bool) {
	best := Hit{Triangle: -1, T: r.Max}
	if len(b.nodes) == 0 {
		return best, false
	}
	type entry struct {
		at   int32
		near float32
	}
	var stack [maxDepth + 24]entry
	inv, top, at, limit := inverse(r.Dir), 0, int32(0), r.Max*hitSlack
	if _, ok := slab(&b.nodes[0], &r.Origin, &inv, limit); !ok {
		return best, false
	}
	for {
		n := &b.nodes[at]
		if n.count == 0 {
			a, c := n.first, n.first+1
			nearA, hitA := slab(&b.nodes[a], &r.Origin, &inv, limit)
			nearC, hitC := slab(&b.nodes[c], &r.Origin, &inv, limit)
			if hitA && hitC {
				if nearC < nearA {
					a, c, nearC = c, a, nearA
				}
				stack[top] = entry{c, nearC}
				top++
			} else if hitC {
				a = c
			}
			if hitA || hitC {
				at = a
				continue
			}
		} else {
			for i := n.first; i < n.first+n.count; i++ {
				tri := &b.tris[i]
				if t, u, v, ok := meet(&tri.a, &tri.e1, &tri.e2, &r); ok && best.takes(t, b.index[i]) {
					best, limit = Hit{b.index[i], t, u, v}, t*hitSlack
				}
			}
		}
		for {
			if top == 0 {
				return best, best.Triangle >= 0
			}
			top--
			if stack[top].near <= limit {
				at = stack[top].at
				break
			}
		}
	}
}

// takes tells whether a hit at t on a triangle replaces this one.
func (h *Hit) takes(t float32, index int32) bool {
	return t < h.T || t == h.T && h.Triangle >= 0 && index < h.Triangle
}

// Occluded stops at the first hit.
func (b *binary) Occluded(r Ray) bool {
	if len(b.nodes) == 0 {
		return false
	}
	var stack [maxDepth + 24]int32
	inv, top, at := inverse(r.Dir), 0, int32(0)
	if _, ok := slab(&b.nodes[0], &r.Origin, &inv, r.Max); !ok {
		return false
	}
	for {
		n := &b.nodes[at]
		if n.count == 0 {
			_, hitA := slab(&b.nodes[n.first], &r.Origin, &inv, r.Max)
			_, hitC := slab(&b.nodes[n.first+1], &r.Origin, &inv, r.Max)
			if hitA && hitC {
				stack[top] = n.first + 1
				top++
			}
			if hitA || hitC {
				at = n.first
				if !hitA {
					at++
				}
				continue
			}
		} else {
			for i := n.first; i < n.first+n.count; i++ {
				tri := &b.tris[i]
				if t, _, _, ok := meet(&tri.a, &tri.e1, &tri.e2, &r); ok && t < r.Max {
					return true
				}
			}
		}
		if top == 0 {
			return false
		}
		top--
		at = stack[top]
	}
}

func (b *binary) Each(r Ray, found func(Hit)) {
	if len(b.nodes) == 0 {
		return
	}
	inv, stack := inverse(r.Dir), []int32{0}
	for len(stack) > 0 {
		n := &b.nodes[stack[len(stack)-1]]
		stack = stack[:len(stack)-1]
		if _, ok := slab(n, &r.Origin, &inv, r.Max); !ok {
			continue
		}
		if n.count == 0 {
			stack = append(stack, n.first, n.first+1)
		}
		for i := n.first; i < n.first+n.count; i++ {
			tri := &b.tris[i]
			if t, u, v, ok := meet(&tri.a, &tri.e1, &tri.e2, &r); ok && t < r.Max {
				found(Hit{b.index[i], t, u, v})
			}
		}
	}
}

// slab clips a ray against a node's box and returns where it enters.
func slab(n *node, origin, inv *Vec, limit float32) (float32, bool) {
	nearX, farX := (n.min[0]-origin[0])*inv[0], (n.max[0]-origin[0])*inv[0]
	if inv[0] < 0 {
		nearX, farX = farX, nearX
	}
	nearY, farY := (n.min[1]-origin[1])*inv[1], (n.max[1]-origin[1])*inv[1]
	if inv[1] < 0 {
		nearY, farY = farY, nearY
	}
	nearZ, farZ := (n.min[2]-origin[2])*inv[2], (n.max[2]-origin[2])*inv[2]
	if inv[2] < 0 {
		nearZ, farZ = farZ, nearZ
	}
	near, far := float32(0), limit
	if nearX > near {
		near = nearX
	}
	if nearY > near {
		near = nearY
	}
	if nearZ > near {
		near = nearZ
	}
	if farX < far {
		far = farX
	}
	if farY < far {
		far = farY
	}
	if farZ < far {
		far = farZ
	}
	return near, near <= far*boxSlack
}

// boxSlack gives back what rounding can shrink a box by.
const boxSlack = 1 + 6e-7

// hitSlack is how much farther than the current hit boxes are still searched. Rounding could
// hide a box behind a triangle that is almost as near; with the slack both walks find the
// nearer hit.
const hitSlack = 1 + 1e-5
