package scene

import (
	"math"

	"grotta/core/geom"
	"grotta/core/level"
)

// chartSpread is how far, as a cosine, a triangle's normal may lean from the
// one its patch began with. At 45 degrees texels stretch by 1.4 at most.
var chartSpread = math.Cos(45 * math.Pi / 180)

// weldM is the distance under which two vertices are one, when patches grow.
const weldM = 1e-5

// addMesh cuts a mesh into patches, each grown from a triangle over shared edges
// as long as normals stay near the first one's.
func (s *Scene) addMesh(mesh *level.Mesh, finishes *finishes) {
	pose := s.World.Pose(&mesh.Entity)
	finish := finishes.of(mesh.Surface, s.zoneName(&mesh.Entity))
	vertices := make([]geom.Vec3, len(mesh.Positions)/3)
	welded := make([]int32, len(vertices))
	first := map[[3]int64]int32{}
	for i := range vertices {
		p := geom.Vec3(mesh.Positions[3*i : 3*i+3])
		key := [3]int64{int64(math.Round(p[0] / weldM)), int64(math.Round(p[1] / weldM)), int64(math.Round(p[2] / weldM))}
		if _, ok := first[key]; !ok {
			first[key] = int32(i)
		}
		welded[i] = first[key]
		vertices[i] = pose.Apply(p)
	}
	count := len(mesh.Indices) / 3
	normals := make([]geom.Vec3, count)
	across := map[[2]int32][]int32{} // triangles on each edge
	for t := range count {
		a, b, c := mesh.Indices[3*t], mesh.Indices[3*t+1], mesh.Indices[3*t+2]
		n := vertices[b].Sub(vertices[a]).Cross(vertices[c].Sub(vertices[a]))
		if n.Len() < 1e-14 {
			continue // no area: nothing to light, nothing to stop light
		}
		normals[t] = n.Normalize()
		for _, e := range [][2]uint32{{a, b}, {b, c}, {c, a}} {
			key := edgeKey(welded[e[0]], welded[e[1]])
			across[key] = append(across[key], int32(t))
		}
	}
	body := s.addBody(Body{Entity: mesh.ID, Mesh: mesh, Bend: bendOf(mesh.Sways, vertices)})
	taken := make([]bool, count)
	patch := 0
	for seed := range count {
		if taken[seed] || normals[seed] == (geom.Vec3{}) {
			continue
		}
		at := vertices[mesh.Indices[3*seed]]
		s.addSurface(body, finish, patch, geom.Plane{Normal: normals[seed], Distance: normals[seed].Dot(at)})
		queue := []int32{int32(seed)}
		taken[seed] = true
		for len(queue) > 0 {
			t := queue[0]
			queue = queue[1:]
			corner := mesh.Indices[3*t : 3*t+3]
			s.addTriangle(vertices[corner[0]], vertices[corner[1]], vertices[corner[2]])
			if len(mesh.UVs) > 0 {
				body.source = append(body.source, t)
			}
			for k := range 3 {
				for _, other := range across[edgeKey(welded[corner[k]], welded[corner[(k+1)%3]])] {
					if !taken[other] && normals[other].Dot(normals[seed]) >= chartSpread {
						taken[other] = true
						queue = append(queue, other)
					}
				}
			}
		}
		patch++
	}
}

func edgeKey(a, b int32) [2]int32 {
	if a > b {
		a, b = b, a
	}
	return [2]int32{a, b}
}
