package check

import (
	"cmp"
	"fmt"
	"math"

	"grotta/core/air"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
)

// glowBuried finds glows that sit deeper in a solid than they may shine through.
func glowBuried(s *subject) []Finding {
	var found []Finding
	for _, g := range s.level.Glows {
		if !g.Enabled {
			continue
		}
		at := s.world.Pose(&g.Entity).Position
		solid, depth, way := s.buried(at)
		if solid == nil || depth <= g.ToleranceM {
			continue
		}
		out := at.Add(way.Mul(depth + 0.02))
		f := Finding{
			Severity: Warning, Entities: []string{g.ID, solid.ID}, Point: s.place(&g.Entity), Zone: zoneID(s.world.ZoneOf(&g.Entity)),
			Count: depth, Limit: g.ToleranceM,
			Message: fmt.Sprintf("%s sits %.2f m inside %s, and shines through %.2f m", cmp.Or(g.Name, g.ID), depth, cmp.Or(solid.Name, solid.ID), g.ToleranceM),
		}
		if g.Parent == "" {
			fix := level.Set(g.ID, map[string]any{"transform.position": []any{out[0], out[1], out[2]}})
			fix.Label = "Move " + cmp.Or(g.Name, g.ID) + " out"
			f.Fix = &fix
		}
		found = append(found, f)
	}
	return found
}

// buried is the visible solid that a point is deepest inside of, how deep, and the
// shortest way out.
func (s *subject) buried(p geom.Vec3) (solid *level.Solid, depth float64, way geom.Vec3) {
	for _, v := range s.level.Solids {
		if !v.Enabled || !v.Surface.Visible {
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
		if least > depth {
			solid, depth, way = v, least, pose.Rotation.Rotate(normal)
		}
	}
	return solid, depth, way
}

// fogHidesAll finds fog in which a player does not see across a room.
func fogHidesAll(s *subject) []Finding {
	const bodyM, leastM = 0.5, 8
	var found []Finding
	a := air.Of(s.level, s.world, sky.OfLevel(s.level))
	for i := range a.Settings {
		set := &a.Settings[i]
		eye := 1.7
		if len(set.Boxes) > 0 {
			eye += set.Boxes[0].Min[1]
		}
		sight := set.VanishM(bodyM, eye, 1000)
		if sight >= leastM {
			continue
		}
		found = append(found, Finding{
			Severity: Warning, Zone: set.Zone, Count: sight, Limit: leastM,
			Message: fmt.Sprintf("in the fog of %s a player vanishes %.1f m off", cmp.Or(set.Zone, "the level"), sight),
		})
	}
	return found
}

// sunAside is how far, in degrees, a sun may stand from one that the sky's image
// shows.
const sunAside = 5

// paintedSun compares the sun with one that is painted in the sky's image.
func paintedSun(s *subject) []Finding {
	e := &s.level.Environment
	if e.Sky.Kind != level.SkyImage || !e.Sun.Up() || e.Sun.Place != nil {
		return nil
	}
	painted, ok := sky.OfLevel(s.level).PaintedSun()
	if !ok {
		return nil
	}
	aside := math.Acos(min(1, painted.Dot(e.Sun.Toward()))) * 180 / math.Pi
	if aside <= sunAside {
		return nil
	}
	azimuth, altitude := sky.Angles(painted)
	fix := level.Set("", map[string]any{"environment.sun.azimuth_deg": azimuth - e.Sun.NorthDeg, "environment.sun.altitude_deg": altitude})
	fix.Label = "Put the sun where the sky shows it"
	return []Finding{{
		Severity: Advice, Count: aside, Limit: sunAside, Fix: &fix,
		Message: fmt.Sprintf("the sky's image shows a sun at azimuth %.0f, altitude %.0f; the sun's light comes from %.0f degrees beside it", azimuth, altitude, aside),
	}}
}

// airLeftOut tells what is more than a view takes.
func airLeftOut(s *subject) []Finding {
	a := air.Of(s.level, s.world, sky.OfLevel(s.level))
	if len(a.Left) == 0 {
		return nil
	}
	return []Finding{{
		Severity: Advice, Entities: a.Left, Count: float64(len(a.Left)),
		Message: fmt.Sprintf("a view takes %d fog volumes, %d glows and %d beams; what is over that is left out", air.MaxVolumes, air.MaxGlows, air.MaxBeams),
	}}
}
