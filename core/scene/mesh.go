package scene

import (
	"iter"
	"math"
	"math/bits"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lists"
)

// chartSpread is how far, as a cosine, a triangle's normal may lean from the
// one its patch began with. At 45 degrees texels stretch by 1.4 at most.
var chartSpread = math.Cos(45 * math.Pi / 180)

// weldM is the distance under which two vertices are one, when patches grow.
const weldM = 1e-5

// addMesh cuts a mesh into patches, each grown from a triangle over shared edges
// as long as normals stay near the first one's. A mesh of a material with two sides has patches for
// its back as well, after those of its front.
func (s *Scene) addMesh(mesh *level.Mesh, alike *alike) {
	pose := s.World.Pose(&mesh.Entity)
	vertex := func(i uint32) geom.Vec3 { return pose.Apply(mesh.Vertex(i)) }
	corners := func(t int32) (a, b, c geom.Vec3) {
		at := mesh.Indices[3*t:]
		return vertex(at[0]), vertex(at[1]), vertex(at[2])
	}
	body := s.addBody(Body{Entity: mesh.ID, Mesh: mesh, Bend: bendOf(mesh.Sways, mesh.CountVertices(), vertex)})
	order, starts := patchesOf(mesh, corners)
	part := &Part{body, alike.finish(mesh.Surface, s.World.ZoneOf(&mesh.Entity), false)}
	s.addPatches(part, order, starts, func(t int32, isBack bool) {
		a, b, c := corners(t)
		if isBack {
			b, c = c, b
		}
		s.addTriangle(a, b, c)
	})
	if len(mesh.Normals) > 0 {
		body.shading = &shading{pose.Rotation}
	}
	if body.isLaid() || body.shading != nil {
		body.source = &order
	}
}

// patchesOf lists the triangles of a mesh that have a normal, patch after patch, and where each patch begins.
func patchesOf(mesh *level.Mesh, corners func(t int32) (a, b, c geom.Vec3)) (order, starts []int32) {
	normals := make([]geom.Vec3, len(mesh.Indices)/3) // zero where there is no area: nothing to light, nothing to stop light
	for t := range normals {
		a, b, c := corners(int32(t))
		if n := across([3]geom.Vec3{vec(f32(a)), vec(f32(b)), vec(f32(c))}); n.Len() >= 1e-14 {
			normals[t] = n.Normalize()
		}
	}
	return edgesOf(mesh, weld(mesh.Positions), normals).patches(normals)
}

// addPatches adds the surfaces of a part, patch after patch, and has each of its triangles added. A material
// with two sides has those of the back after those of the front.
func (s *Scene) addPatches(part *Part, order, starts []int32, add func(t int32, isBack bool)) {
	sides := 1
	if part.Finish.Material.HasTwoSides() {
		sides, part.Body.front = 2, int32(len(order))
	}
	s.Surfaces = slices.Grow(s.Surfaces, sides*len(starts))
	for side := range sides {
		for patch, next := 0, 0; patch < len(starts); patch++ {
			s.addSurface(part, side*len(starts)+patch)
			end := len(order)
			if patch+1 < len(starts) {
				end = int(starts[patch+1])
			}
			for ; next < end; next++ {
				add(order[next], side == 1)
			}
		}
	}
}

// edges tells which triangles of a mesh have an edge in common: edges lie in buckets by
// their ends, and each bucket has the triangles of its edges.
type edges struct {
	mesh   *level.Mesh
	welded []int32 // of each vertex, the first one in its place
	from   []int32 // of each bucket, where its triangles begin in the list, and the end
	at     []int32
	asked  []asked // of each bucket
}

// asked is the patch for which an edge was last looked up.
type asked struct{ patch, a, b int32 }

// edgesOf takes the triangles that have a normal.
func edgesOf(mesh *level.Mesh, welded []int32, normals []geom.Vec3) *edges {
	buckets := 1 << bits.Len(uint(len(mesh.Indices)/2))
	e := &edges{mesh: mesh, welded: welded, from: make([]int32, buckets+1), asked: make([]asked, buckets)}
	each := func(visit func(bucket, triangle int32)) {
		for t := range normals {
			for k := 0; k < 3 && normals[t] != (geom.Vec3{}); k++ {
				visit(e.bucket(e.edge(int32(t), k)), int32(t))
			}
		}
	}
	each(func(bucket, _ int32) { e.from[bucket+1]++ })
	for k := range buckets {
		e.from[k+1] += e.from[k]
	}
	e.at = make([]int32, e.from[buckets])
	next := slices.Clone(e.from)
	each(func(bucket, triangle int32) {
		e.at[next[bucket]] = triangle
		next[bucket]++
	})
	return e
}

// patches lists the triangles that have a normal, patch after patch, and where each
// patch begins.
func (e *edges) patches(normals []geom.Vec3) (order, starts []int32) {
	order = make([]int32, 0, len(normals))
	taken := make([]bool, len(normals))
	for seed := range normals {
		if taken[seed] || normals[seed] == (geom.Vec3{}) {
			continue
		}
		patch, next := int32(len(starts)), len(order)
		starts = append(starts, int32(next))
		order, taken[seed] = append(order, int32(seed)), true
		for ; next < len(order); next++ {
			for other := range e.across(order[next], patch) {
				if !taken[other] && normals[other].Dot(normals[seed]) >= chartSpread {
					order, taken[other] = append(order, other), true
				}
			}
		}
	}
	return order, starts
}

// bucket is the hash bucket of an edge (Fibonacci hashing).
func (e *edges) bucket(a, b int32) int32 {
	const golden = 0x9e3779b97f4a7c15
	return int32((uint64(a)<<32 | uint64(b)) * golden >> (65 - bits.Len(uint(len(e.asked)))))
}

// across returns the triangles on each edge of a triangle, including itself. It skips edges
// that were looked up for the same patch before.
func (e *edges) across(triangle, patch int32) iter.Seq[int32] {
	return func(yield func(int32) bool) {
		for k := range 3 {
			a, b := e.edge(triangle, k)
			bucket, now := e.bucket(a, b), asked{patch + 1, a, b}
			if e.asked[bucket] == now {
				continue
			}
			e.asked[bucket] = now
			for _, other := range e.at[e.from[bucket]:e.from[bucket+1]] {
				for j := range 3 {
					if c, d := e.edge(other, j); c == a && d == b && !yield(other) {
						return
					}
				}
			}
		}
	}
}

// edge is an edge of a triangle, by its two ends, the lesser first.
func (e *edges) edge(triangle int32, k int) (a, b int32) {
	corner := e.mesh.Indices[3*triangle:]
	a, b = e.welded[corner[k]], e.welded[corner[(k+1)%3]]
	return min(a, b), max(a, b)
}

// weld gives, of each vertex, the first one that is in its place.
func weld(positions []float64) []int32 {
	count := len(positions) / 3
	place := func(vertex int32) (at [3]int64) {
		for axis, x := range positions[3*vertex : 3*vertex+3] {
			at[axis] = int64(math.Round(x / weldM))
		}
		return at
	}
	welded, firsts := make([]int32, count), lists.NewFirsts(count, place)
	for i := range welded {
		welded[i] = firsts.Of(int32(i))
	}
	return welded
}
