package check

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/platform"
)

// This file finds where a player can walk, and how light it is there.
//
// Columns of a grid are followed from the top of each zone down; each top of something solid is
// ground if it is not too steep and a player fits over it. Ground beside ground belongs together where
// the step between is low enough. What hangs together with the largest floor of its zone, with a
// viewpoint or with a path, can be walked on; tops of tables and cupboards are not.

// tread is one spot of ground.
type tread struct {
	at     geom.Vec3
	normal geom.Vec3
	zone   *level.Zone
	column [2]int
	sideM  float64 // of its column
	lux    float64 // with bounces; -1 where it was not asked
}

// ground is where a player can walk.
type ground struct {
	cellM  float64
	treads []tread
	byZone map[string][]int // of zones with an intent
}

// Bounds of the grid and of what is asked for light.
const (
	groundCells = 6000 // columns of a zone, at most; of many zones, of sixteen together
	groundAsked = 72   // places of a zone that are asked for their light; of many zones fewer
	groundPaths = 8    // paths of each, for bounces
)

// walkable finds the ground of all zones where a player does something. It is found once for a body.
func (s *subject) walkable() *ground {
	body := s.profile.Body
	if known := s.kept.grounds[body]; known != nil {
		return known
	}
	g := &ground{byZone: map[string][]int{}}
	s.kept.grounds[body] = g
	for _, z := range s.zones() {
		if z.Play != "none" {
			s.walkZone(z, body, g)
		}
	}
	return g
}

func (s *subject) walkZone(z *level.Zone, body platform.Body, g *ground) {
	area := 0.0
	for _, b := range z.Boxes {
		area += (b.Max[0] - b.Min[0]) * (b.Max[2] - b.Min[2])
	}
	cell := max(0.25, math.Sqrt(area*float64(max(1, len(s.zones())/16))/groundCells))
	g.cellM = max(g.cellM, cell)
	var own []tread
	taken := map[[3]int]bool{}
	for _, b := range z.Boxes {
		for x := int(math.Floor(b.Min[0] / cell)); float64(x)*cell <= b.Max[0]; x++ {
			for k := int(math.Floor(b.Min[2] / cell)); float64(k)*cell <= b.Max[2]; k++ {
				px, pz := (float64(x)+0.5)*cell, (float64(k)+0.5)*cell
				if px < b.Min[0] || px > b.Max[0] || pz < b.Min[2] || pz > b.Max[2] {
					continue
				}
				for _, t := range s.column(geom.Vec3{px, b.Max[1], pz}, b.Min[1]-0.05, body) {
					place := [3]int{x, k, int(math.Round(t.at[1] * 20))}
					if at := s.zoneAt(t.at.Add(geom.Vec3{0, 0.1, 0})); at != z || taken[place] {
						continue
					}
					taken[place] = true
					t.zone, t.column, t.sideM, t.lux = z, [2]int{x, k}, cell, -1
					own = append(own, t)
				}
			}
		}
	}
	for _, t := range s.reachable(own, body) {
		g.byZone[z.ID] = append(g.byZone[z.ID], len(g.treads))
		g.treads = append(g.treads, t)
	}
}

// column is the ground under a point, from the top down.
func (s *subject) column(top geom.Vec3, lowest float64, body platform.Body) []tread {
	const most = 12
	down := geom.Vec3{0, -1, 0}
	least := math.Cos(body.SlopeDeg * math.Pi / 180)
	var found []tread
	from := top
	for range most {
		if from[1] <= lowest {
			break
		}
		seen, ok := s.Scene.See(from, down, from[1]-lowest)
		if !ok {
			break
		}
		from = seen.Point.Add(down.Mul(0.01))
		n := s.Scene.NormalOf(seen.Triangle)
		roles := s.Scene.Surfaces[seen.Surface].Finish().Roles
		if n[1] < least || !roles.Collides || s.Scene.Inside(seen.Point.Add(geom.Vec3{0, 0.02, 0})) != "" {
			continue
		}
		head := seen.Point.Add(geom.Vec3{0, 0.02, 0})
		if over, ok := s.Scene.See(head, geom.Vec3{0, 1, 0}, body.HeightM); ok && over.Distance < body.HeightM {
			continue
		}
		found = append(found, tread{at: seen.Point, normal: n})
	}
	return found
}

