package check

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/platform"
	"grotta/core/scene"
)

type rule struct {
	id, why string
	run     func(*subject) []Finding
}

// rules, by family: limits of the profile, what it supports, links between
// entities, closed space, the look.
var rules = []rule{
	{"limits.lights", "The target drops what is over its limit, without a word.", lightsInAll},
	{"limits.zone-lights", "The target drops what is over its limit, without a word.", lightsByZone},
	{"limits.shadow-overlap", "Where too many shadow-casting lights reach a point the target drops some of them.", shadowOverlap},
	{"limits.lightmap-pages", "The target refuses a level with more pages.", lightmapPages},
	{"limits.lightmap-bytes", "The target refuses a level with more bytes of light.", lightmapBytes},
	{"limits.page-size", "The target shrinks or refuses larger pages.", pageSize},
	{"support.light-kind", "The target has no such light and leaves it out.", lightKinds},
	{"support.mode", "The target leaves out by the mode what lights here.", leftOutByMode},
	{"support.backs", "A wall seen from behind stops light here and not there, or the other way about.", backsOfSurfaces},
	{"support.density", "The target rounds a density that it does not have, and shadows come out otherwise.", densities},
	{"limits.dynamic-lights", "The target drops what is over its limit, without a word.", dynamicLights},
	{"build.carried-light", "What is baked stays where it was when its carrier goes.", carriedLights},
	{"links.glow-without-light", "A player sees a lamp that glows, and nothing round it is lit.", glowWithoutLight},
	{"closure.light-inside", "A light inside a solid is shut in by its own shadow.", lightInside},
	{"links.glow-buried", "A glow inside a thing is not seen, or only its rim is.", glowBuried},
	{"look.fog-hides-all", "A fog that hides everything is the first mistake with fog.", fogHidesAll},
	{"look.painted-sun", "Shadows that do not fit the sun in the sky look wrong, and nobody can say why.", paintedSun},
	{"limits.air", "What is left out of a view is missed on the target, or shows there alone.", airLeftOut},
	{"look.zone-too-dark", "A player cannot see what the zone is for.", zoneTooDark},
}

// leftOutByMode finds what lights here and does not on the target, indoors or
// outdoors.
func leftOutByMode(s *subject) []Finding {
	e := &s.level.Environment
	modes := map[string]platform.Mode{"indoor": s.profile.Modes.Indoor, "outdoor": s.profile.Modes.Outdoor}
	other := map[string]string{"indoor": "outdoor", "outdoor": "indoor"}
	var found []Finding
	mode := modes[e.Mode]
	shines := map[string]bool{
		"sun": e.Sun.Up() && e.Sun.Lux > 0, "moon": e.Moon.Up() && e.Moon.Lux > 0,
		"sky": e.Sky.Lights && e.Sky.Luminance > 0, "ambient": e.Ambient.Linear() != (color.Linear{}) || e.Ambient.SkyFill > 0,
	}
	for _, part := range mode.LeavesOut {
		if !shines[part] {
			continue
		}
		f := Finding{Severity: Warning, Why: mode.Why, Message: fmt.Sprintf("the level is %s, and %s has no light of the %s there", e.Mode, s.profile.Name, part)}
		if !slices.Contains(modes[other[e.Mode]].LeavesOut, part) {
			fix := level.Set("", map[string]any{"environment.mode": other[e.Mode]})
			fix.Label = "Make the level " + other[e.Mode]
			f.Fix = &fix
		}
		found = append(found, f)
	}
	byZone := map[string][]string{}
	for _, l := range s.shining() {
		if z := s.world.ZoneOf(&l.Entity); z != nil && l.Kind != level.Directional && slices.Contains(modes[z.Mode].LeavesOut, "local") {
			byZone[z.ID] = append(byZone[z.ID], l.ID)
		}
	}
	for _, z := range s.level.Zones {
		if ids := byZone[z.ID]; len(ids) > 0 {
			found = append(found, Finding{
				Severity: Warning, Zone: z.ID, Entities: ids, Why: modes[z.Mode].Why, Count: float64(len(ids)),
				Message: fmt.Sprintf("%s is %s, and %s has no light of lamps there: %d shine in it", s.zoneName(z.ID), z.Mode, s.profile.Name, len(ids)),
			})
		}
	}
	return found
}

