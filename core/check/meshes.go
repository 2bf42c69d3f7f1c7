package check

import (
	"math"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/overlap"
)

// closedMesh is an enabled mesh without open edges, in the level's space.
type closedMesh struct {
	mesh      *level.Mesh
	box       geom.Bounds
	triangles [][3]geom.Vec3
}

// maxClosed bounds the triangles of a mesh that is asked whether it holds a point.
const maxClosed = 200_000

// closedMeshes are found once; a mesh is closed if each of its edges, by place, has as many
// triangles on one side as on the other.
func (s *subject) closedMeshes() []closedMesh {
	if s.kept.closedKnown {
		return s.kept.closed
	}
	s.kept.closedKnown = true
	for _, m := range s.level.Meshes {
		if !m.Enabled || len(m.Indices) < 12 || len(m.Indices) > 3*maxClosed || len(openEdges(m)) > 0 {
			continue
		}
		pose := s.world.Pose(&m.Entity)
		c := closedMesh{mesh: m, box: geom.NoBounds()}
		for i := 0; i+2 < len(m.Indices); i += 3 {
			var t [3]geom.Vec3
			for k := range 3 {
				t[k] = pose.Apply(corner(m, i+k))
				c.box.Grow(t[k])
			}
			c.triangles = append(c.triangles, t)
		}
		if c.volume() < 0 {
			continue // it faces inward: the shell of a room, which holds air
		}
		s.kept.closed = append(s.kept.closed, c)
	}
	return s.kept.closed
}

// volume is positive where the mesh faces outward.
func (m *closedMesh) volume() (sum float64) {
	for _, t := range m.triangles {
		sum += t[0].Sub(m.box.Min).Dot(t[1].Sub(m.box.Min).Cross(t[2].Sub(m.box.Min)))
	}
	return sum / 6
}

func corner(m *level.Mesh, index int) geom.Vec3 { return m.Vertex(m.Indices[index]) }

// edge of a mesh: its ends and the triangle that it is of.
type edge struct {
	from, to geom.Vec3
	triangle int
}

// edgeKey names an edge by its ends, in order of place; corners at one place count as one.
type edgeKey [2][3]int64

func placeKey(p geom.Vec3) (k [3]int64) {
	for axis := range 3 {
		k[axis] = int64(math.Round(p[axis] * 1e5))
	}
	return k
}

// sharpEdges are pairs of triangles that meet at an angle: each edge once for each of the two.
func sharpEdges(m *level.Mesh) (pairs [][2]edge) {
	const flat = 0.9
	normal := func(triangle int) geom.Vec3 {
		a, b, c := corner(m, 3*triangle), corner(m, 3*triangle+1), corner(m, 3*triangle+2)
		return b.Sub(a).Cross(c.Sub(a)).Normalize()
	}
	first := map[edgeKey]edge{}
	for i := 0; i+2 < len(m.Indices); i += 3 {
		for k := range 3 {
			a, b := corner(m, i+k), corner(m, i+(k+1)%3)
			ka, kb := placeKey(a), placeKey(b)
			if less(kb, ka) {
				ka, kb = kb, ka
			}
			e := edge{a, b, i / 3}
			was, ok := first[edgeKey{ka, kb}]
			if !ok {
				first[edgeKey{ka, kb}] = e
				continue
			}
			if normal(was.triangle).Dot(normal(e.triangle)) < flat {
				pairs = append(pairs, [2]edge{was, e})
			}
		}
	}
	return pairs
}

// openEdges are the edges of a mesh that only one triangle has.
func openEdges(m *level.Mesh) []edge {
	type key = edgeKey
	at := placeKey
	sides := map[key]int{}
	first := map[key]edge{}
	for i := 0; i+2 < len(m.Indices); i += 3 {
		for k := range 3 {
			a, b := corner(m, i+k), corner(m, i+(k+1)%3)
			ka, kb := at(a), at(b)
			if ka == kb {
				continue
			}
			side := 1
			if less(kb, ka) {
				ka, kb, side = kb, ka, -1
			}
			sides[key{ka, kb}] += side
			if _, ok := first[key{ka, kb}]; !ok {
				first[key{ka, kb}] = edge{a, b, i / 3}
			}
		}
	}
	var open []edge
	for i := 0; i+2 < len(m.Indices); i += 3 {
		for k := range 3 {
			a, b := corner(m, i+k), corner(m, i+(k+1)%3)
			ka, kb := at(a), at(b)
			if less(kb, ka) {
				ka, kb = kb, ka
			}
			if e, ok := first[key{ka, kb}]; ok && sides[key{ka, kb}] != 0 {
				open = append(open, e)
				delete(first, key{ka, kb})
			}
		}
	}
	return open
}

func less(a, b [3]int64) bool {
	for i := range 3 {
		if a[i] != b[i] {
			return a[i] < b[i]
		}
	}
	return false
}

// holds tells whether a point is inside: the solid angle that the mesh fills, seen from there, is
// that of a whole sphere (Van Oosterom and Strackee, "The solid angle of a plane triangle", 1983).
func (m *closedMesh) holds(p geom.Vec3) bool {
	angle := 0.0
	for _, t := range m.triangles {
		a, b, c := t[0].Sub(p), t[1].Sub(p), t[2].Sub(p)
		la, lb, lc := a.Len(), b.Len(), c.Len()
		angle += 2 * math.Atan2(a.Dot(b.Cross(c)), la*lb*lc+a.Dot(b)*lc+b.Dot(c)*la+c.Dot(a)*lb)
	}
	return math.Abs(angle) > 2*math.Pi
}

// wayOut is how far the surface is from a point, and where.
func (m *closedMesh) wayOut(p geom.Vec3) (depth float64, way geom.Vec3) {
	depth = math.Inf(1)
	for _, t := range m.triangles {
		near := overlap.NearestOnTriangle(p, t)
		if d := near.Sub(p).Len(); d < depth {
			depth = d
			if way = near.Sub(p); d > 1e-9 {
				way = way.Mul(1 / d)
			}
		}
	}
	return depth, way
}
