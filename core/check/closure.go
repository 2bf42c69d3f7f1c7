package check

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
)

// This file finds what stands inside solids and what shuts light in; gaps.go where it gets out.

var _ = add(
	Rule{ID: "closure.light-inside", Family: Closure, Severities: []Severity{Warning}, Needs: Document,
		Title: "A light that casts shadows stands inside a solid or a closed mesh.", Why: "A light inside a solid is shut in by its own shadow.", run: lightInside,
		Fix: "moves it out by the shortest way"},
	Rule{ID: "closure.probe-inside", Family: Closure, Severities: []Severity{Warning}, Needs: Document,
		Title: "A reflection, or more than half of a grid of probes, lies inside solids.", Why: "It captures black, and what moves beside it is dark.", run: probesInside},
	Rule{ID: "closure.viewpoint-inside", Family: Closure, Severities: []Severity{Warning}, Needs: Document,
		Title: "A viewpoint stands inside a solid or a closed mesh.", Why: "Its pictures show the inside of a wall.", run: viewpointInside, Fix: "moves it out by the shortest way"},
	Rule{ID: "closure.thin-wall", Family: Closure, Severities: []Severity{Warning}, Needs: Document,
		Title: "A wall is thinner than the target can keep light behind.", Why: "Light comes through walls that are thinner than that.", run: thinWalls,
		Fix: "makes it as thick as is needed, on the side away from the zone"},
	Rule{ID: "closure.open-back", Family: Closure, Severities: []Severity{Warning}, Needs: Rays,
		Title: "Light gets through the back of a one-sided surface into a zone.", Why: "Seen from behind the surface is not there, and light from outside falls in.", run: openBacks,
		Fix: "makes its material two-sided"},
	Rule{ID: "links.glow-buried", Family: Closure, Severities: []Severity{Warning}, Needs: Document,
		Title: "A glow sits deeper in a solid than it may shine through.", Why: "A glow inside a thing is not seen, or only its rim is.", run: glowBuried,
		Fix: "moves it out by the shortest way"},
)

// insides tells what holds a point: a visible or shadow-casting solid, or a closed mesh, and how
// deep; and the shortest way out.
type insides struct {
	id    string
	depth float64
	way   geom.Vec3
}

// solidBox is an enabled solid and the box round it.
type solidBox struct {
	solid *level.Solid
	box   geom.Bounds
}

// solidBoxes are made once.
func (s *subject) solidBoxes() []solidBox {
	if s.kept.solids == nil {
		s.kept.solids = []solidBox{}
		waters := s.level.Waters() // one may be in them
		for _, v := range s.level.Solids {
			if !v.Enabled || waters[v.Surface.Material] {
				continue
			}
			pose, box := s.world.Pose(&v.Entity), geom.NoBounds()
			for _, face := range v.FacePolygons() {
				for _, p := range face {
					box.Grow(pose.Apply(p))
				}
			}
			s.kept.solids = append(s.kept.solids, solidBox{v, box})
		}
	}
	return s.kept.solids
}

// inside is what holds a point deepest. only chooses among things by their surface.
func (s *subject) inside(p geom.Vec3, only func(level.Surface) bool) (in insides, ok bool) {
	for _, b := range s.solidBoxes() {
		v := b.solid
		if !b.box.Contains(p) || !only(v.Surface) {
			continue
		}
		pose := s.world.Pose(&v.Entity)
		own := pose.Rotation.Inverse().Rotate(p.Sub(pose.Position))
		least, normal := math.Inf(1), geom.Vec3{}
		for _, plane := range v.FacePlanes() {
			if d := plane.Distance - plane.Normal.Dot(own); d < least {
				least, normal = d, plane.Normal
			}
		}
		if least > in.depth {
			in = insides{v.ID, least, pose.Rotation.Rotate(normal)}
		}
	}
	for _, m := range s.closedMeshes() {
		if !only(m.mesh.Surface) || !m.box.Contains(p) || !m.holds(p) {
			continue
		}
		if depth, way := m.wayOut(p); depth > in.depth {
			in = insides{m.mesh.ID, depth, way}
		}
	}
	return in, in.id != ""
}

func castsShadow(s level.Surface) bool { return s.CastsShadow }
func isVisible(s level.Surface) bool   { return s.Visible }

// out is a place just outside of what holds a point.
func (in *insides) out(p geom.Vec3) geom.Vec3 { return p.Add(in.way.Mul(in.depth + 0.05)) }