func lightsInAll(s *subject) []Finding {
	limit, n := s.profile.Limits.Lights, len(s.shining())
	if limit == nil || float64(n) <= limit.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: float64(n), Limit: limit.Max, Why: limit.Why,
		Message: fmt.Sprintf("%d lights shine; %s takes %.0f", n, s.profile.Name, limit.Max),
	}}
}

func lightsByZone(s *subject) []Finding {
	limit := s.profile.Limits.ZoneLights
	if limit == nil {
		return nil
	}
	in := map[string][]string{}
	for _, l := range s.shining() {
		if z := s.world.ZoneOf(&l.Entity); z != nil && l.Kind != level.Directional {
			in[z.ID] = append(in[z.ID], l.ID)
		}
	}
	var found []Finding
	for _, zone := range slices.Sorted(maps.Keys(in)) {
		if n := float64(len(in[zone])); n > limit.Max {
			found = append(found, Finding{
				Severity: Error, Count: n, Limit: limit.Max, Why: limit.Why, Zone: zone, Entities: in[zone],
				Message: fmt.Sprintf("%.0f lights shine in %s; %s takes %.0f in a zone", n, s.zoneName(zone), s.profile.Name, limit.Max),
			})
		}
	}
	return found
}

func shadowOverlap(s *subject) []Finding {
	limit := s.profile.Limits.ShadowOverlap
	if limit == nil {
		return nil
	}
	allowed := limit.Max - limit.Reserve
	volumes := shadowVolumes(s)
	worst := deepest(volumes)
	if len(worst.ids) <= allowed {
		return nil
	}
	point := level.Vec(worst.point)
	f := Finding{
		Severity: Error, Count: float64(len(worst.ids)), Limit: float64(allowed), Why: limit.Why,
		Entities: worst.ids, Point: &point,
		Message: fmt.Sprintf("%d shadow-casting lights meet at %.2f, %.2f, %.2f; %s takes %d and keeps %d for carried lamps",
			len(worst.ids), point[0], point[1], point[2], s.profile.Name, limit.Max, limit.Reserve),
	}
	if worst.cutShort {
		f.Message = "at least " + f.Message
	}
	if z := s.level.ZoneAt(worst.point); z != nil {
		f.Zone = z.ID
	}
	f.Fix = dropShadows(s, volumes, allowed)
	return []Finding{f}
}

// dropShadows takes the shadow of the weakest light at the worst place, again
// and again until no place is over.
func dropShadows(s *subject, volumes []volume, allowed int) *level.Operation {
	var steps []level.Operation
	var names []string
	for {
		worst := deepest(volumes)
		if len(worst.ids) <= allowed {
			break
		}
		weakest := slices.MinFunc(worst.ids, func(a, b string) int {
			return cmp.Or(cmp.Compare(s.throw(a), s.throw(b)), cmp.Compare(a, b))
		})
		steps = append(steps, level.Set(weakest, map[string]any{"shadows.cast": false}))
		names = append(names, weakest)
		volumes = slices.DeleteFunc(slices.Clone(volumes), func(v volume) bool { return v.id == weakest })
	}
	fix := level.Batch("Take the shadow from "+strings.Join(names, ", "), steps...)
	return &fix
}

// throw ranks lights by how much their shadow is worth: candela, and everything
// for a directional light.
func (s *subject) throw(id string) float64 {
	l := s.level.Light(id)
	if l.Kind == level.Directional {
		return 1e12
	}
	return s.level.Radiant(l).Luminance()
}

func lightmapPages(s *subject) []Finding {
	limit := s.profile.Limits.LightmapPages
	if limit == nil || float64(s.Layout.Pages) <= limit.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: float64(s.Layout.Pages), Limit: limit.Max, Why: limit.Why,
		Message: fmt.Sprintf("the lightmap needs %d pages of %d; %s takes %.0f", s.Layout.Pages, s.Layout.PageSize, s.profile.Name, limit.Max),
		Fix:     lowerDensity(s, func(l *lightmap.Layout) bool { return float64(l.Pages) <= limit.Max }),
	}}
}

