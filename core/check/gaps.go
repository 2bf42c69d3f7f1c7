package check

import (
	"fmt"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// This file finds where light gets out of indoor zones, and so in: cracks between blocks, and holes.
//
// A crack is too thin to be found by rays at random. It runs along an edge: so beside each edge of
// each block a point is asked how wide the room there is, and whether light can pass by the edge from
// the zone to the void. Faces that touch leave no room and are closed.

var _ = add(
	Rule{ID: "closure.gap", Family: Closure, Severities: []Severity{Warning}, Needs: Rays,
		Title: "A crack of 2 mm to 30 cm leads from an indoor zone to the void.", Why: "Light from outside shows as a bright line, and some targets refuse a level that is not tight.", run: gapsToVoid,
		Fix: "adds an unseen blocker over it, which takes no texels"},
	Rule{ID: "closure.void", Family: Closure, Severities: []Severity{Warning}, Needs: Rays,
		Title: "An indoor zone of an indoor level is open to the void.", Why: "A player sees out of the level, and targets that need tight levels refuse it.", run: openToVoid},
)

// Cracks are at least leastCrackM wide. What is wider than mostCrackM is an opening.
const (
	leastCrackM = 0.002
	mostCrackM  = 0.3
	besideM     = 0.0015 // how far beside an edge is looked
	stepM       = 0.03   // how far from the edge light has to come on both sides
)

// gap is a crack from a zone to the void.
type gap struct {
	zone     *level.Zone
	bodies   [2]string
	at       geom.Vec3
	along    geom.Vec3 // of the edge, with its length
	across   geom.Vec3 // unit
	through  geom.Vec3 // unit, into the zone
	widthM   float64
	in, away geom.Vec3 // points on both sides
}

func gapsToVoid(s *subject) []Finding {
	var found []Finding
	for i, g := range s.findGaps() {
		if i == mostPlaces {
			break
		}
		f := Finding{
			Severity: Warning, Zone: g.zone.ID, Point: vec(g.at), Count: g.widthM, Limit: leastCrackM,
			Path:    []level.Vec{level.Vec(g.in), level.Vec(g.at), level.Vec(g.away)},
			Message: fmt.Sprintf("a crack of %s leads from %s to the void at %.2f, %.2f, %.2f", millimetres(g.widthM), s.zoneName(g.zone.ID), g.at[0], g.at[1], g.at[2]),
			Fix:     s.stop(&g),
		}
		for _, id := range g.bodies {
			if id != "" {
				f.Entities = append(f.Entities, id)
			}
		}
		if len(f.Entities) == 2 {
			f.Message += ", between " + s.called(f.Entities[0]) + " and " + s.called(f.Entities[1])
		}
		found = append(found, f)
	}
	return found
}

func millimetres(m float64) string {
	if m < 0.0995 {
		return fmt.Sprintf("%.0f mm", m*1000)
	}
	return fmt.Sprintf("%.0f cm", m*100)
}

// stop is a blocker in a crack: not seen, without collision, and without texels.
func (s *subject) stop(g *gap) *level.Operation {
	const thickM, overM = 0.02, 0.01
	v := level.Default[level.Solid]()
	v.ID = s.level.FreshID("blocker")
	v.Name = "Blocker"
	length := g.along.Len()
	v.Size = level.Vec{round4(length + 2*overM), round4(g.widthM + 2*overM), thickM}
	at := g.at.Add(g.across.Mul(g.widthM/2 - besideM)).Sub(g.through.Mul(stepM / 2))
	x, y := g.along.Mul(1/length), g.across
	q := geom.Basis(x, y, x.Cross(y))
	v.Transform.Position = level.Vec{round4(at[0]), round4(at[1]), round4(at[2])}
	v.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	v.Surface.Visible, v.Surface.ReceivesLight, v.Surface.Collides = false, false, false
	op := level.Add("solids", &v)
	op.Label = "Close the crack with a blocker"
	return &op
}

// findGaps looks beside every edge near an indoor zone.
func (s *subject) findGaps() []gap {
	if s.kept.gapsKnown {
		return s.kept.gaps
	}
	s.kept.gapsKnown = true
	if !slices.ContainsFunc(s.level.Zones, func(z *level.Zone) bool { return z.Mode == "indoor" }) {
		return nil
	}
	solids, meshes := s.level.Solids, s.level.Meshes
	beside := make([][]gap, len(solids)+len(meshes))
	s.closedMeshes() // found here once, and only read below; so are the zones
	s.zones()
	waters := s.level.Waters()
	s.each(len(beside), func(i int) {
		take := func(g gap, ok bool) {
			if ok {
				beside[i] = append(beside[i], g)
			}
		}
		if i < len(solids) {
			if v := solids[i]; v.Enabled && v.Surface.CastsShadow && !waters[v.Surface.Material] {
				s.besideSolid(v, take)
			}
		} else if m := meshes[i-len(solids)]; m.Enabled && m.Surface.CastsShadow && len(m.Indices) < 3*maxClosed {
			s.besideMesh(m, take)
		}
	})
	// A crack is met from both of its sides and from several edges; it is told once.
	seen := map[[3]string]bool{}
	for _, found := range beside {
		for _, g := range found {
			a, b := min(g.bodies[0], g.bodies[1]), max(g.bodies[0], g.bodies[1])
			if key := [3]string{g.zone.ID, a, b}; !seen[key] {
				seen[key] = true
				s.kept.gaps = append(s.kept.gaps, g)
			}
		}
	}
	return s.kept.gaps
}

// places along an edge, as shares of it.
var alongEdge = []float64{0.5, 0.15, 0.85}

func (s *subject) besideSolid(v *level.Solid, take func(gap, bool)) {
	pose := s.world.Pose(&v.Entity)
	planes, faces := v.FacePlanes(), v.FacePolygons()
	box := geom.NoBounds()
	for _, face := range faces {
		for _, p := range face {
			box.Grow(pose.Apply(p))
		}
	}
	if !s.nearIndoor(box) {
		return
	}
	for a, face := range faces {
		for i, from := range face {
			to := face[(i+1)%len(face)]
			b := otherFace(planes, a, from, to)
			if b < 0 || to.Sub(from).Len() < 0.02 {
				continue
			}
			e := edgeSpace{
				body: v.ID, from: pose.Apply(from), to: pose.Apply(to),
				across: pose.Rotation.Rotate(planes[a].Normal), through: pose.Rotation.Rotate(planes[b].Normal),
			}
			// Beside face a, and a little behind face b, so that it is the room in the crack.
			take(s.beside(&e, e.through.Mul(-besideM)))
		}
	}
}

// otherFace is the plane, beside a, that both ends of an edge lie on.
func otherFace(planes []geom.Plane, a int, from, to geom.Vec3) int {
	for b, p := range planes {
		if b != a && math.Abs(p.Normal.Dot(from)-p.Distance) < 1e-6 && math.Abs(p.Normal.Dot(to)-p.Distance) < 1e-6 {
			return b
		}
	}
	return -1
}

func (s *subject) besideMesh(m *level.Mesh, take func(gap, bool)) {
	pose := s.world.Pose(&m.Entity)
	normal := func(triangle int) geom.Vec3 {
		a, b, c := corner(m, 3*triangle), corner(m, 3*triangle+1), corner(m, 3*triangle+2)
		return pose.Rotation.Rotate(b.Sub(a).Cross(c.Sub(a))).Normalize()
	}
	look := func(e edge, across, through, back geom.Vec3) {
		from, to := pose.Apply(e.from), pose.Apply(e.to)
		box := geom.NoBounds()
		box.Grow(from)
		box.Grow(to)
		if to.Sub(from).Len() < 0.02 || math.IsNaN(across[0]) || math.IsNaN(through[0]) || !s.nearIndoor(box) {
			return
		}
		take(s.beside(&edgeSpace{body: m.ID, from: from, to: to, across: across, through: through}, back))
	}
	for _, open := range openEdges(m) {
		n := normal(open.triangle)
		look(open, pose.Rotation.Rotate(open.to.Sub(open.from)).Cross(n).Normalize(), n, geom.Vec3{})
	}
	if len(m.Indices) > 3*maxSharp {
		return
	}
	for _, pair := range sharpEdges(m) {
		a, b := normal(pair[0].triangle), normal(pair[1].triangle)
		look(pair[0], a, b, b.Mul(-besideM))
		look(pair[0], b, a, a.Mul(-besideM))
	}
}

// maxSharp bounds the triangles of a mesh whose sharp edges are looked at.
const maxSharp = 40_000

func (s *subject) nearIndoor(b geom.Bounds) bool {
	const about = 2 // zones are drawn with room about them
	for _, z := range s.zones() {
		if z.Mode != "indoor" {
			continue
		}
		for _, box := range z.Boxes {
			meets := true
			for axis := range 3 {
				meets = meets && b.Min[axis] <= box.Max[axis]+about && b.Max[axis] >= box.Min[axis]-about
			}
			if meets {
				return true
			}
		}
	}
	return false
}

// edgeSpace is the room beside an edge: across leads away from the body, through past it.
type edgeSpace struct {
	body            string
	from, to        geom.Vec3
	across, through geom.Vec3
}

// beside tells whether there is a crack beside an edge.
func (s *subject) beside(e *edgeSpace, back geom.Vec3) (gap, bool) {
	for _, share := range alongEdge {
		at := e.from.Add(e.to.Sub(e.from).Mul(share)).Add(e.across.Mul(besideM)).Add(back)
		met, ok := s.Scene.Meet(scene.Along(at, e.across, mostCrackM))
		if !ok || met.T+besideM < leastCrackM || s.Scene.Inside(at) != "" {
			continue
		}
		for _, way := range []geom.Vec3{e.through, e.through.Mul(-1)} {
			// A notch in a wall is no way in: there has to be room beyond.
			free := 3.0
			if met, ok := s.Scene.Meet(scene.Along(at, way, free)); ok {
				free = met.T
			}
			in := at.Add(way.Mul(stepM))
			z := s.zoneAlong(at, way, free)
			if free < 0.3 || z == nil || z.Mode != "indoor" || s.Scene.Inside(in) != "" {
				continue
			}
			away, ok := s.pastWall(at, in, way, z)
			if !ok || s.inClosedMesh(at) {
				continue
			}
			return gap{
				zone: z, bodies: [2]string{e.body, s.Scene.Surfaces[met.Surface].Body().Entity}, at: at, along: e.to.Sub(e.from), across: e.across,
				through: way, widthM: met.T + besideM, in: in.Add(way.Mul(0.2)), away: away,
			}, true
		}
	}
	return gap{}, false
}

// zoneAlong is the first indoor zone on a way, as far as it is free. A crack may lie at the very edge of
// the zone's boxes.
func (s *subject) zoneAlong(at, way geom.Vec3, free float64) *level.Zone {
	const edge = 0.12
	for _, share := range []float64{0.1, 0.3, 0.5, 0.7, 0.9} {
		p := at.Add(way.Mul(free * share))
		for _, off := range []geom.Vec3{{}, {0, -edge, 0}, {0, edge, 0}, {edge, 0, 0}, {-edge, 0, 0}, {0, 0, edge}, {0, 0, -edge}} {
			if z := s.zoneAt(p.Add(off)); z != nil && z.Mode == "indoor" {
				return z
			}
		}
	}
	return nil
}

func (s *subject) inClosedMesh(p geom.Vec3) bool {
	for _, m := range s.closedMeshes() {
		if m.mesh.Surface.CastsShadow && m.box.Contains(p) && m.holds(p) {
			return true
		}
	}
	return false
}

// pastWall follows the way through a crack, out of a zone, and tells whether it soon ends where far
// more of the void is seen than inside. What it returns is a point out there.
func (s *subject) pastWall(at, in, way geom.Vec3, z *level.Zone) (geom.Vec3, bool) {
	const farthest, leastOpen = 1.0, 0.18
	free := farthest
	if met, ok := s.Scene.Meet(scene.Along(in, way.Mul(-1), farthest)); ok {
		free = met.T
	}
	inside := s.voidSeen(in.Add(way.Mul(0.1)))
	for beyond := stepM + 0.05; beyond < free-0.01; beyond += 0.1 {
		p := in.Sub(way.Mul(beyond))
		if open := s.voidSeen(p); open > leastOpen && open > 2*inside+0.05 && s.behindWall(p, z) {
			return p, true
		}
	}
	return at, false
}

// behindWall tells whether a point is hidden from nearly all of the air of a zone. Beside an open door
// there is room between things, too, and it is no crack.
func (s *subject) behindWall(p geom.Vec3, z *level.Zone) bool {
	air := s.airOf(z, 24)
	seen := 0
	for _, from := range air {
		if !s.Scene.Blocked(from, p) {
			seen++
		}
	}
	return 10*seen <= len(air)
}

// voidSeen is the share of all directions from a point in which nothing is.
func (s *subject) voidSeen(p geom.Vec3) float64 {
	const rays = 64
	open := 0
	for i := range rays {
		if !s.Scene.BlockedAlong(p, sphere(i, rays), math.Inf(1)) {
			open++
		}
	}
	return float64(open) / rays
}

// sphere is one of n directions, evenly over the sphere (a Fibonacci lattice).
func sphere(i, n int) geom.Vec3 {
	y := 1 - (2*float64(i)+1)/float64(n)
	sin, cos := math.Sincos(float64(i) * math.Pi * (3 - math.Sqrt(5)))
	r := math.Sqrt(1 - y*y)
	return geom.Vec3{r * cos, y, r * sin}
}

// airOf are about n points in the air of a zone, evenly.
func (s *subject) airOf(z *level.Zone, n int) []geom.Vec3 {
	var points []geom.Vec3
	for _, b := range z.Boxes {
		for i := range n {
			// The R3 sequence (Roberts, 2018).
			var p geom.Vec3
			for axis, step := range [3]float64{0.8191725133961645, 0.6710436067037893, 0.5497004779019703} {
				share := math.Mod(0.5+float64(i+1)*step, 1)
				p[axis] = b.Min[axis] + (b.Max[axis]-b.Min[axis])*(0.05+0.9*share)
			}
			if s.Scene.Inside(p) == "" && s.zoneAt(p) == z {
				points = append(points, p)
			}
		}
	}
	return points
}

// openToVoid finds indoor zones from whose air rays leave the level.
func openToVoid(s *subject) []Finding {
	e := &s.level.Environment
	if e.Mode != "indoor" || s.Scene.Bounds.Empty() {
		return nil // windows and doors may look outside
	}
	var found []Finding
	for _, z := range s.zones() {
		if z.Mode != "indoor" {
			continue
		}
		const rays = 256
		var out, all int
		var from, way geom.Vec3
		nearest := math.Inf(1)
		for _, p := range s.airOf(z, 12) {
			for i := range rays {
				all++
				dir := sphere(i, rays)
				if s.Scene.BlockedAlong(p, dir, math.Inf(1)) {
					continue
				}
				out++
				if d := exitM(z, p, dir); d < nearest {
					nearest, from, way = d, p, dir
				}
			}
		}
		if out == 0 {
			continue
		}
		at := from.Add(way.Mul(nearest))
		found = append(found, Finding{
			Severity: Warning, Zone: z.ID, Point: vec(at), Count: float64(out) / float64(all),
			Path:    []level.Vec{level.Vec(from), level.Vec(at), level.Vec(at.Add(way.Mul(2)))},
			Message: fmt.Sprintf("%s is open to the void: %.1f %% of what is seen from its air is outside, first at %.2f, %.2f, %.2f", s.zoneName(z.ID), 100*float64(out)/float64(all), at[0], at[1], at[2]),
		})
	}
	return found
}

// exitM is how far a point in a zone's boxes is from leaving them along a direction.
func exitM(z *level.Zone, p, dir geom.Vec3) float64 {
	far := 0.0
	for _, b := range z.Boxes {
		t := math.Inf(1)
		for axis := range 3 {
			switch {
			case p[axis] < b.Min[axis] || p[axis] > b.Max[axis]:
				t = 0
			case dir[axis] > 0:
				t = min(t, (b.Max[axis]-p[axis])/dir[axis])
			case dir[axis] < 0:
				t = min(t, (b.Min[axis]-p[axis])/dir[axis])
			}
		}
		far = max(far, t)
	}
	return far
}