func lightInside(s *subject) []Finding {
	var found []Finding
	for _, l := range s.shining() {
		if l.Kind == level.Directional || !l.Shadows.Cast || l.Shadows.Depth == 0 {
			continue
		}
		at := s.world.Pose(&l.Entity).Position
		in, ok := s.inside(at, castsShadow)
		// Within near_m nothing casts a shadow; less than the way out does not help.
		if !ok || in.depth <= 0.001 || l.Shadows.NearM > in.depth {
			continue
		}
		f := s.about(&l.Entity, Warning, "%s stands %.2f m inside %s; move it out, or let its shadow begin beyond that", nameOf(&l.Entity), in.depth, in.id)
		f.Entities, f.Count = append(f.Entities, in.id), in.depth
		f.Fix = s.moveOut(&l.Entity, &in, at)
		found = append(found, f)
	}
	return found
}

// moveOut is the fix that takes a thing out of what holds it; nil for what is carried.
func (s *subject) moveOut(e *level.Entity, in *insides, at geom.Vec3) *level.Operation {
	if e.Parent != "" {
		return nil
	}
	out := in.out(at)
	return fixOf(e.ID, map[string]any{"transform.position": []any{round4(out[0]), round4(out[1]), round4(out[2])}}, "Move %s out of %s", nameOf(e), in.id)
}

func round4(x float64) float64 { return math.Round(x*1e4) / 1e4 }

func viewpointInside(s *subject) []Finding {
	var found []Finding
	for _, v := range s.level.Viewpoints {
		at := s.world.Pose(&v.Entity).Position
		in, ok := s.inside(at, isVisible)
		if !v.Enabled || !ok || in.depth <= 0.001 {
			continue
		}
		f := s.about(&v.Entity, Warning, "%s stands %.2f m inside %s", nameOf(&v.Entity), in.depth, in.id)
		f.Entities, f.Count = append(f.Entities, in.id), in.depth
		f.Fix = s.moveOut(&v.Entity, &in, at)
		found = append(found, f)
	}
	return found
}

func probesInside(s *subject) []Finding {
	var found []Finding
	for _, r := range s.level.Reflections {
		at := s.world.Pose(&r.Entity).Position
		in, ok := s.inside(at, isVisible)
		if !r.Enabled || !ok || in.depth <= 0.001 {
			continue
		}
		f := s.about(&r.Entity, Warning, "the reflection %s is captured %.2f m inside %s", nameOf(&r.Entity), in.depth, in.id)
		f.Entities, f.Count = append(f.Entities, in.id), in.depth
		f.Fix = s.moveOut(&r.Entity, &in, at)
		found = append(found, f)
	}
	for _, g := range s.level.Probes {
		if !g.Enabled {
			continue
		}
		at := s.world.Pose(&g.Entity).Position
		var n, held int
		const along = 6
		for i := range along * along * along {
			p := at
			for axis, k := range [3]int{i % along, i / along % along, i / along / along} {
				p[axis] += g.Size[axis] * ((float64(k)+0.5)/along - 0.5)
			}
			n++
			if s.Scene.Inside(p) != "" {
				held++
			}
		}
		if share := float64(held) / float64(n); share > 0.5 {
			f := s.about(&g.Entity, Warning, "%.0f %% of the probes of %s lie inside solids", share*100, nameOf(&g.Entity))
			f.Count, f.Limit = share, 0.5
			found = append(found, f)
		}
	}
	return found
}

// thinWalls finds solids beside an indoor zone that stop light here and are too thin to there.
func thinWalls(s *subject) []Finding {
	least := s.profile.Limits.ThinWallM
	if least == 0 {
		return nil
	}
	var found []Finding
	waters := s.level.Waters()
	for _, v := range s.level.Solids {
		if !v.Enabled || !v.Surface.CastsShadow || len(v.Planes) > 0 || waters[v.Surface.Material] {
			continue
		}
		axis := 0
		for i := range 3 {
			if v.Size[i] < v.Size[axis] {
				axis = i
			}
		}
		wide := slices.Sorted(slices.Values(v.Size[:]))
		if v.Size[axis] >= least || wide[1] < 1 { // a post or a board is no wall
			continue
		}
		pose := s.world.Pose(&v.Entity)
		normal := geom.Vec3{}
		normal[axis] = v.Size[axis]/2 + 0.05
		way := pose.Rotation.Rotate(normal)
		front, back := s.zoneAt(pose.Position.Add(way)), s.zoneAt(pose.Position.Sub(way))
		if front == back || !(front != nil && front.Mode == "indoor" || back != nil && back.Mode == "indoor") {
			continue
		}
		f := s.about(&v.Entity, Warning, "%s is %.3g m thick; %s lets light through walls under %.3g m", nameOf(&v.Entity), v.Size[axis], s.profile.Name, least)
		f.Count, f.Limit = v.Size[axis], least
		if v.Parent == "" {
			size, at := v.Size, pose.Position
			more := least - size[axis]
			size[axis] = least
			outward := way.Normalize()
			if back == nil || back.Mode != "indoor" {
				outward = outward.Mul(-1)
			}
			at = at.Add(outward.Mul(more / 2))
			f.Fix = fixOf(v.ID, map[string]any{"size": []any{size[0], size[1], size[2]}, "transform.position": []any{round4(at[0]), round4(at[1]), round4(at[2])}}, "Make %s %.3g m thick", nameOf(&v.Entity), least)
		}
		found = append(found, f)
	}
	return found
}