func lightmapBytes(s *subject) []Finding {
	limit := s.profile.Limits.LightmapBytes
	per := int(s.profile.Limits.BytesPerTexel)
	if limit == nil || float64(s.Layout.Bytes(per)) <= limit.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: float64(s.Layout.Bytes(per)), Limit: limit.Max, Why: limit.Why,
		Message: fmt.Sprintf("the lightmap needs %d bytes; %s takes %.0f", s.Layout.Bytes(per), s.profile.Name, limit.Max),
		Fix:     lowerDensity(s, func(l *lightmap.Layout) bool { return float64(l.Bytes(per)) <= limit.Max }),
	}}
}

// lowerDensity looks for the highest density of the level that fits, by halving
// the span. Nil where surfaces with a density of their own are to blame.
func lowerDensity(s *subject, fits func(*lightmap.Layout) bool) *level.Operation {
	now := s.level.Lightmap.Density
	low, high := 0.0, now
	for range 7 {
		try := (low + high) / 2
		changed := *s.level
		changed.Lightmap.Density = try
		if layout, err := lightmap.Plan(scene.Build(&changed)); err == nil && fits(layout) {
			low = try
		} else {
			high = try
		}
	}
	if low < 0.25 {
		return nil
	}
	density := float64(int(low*100)) / 100
	fix := level.Set("", map[string]any{"lightmap.density": density})
	fix.Label = fmt.Sprintf("Lower the density from %g to %g texels a metre", now, density)
	return &fix
}

func pageSize(s *subject) []Finding {
	limit, size := s.profile.Limits.PageSize, s.level.Lightmap.PageSize
	if limit == nil || float64(size) <= limit.Max {
		return nil
	}
	fix := level.Set("", map[string]any{"lightmap.page_size": limit.Max})
	fix.Label = fmt.Sprintf("Use pages of %.0f", limit.Max)
	return []Finding{{
		Severity: Error, Count: float64(size), Limit: limit.Max, Why: limit.Why, Fix: &fix,
		Message: fmt.Sprintf("pages are %d texels wide; %s takes %.0f", size, s.profile.Name, limit.Max),
	}}
}

func lightKinds(s *subject) []Finding {
	var found []Finding
	for _, l := range s.shining() {
		if slices.Contains(s.profile.Lights.Kinds, l.Kind) {
			continue
		}
		f := Finding{
			Severity: Error, Entities: []string{l.ID}, Point: s.place(&l.Entity),
			Message: fmt.Sprintf("%s is a %s light; %s has %s", cmp.Or(l.Name, l.ID), l.Kind, s.profile.Name, strings.Join(s.profile.Lights.Kinds, ", ")),
		}
		if other := s.profile.Lights.Instead[l.Kind]; other != "" {
			fix := level.Set(l.ID, map[string]any{"kind": other})
			fix.Label = fmt.Sprintf("Make %s a %s light", cmp.Or(l.Name, l.ID), other)
			f.Fix = &fix
		}
		found = append(found, f)
	}
	return found
}

// nearGlowM is how far off a glow its light may stand.
const nearGlowM = 0.5

func glowWithoutLight(s *subject) []Finding {
	var found []Finding
	for _, g := range s.level.Glows {
		if s.level.GlowRadiance(g) == (color.Linear{}) || g.ColorFrom != "" {
			continue
		}
		at := s.world.Pose(&g.Entity).Position
		lit := slices.ContainsFunc(s.shining(), func(l *level.Light) bool {
			return l.Kind != level.Directional && s.world.Pose(&l.Entity).Position.Sub(at).Len() <= nearGlowM
		})
		if lit {
			continue
		}
		found = append(found, Finding{
			Severity: Warning, Entities: []string{g.ID}, Point: s.place(&g.Entity), Zone: zoneID(s.world.ZoneOf(&g.Entity)),
			Message: fmt.Sprintf("%s glows, and no light stands within %g m of it", cmp.Or(g.Name, g.ID), nearGlowM),
			Fix:     lightForGlow(s, g),
		})
	}
	return found
}