// reachable keeps the ground that hangs together with the largest floor, or with where a viewpoint or
// a path is.
func (s *subject) reachable(all []tread, body platform.Body) []tread {
	byColumn := map[[2]int][]int{}
	for i, t := range all {
		byColumn[t.column] = append(byColumn[t.column], i)
	}
	group := make([]int, len(all))
	for i := range group {
		group[i] = -1
	}
	var sizes []int
	for i := range all {
		if group[i] >= 0 {
			continue
		}
		own := len(sizes)
		sizes = append(sizes, 0)
		stack := []int{i}
		group[i] = own
		for len(stack) > 0 {
			k := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			sizes[own]++
			for _, side := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				for _, j := range byColumn[[2]int{all[k].column[0] + side[0], all[k].column[1] + side[1]}] {
					if group[j] < 0 && math.Abs(all[j].at[1]-all[k].at[1]) <= body.StepM {
						group[j] = own
						stack = append(stack, j)
					}
				}
			}
		}
	}
	keep := make([]bool, len(sizes))
	if len(sizes) > 0 {
		keep[slices.Index(sizes, slices.Max(sizes))] = true
	}
	stand := func(p geom.Vec3) {
		best, near := -1, 1.5
		for i, t := range all {
			d := math.Hypot(t.at[0]-p[0], t.at[2]-p[2])
			if up := p[1] - t.at[1]; d < near && up > -0.2 && up < body.HeightM+0.5 {
				best, near = i, d
			}
		}
		if best >= 0 {
			keep[group[best]] = true
		}
	}
	for _, v := range s.level.Viewpoints {
		stand(s.world.Pose(&v.Entity).Position)
	}
	for _, p := range s.level.Paths {
		for _, k := range p.Keys {
			stand(geom.Vec3(k.Position))
		}
	}
	var out []tread
	for i, t := range all {
		// A second floor of some size is one, too: a gallery, a cellar.
		if keep[group[i]] || 4*sizes[group[i]] >= slices.Max(sizes) {
			out = append(out, t)
		}
	}
	return out
}

// light is how light the ground of a zone is, at places evenly over it: their indices, with lux.
func (g *ground) light(s *subject, zone string) []int {
	list := g.byZone[zone]
	n := min(max(8, min(groundAsked, 32*groundAsked/len(s.zones()))), len(list))
	asked := make([]int, 0, n)
	for i := range n {
		k := list[(2*i+1)*len(list)/(2*n)]
		asked = append(asked, k)
	}
	s.each(n, func(i int) {
		if t := &g.treads[asked[i]]; t.lux < 0 {
			t.lux = s.lightAt(t.at, t.normal)
		}
	})
	return asked
}

// lightAt is the light on a surface, with bounces, in lux.
func (s *subject) lightAt(at, n geom.Vec3) float64 { return s.lightWith(at, n, groundPaths) }

// lightWith is lightAt with so many paths for the bounces.
func (s *subject) lightWith(at, n geom.Vec3, paths int) float64 {
	return ledger.Light(s.Prepared, at.Add(n.Mul(0.003)), n, 4, paths).Luminance()
}

// percentile is the value that a share of all values is under; 0 where there are none.
func percentile(values []float64, share float64) float64 {
	if len(values) == 0 {
		return 0
	}
	sorted := slices.SortedFunc(slices.Values(values), cmp.Compare[float64])
	return sorted[min(len(sorted)-1, int(share*float64(len(sorted))))]
}