// openBacks finds one-sided meshes whose backs let light into a zone where the target has it so: from
// inside the zone the first thing along a ray is a back, and beyond it is no more of the level.
func openBacks(s *subject) []Finding {
	if s.profile.Lights.Backs != "pass" && s.level.Lightmap.Backs != "pass" {
		return nil
	}
	type hit struct {
		n     int
		point geom.Vec3
		zone  string
		path  []level.Vec
	}
	open := map[string]*hit{}
	var order []string
	for _, z := range s.zones() {
		if z.Mode != "indoor" {
			continue
		}
		for _, from := range s.airOf(z, 12) {
			for i := range 96 {
				dir := sphere(i, 96)
				seen, ok := s.Scene.See(from, dir, math.Inf(1))
				if !ok {
					continue
				}
				f := &s.Scene.Surfaces[seen.Surface]
				body := f.Body()
				if body.Mesh == nil || f.Finish().Material.HasTwoSides() || s.Scene.NormalOf(seen.Triangle).Dot(dir) < 0 {
					continue
				}
				beyond := seen.Point.Add(dir.Mul(0.02))
				if _, more := s.Scene.See(beyond, dir, math.Inf(1)); more || s.inClosed(body.Mesh.ID, from) {
					continue
				}
				h := open[body.Entity]
				if h == nil {
					h = &hit{point: seen.Point, zone: z.ID, path: []level.Vec{level.Vec(from), level.Vec(seen.Point), level.Vec(seen.Point.Add(dir))}}
					open[body.Entity] = h
					order = append(order, body.Entity)
				}
				h.n++
			}
		}
	}
	var found []Finding
	for _, id := range order {
		h := open[id]
		m := level.ByID[level.Mesh](s.level, id)
		f := Finding{
			Severity: Warning, Entities: []string{id}, Zone: h.zone, Point: vec(h.point), Path: h.path, Count: float64(h.n),
			Message: fmt.Sprintf("from %s one sees the back of %s, which stops no light on %s; outside lies nothing more", s.zoneName(h.zone), cmp.Or(m.Name, id), s.profile.Name),
		}
		if m.Surface.Material != "" {
			f.Fix = fixOf(m.Surface.Material, map[string]any{"two_sided": true}, "Make %s two-sided", m.Surface.Material)
		}
		found = append(found, f)
	}
	return found
}

func (s *subject) inClosed(id string, p geom.Vec3) bool {
	return slices.ContainsFunc(s.closedMeshes(), func(m closedMesh) bool { return m.mesh.ID == id && m.holds(p) })
}

// glowBuried finds glows that sit deeper in a solid than they may shine through.
func glowBuried(s *subject) []Finding {
	var found []Finding
	for _, g := range s.level.Glows {
		if !g.Enabled {
			continue
		}
		at := s.world.Pose(&g.Entity).Position
		in, ok := s.inside(at, isVisible)
		if !ok || in.depth <= g.ToleranceM {
			continue
		}
		f := s.about(&g.Entity, Warning, "%s sits %.2f m inside %s, and shines through %.2f m", nameOf(&g.Entity), in.depth, s.called(in.id), g.ToleranceM)
		f.Entities, f.Count, f.Limit = append(f.Entities, in.id), in.depth, g.ToleranceM
		if g.Parent == "" {
			out := at.Add(in.way.Mul(in.depth + 0.02))
			f.Fix = fixOf(g.ID, map[string]any{"transform.position": []any{out[0], out[1], out[2]}}, "Move %s out", nameOf(&g.Entity))
		}
		found = append(found, f)
	}
	return found
}

// called is what the solid or mesh with an id is called.
func (s *subject) called(id string) string {
	if v := level.ByID[level.Solid](s.level, id); v != nil {
		return nameOf(&v.Entity)
	}
	if v := level.ByID[level.Mesh](s.level, id); v != nil {
		return nameOf(&v.Entity)
	}
	return id
}
