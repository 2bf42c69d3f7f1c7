package trace

import (
	"grotta/core/lists"
)

// Placed is a scene that stands in another one, turned, scaled and moved. Many may be the same
// scene, which is in memory once. A ray that meets its box goes on in the scene's own space: a
// straight line stays one, and distances along it count as before.
type Placed struct {
	Scene *Scene
	Box   Box           // around it, in the outer space
	From  [3][4]float32 // rows of the matrix that leads from the outer space to its own
	First int32         // what the numbers of its triangles count from
}

// boxSlackM widens boxes of placed scenes, in their extent and in how far out they are, by more
// than is lost where rays are turned into their space.
const boxSlackM = 1e-5

// own is a ray in the scene's own space.
func (p *Placed) own(r *Ray, most float32) Ray {
	out := Ray{Max: most}
	for axis := range 3 {
		row := &p.From[axis]
		out.Origin[axis] = row[0]*r.Origin[0] + row[1]*r.Origin[1] + row[2]*r.Origin[2] + row[3]
		out.Dir[axis] = row[0]*r.Dir[0] + row[1]*r.Dir[1] + row[2]*r.Dir[2]
	}
	return out
}

// placings is a hierarchy over placed scenes.
type placings struct {
	list  []Placed // in the order of the leaves
	nodes []node
}

// NewWith builds a scene of triangles as NewOf does, in which other scenes stand.
func NewWith(list List, placed []Placed) *Scene {
	s := NewOf(list)
	if len(placed) == 0 {
		return s
	}
	items := make([]item, len(placed))
	for i := range placed {
		b := box{placed[i].Box.Min, placed[i].Box.Max}
		for axis := range 3 {
			more := 2*edgeSlack*(b.max[axis]-b.min[axis]) + boxSlackM*max(b.max[axis], -b.min[axis])
			b.min[axis], b.max[axis] = b.min[axis]-more, b.max[axis]+more
		}
		items[i] = item{b, int32(i)}
	}
	s.placed = &placings{list: make([]Placed, len(placed))}
	s.placed.nodes = lists.Exact(build(items, shape{leaf: 1, boxCost: 0.1, step: 1}))
	for i := range items {
		s.placed.list[i] = placed[items[i].index]
	}
	return s
}

// each visits the placed scenes whose boxes a ray meets before a limit, near ones first. visit
// returns the limit from there on; below 0 ends the walk.
func (p *placings) each(r *Ray, limit float32, visit func(at *Placed) float32) {
	type entry struct {
		at   int32
		near float32
	}
	var stack [maxDepth + 24]entry
	inv, top := inverse(r.Dir), 0
	if near, ok := slab(&p.nodes[0], &r.Origin, &inv, limit); ok {
		stack[0], top = entry{0, near}, 1
	}
	for top > 0 {
		top--
		if stack[top].near > limit {
			continue
		}
		n := &p.nodes[stack[top].at]
		if n.count > 0 {
			for i := n.first; i < n.first+n.count && limit >= 0; i++ {
				limit = visit(&p.list[i])
			}
			if limit < 0 {
				return
			}
			continue
		}
		a, c := n.first, n.first+1
		nearA, hitA := slab(&p.nodes[a], &r.Origin, &inv, limit)
		nearC, hitC := slab(&p.nodes[c], &r.Origin, &inv, limit)
		if hitA && hitC && nearC > nearA {
			a, c, nearA, nearC = c, a, nearC, nearA // the nearer one goes on top
		}
		if hitA {
			stack[top] = entry{a, nearA}
			top++
		}
		if hitC {
			stack[top] = entry{c, nearC}
			top++
		}
	}
}

// closest puts the first hit on a placed scene in place of one that is farther.
func (p *placings) closest(r *Ray, best *Hit) {
	if !r.finite() {
		return
	}
	p.each(r, best.T*hitSlack, func(at *Placed) float32 {
		if h, ok := at.Scene.Closest(at.own(r, best.T)); ok {
			*best = Hit{at.First + h.Triangle, h.T, h.U, h.V}
		}
		return best.T * hitSlack
	})
}

func (p *placings) occluded(r *Ray) (is bool) {
	if !r.finite() {
		return false
	}
	p.each(r, r.Max, func(at *Placed) float32 {
		if at.Scene.Occluded(at.own(r, r.Max)) {
			is = true
			return -1
		}
		return r.Max
	})
	return is
}

func (p *placings) hits(r *Ray, found func(Hit)) {
	if !r.finite() {
		return
	}
	p.each(r, r.Max, func(at *Placed) float32 {
		at.Scene.Each(at.own(r, r.Max), func(h Hit) {
			h.Triangle += at.First
			found(h)
		})
		return r.Max
	})
}

// memoryBytes counts each scene once.
func (p *placings) memoryBytes() int {
	sum, seen := lists.MemoryBytes(p.list)+lists.MemoryBytes(p.nodes), map[*Scene]bool{}
	for i := range p.list {
		if s := p.list[i].Scene; !seen[s] {
			seen[s] = true
			sum += s.MemoryBytes()
		}
	}
	return sum
}
