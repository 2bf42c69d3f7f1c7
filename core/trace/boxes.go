package trace

import (
	"math"

	"grotta/core/lists"
)

// Box is an axis-aligned box between two corners, which belong to it.
type Box struct{ Min, Max Vec }

// Around is the box from one corner to another, rounded outward.
func Around(low, high [3]float64) (box Box) {
	for axis := range 3 {
		box.Min[axis] = math.Nextafter32(float32(low[axis]), -math.MaxFloat32)
		box.Max[axis] = math.Nextafter32(float32(high[axis]), math.MaxFloat32)
	}
	return box
}

// Meets tells whether two boxes have a place in common.
func (b *Box) Meets(other *Box) bool {
	for axis := range 3 {
		if b.Max[axis] < other.Min[axis] || b.Min[axis] > other.Max[axis] {
			return false
		}
	}
	return true
}

// Boxes is a hierarchy over boxes, to find those that another may meet.
type Boxes struct {
	nodes []node
	index []int32 // of the boxes of each leaf
}

// NewBoxes builds a hierarchy over some boxes, all of which are finite.
func NewBoxes(boxes []Box) *Boxes {
	items := make([]item, len(boxes))
	for i, x := range boxes {
		items[i] = item{box{x.Min, x.Max}, int32(i)}
	}
	b := &Boxes{index: make([]int32, len(boxes))}
	if len(boxes) > 0 {
		b.nodes = lists.Exact(build(items, shape{leaf: 8, boxCost: 1, step: 8}))
	}
	for i := range items {
		b.index[i] = items[i].index
	}
	return b
}

// MemoryBytes is what it takes in memory.
func (b *Boxes) MemoryBytes() int { return lists.MemoryBytes(b.nodes) + lists.MemoryBytes(b.index) }

// Near calls found for every box that has a place in common with another, and for some
// beside it, in no order.
func (b *Boxes) Near(other Box, found func(index int)) {
	if len(b.nodes) > 0 {
		b.near(&b.nodes[0], &other, found)
	}
}

func (b *Boxes) near(n *node, other *Box, found func(index int)) {
	for axis := range 3 {
		if n.max[axis] < other.Min[axis] || n.min[axis] > other.Max[axis] {
			return
		}
	}
	if n.count == 0 {
		b.near(&b.nodes[n.first], other, found)
		b.near(&b.nodes[n.first+1], other, found)
		return
	}
	for _, i := range b.index[n.first : n.first+n.count] {
		found(int(i))
	}
}