// lightForGlow adds a point light in a glow's middle and ties the glow to it.
func lightForGlow(s *subject, g *level.Glow) *level.Operation {
	l := level.NewLight(s.level.FreshID(strings.TrimSuffix(g.ID, "-glow")+"-light"), level.Point)
	l.Name = strings.TrimSuffix(cmp.Or(g.Name, g.ID), " halo")
	l.Transform, l.Parent, l.Rig, l.Color = g.Transform, g.Parent, g.Rig, g.Color
	l.Strength, l.RangeM, l.RadiusM = 25, 8, 0.05
	l.Shadows.Cast = false
	fix := level.Batch("Give "+cmp.Or(g.Name, g.ID)+" a light",
		level.Add("lights", l), level.Set(g.ID, map[string]any{"color_from": l.ID}))
	return &fix
}

func lightInside(s *subject) []Finding {
	var found []Finding
	for _, l := range s.shining() {
		if l.Kind == level.Directional || !l.Shadows.Cast {
			continue
		}
		at := s.world.Pose(&l.Entity).Position
		solid := s.Scene.Inside(at)
		if solid == "" || l.Shadows.NearM > 0 {
			continue
		}
		found = append(found, Finding{
			Severity: Warning, Entities: []string{l.ID, solid}, Point: s.place(&l.Entity),
			Message: fmt.Sprintf("%s stands inside %s; move it, or give its shadow a near distance", cmp.Or(l.Name, l.ID), solid),
		})
	}
	return found
}

// floorSamples is how many places of a zone's floor are asked for their light.
// floorPaths is how many paths each of them gets for bounced light.
const (
	floorSamples = 48
	floorPaths   = 8
)

func zoneTooDark(s *subject) []Finding {
	floors := map[string][]lightmap.Texel{}
	for _, t := range s.Texels.List {
		if t.Normal(s.Scene)[1] < 0.7 {
			continue
		}
		if z := s.level.ZoneAt(geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}); z != nil && z.Play != "none" {
			floors[z.ID] = append(floors[z.ID], t)
		}
	}
	var found []Finding
	for _, z := range s.level.Zones {
		least := map[string]float64{"story": s.profile.Play.StoryLux, "compete": s.profile.Play.CompeteLux}[z.Play]
		floor := floors[z.ID]
		if least == 0 || len(floor) == 0 {
			continue
		}
		mean, darkest := s.floorLight(floor)
		if mean >= least {
			continue
		}
		f := Finding{
			Severity: Warning, Zone: z.ID, Point: &darkest, Count: mean, Limit: least,
			Message: fmt.Sprintf("%s has %.2f lux on its floor on average; %s asks %g where players %s",
				s.zoneName(z.ID), mean, s.profile.Name, least, map[string]string{"story": "follow a story", "compete": "compete"}[z.Play]),
		}
		var off []level.Operation
		var names []string
		for _, l := range s.level.Lights {
			if at := s.world.ZoneOf(&l.Entity); !l.Enabled && at != nil && at.ID == z.ID {
				f.Entities = append(f.Entities, l.ID)
				off = append(off, level.Set(l.ID, map[string]any{"enabled": true}))
				names = append(names, cmp.Or(l.Name, l.ID))
			}
		}
		if len(off) > 0 {
			fix := level.Batch("Switch on "+strings.Join(names, ", "), off...)
			f.Fix = &fix
			f.Message += "; switched off there: " + strings.Join(names, ", ")
		}
		found = append(found, f)
	}
	return found
}

// floorLight is the mean light on an even choice of texels, in lux, and
// the darkest of them.
func (s *subject) floorLight(floor []lightmap.Texel) (mean float64, darkest level.Vec) {
	n := min(floorSamples, len(floor))
	low := -1.0
	for i := range n {
		t := floor[(2*i+1)*len(floor)/(2*n)]
		at := geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
		lux := ledger.Light(s.Prepared, at, t.Normal(s.Scene), bake.Draft.Samples(), floorPaths).Luminance()
		mean += lux / float64(n)
		if low < 0 || lux < low {
			low, darkest = lux, level.Vec(at)
		}
	}
	return mean, darkest
}

func zoneID(z *level.Zone) string {
	if z == nil {
		return ""
	}
	return z.ID
}
