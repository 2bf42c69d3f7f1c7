package check

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/overlap"
	"grotta/core/platform"
	"grotta/core/scene"
)

// This file counts what a profile limits, other than shadows and texels.

var _ = add(
	Rule{ID: "limits.lights", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "More lights shine than the target takes.", Why: "The target drops what is over its limit, without a word.", run: lightsInAll},
	Rule{ID: "limits.zone-lights", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "More lights shine in one zone than the target takes.", Why: "The target drops what is over its limit, without a word.", run: lightsByZone},
	Rule{ID: "limits.view-lights", Family: Limits, Severities: []Severity{Error}, Needs: Pictures,
		Title: "More lights reach what one viewpoint sees than the target takes.", Why: "The target drops what is over its limit, without a word.", run: lightsInView},
	Rule{ID: "limits.surface-lights", Family: Limits, Severities: []Severity{Error}, Needs: Layout,
		Title: "More lights reach one surface than the target takes.", Why: "The target drops what is over its limit, without a word.", run: lightsOnSurface},
	Rule{ID: "limits.light-surfaces", Family: Limits, Severities: []Severity{Warning}, Needs: Layout,
		Title: "One light reaches more surfaces than the target takes.", Why: "The target leaves surfaces over its limit dark, without a word.", run: surfacesOfLight,
		Fix: "shortens its range"},
	Rule{ID: "limits.dynamic-lights", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "More lights are dynamic than the target takes.", Why: "The target drops what is over its limit, without a word.", run: dynamicLights},
	Rule{ID: "limits.glows", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "There are more glows than the target takes.", Why: "The target leaves out what is over its limit.", run: counted("glows", func(p *platform.Profile) *platform.Limit { return p.Limits.Glows }, glowsShown)},
	Rule{ID: "limits.fog-volumes", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "There are more fog volumes than the target takes.", Why: "The target leaves out what is over its limit.", run: counted("fog volumes", func(p *platform.Profile) *platform.Limit { return p.Limits.FogVolumes }, fogShown)},
	Rule{ID: "limits.motes", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "More motes are in the air at once than the target takes.", Why: "The target leaves out what is over its limit.", run: motes,
		Fix: "lowers the rate of all motes alike"},
	Rule{ID: "limits.probes", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "There are more probes than the target takes.", Why: "The target refuses more, or spaces them out.", run: counted("probes", func(p *platform.Profile) *platform.Limit { return p.Limits.Probes }, probesSet)},
	Rule{ID: "limits.reflections", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "There are more reflections than the target takes.", Why: "The target leaves out what is over its limit.", run: counted("reflections", func(p *platform.Profile) *platform.Limit { return p.Limits.Reflections }, reflectionsSet)},
	Rule{ID: "limits.triangles", Family: Limits, Severities: []Severity{Error}, Needs: Layout,
		Title: "The level has more triangles than the target draws.", Why: "The target runs too slowly, or refuses the level.", run: counted("triangles", func(p *platform.Profile) *platform.Limit { return p.Limits.Triangles }, func(s *subject) (int, []string) { return s.Scene.DrawnTriangles(), nil })},
	Rule{ID: "limits.gobo-side", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "The image of a gobo is larger than the target takes.", Why: "The target scales it down, and its pattern is lost.", run: goboSides},
	Rule{ID: "limits.lightmap-pages", Family: Limits, Severities: []Severity{Error}, Needs: Layout,
		Title: "The lightmap needs more pages than the target takes.", Why: "The target refuses a level with more pages.", run: lightmapPages, Fix: "lowers the level's density until the pages fit"},
	Rule{ID: "limits.lightmap-bytes", Family: Limits, Severities: []Severity{Error}, Needs: Layout,
		Title: "The lightmap needs more bytes than the target takes.", Why: "The target refuses a level with more bytes of light.", run: lightmapBytes, Fix: "lowers the level's density until the bytes fit"},
	Rule{ID: "limits.page-size", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "Pages are wider than the target takes.", Why: "The target shrinks or refuses larger pages.", run: pageSize, Fix: "uses the widest page that it takes"},
)

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

// lightsInView counts the lights whose reach holds any point that a viewpoint sees.
func lightsInView(s *subject) []Finding {
	limit := s.profile.Limits.ViewLights
	if limit == nil || float64(len(s.shining())) <= limit.Max {
		return nil
	}
	var found []Finding
	for _, v := range s.seen() {
		var names []string
		for _, l := range s.shining() {
			volume := overlap.Reach(l, s.world.Pose(&l.Entity), cmp.Or(l.RangeM, math.Inf(1)))
			if slices.ContainsFunc(v.spots, func(p spot) bool { return volume.Contains(p.at) }) {
				names = append(names, l.ID)
			}
		}
		if n := float64(len(names)); n > limit.Max {
			f := s.about(&v.view.Entity, Error, "%.0f lights reach what %s sees; %s takes %.0f in a view", n, nameOf(&v.view.Entity), s.profile.Name, limit.Max)
			f.Count, f.Limit, f.Why = n, limit.Max, limit.Why
			found = append(found, f)
		}
	}
	return found
}

func lightsOnSurface(s *subject) []Finding {
	limit := s.profile.Limits.SurfaceLights
	if limit == nil || float64(len(s.shining())) <= limit.Max {
		return nil
	}
	on := map[int32][]string{}
	for _, l := range s.shining() {
		for _, i := range s.reached(l) {
			on[i] = append(on[i], l.ID)
		}
	}
	// The worst surface of each thing.
	worst := map[string]int32{}
	for _, i := range slices.Sorted(maps.Keys(on)) {
		body := s.Scene.Surfaces[i].Body().Entity
		if at, ok := worst[body]; float64(len(on[i])) > limit.Max && (!ok || len(on[i]) > len(on[at])) {
			worst[body] = i
		}
	}
	bodies := slices.SortedFunc(maps.Keys(worst), func(a, b string) int {
		return cmp.Or(len(on[worst[b]])-len(on[worst[a]]), cmp.Compare(a, b))
	})
	if len(bodies) == 0 {
		return nil
	}
	i := worst[bodies[0]]
	box := s.surfaces().boxes[i]
	f := Finding{
		Severity: Error, Count: float64(len(on[i])), Limit: limit.Max, Why: limit.Why, Entities: append(bodies, on[i]...), Point: vec(box.Min.Add(box.Max).Mul(0.5)),
		Message: fmt.Sprintf("%d lights reach one surface of %s; %s takes %.0f", len(on[i]), s.called(bodies[0]), s.profile.Name, limit.Max),
	}
	if more := len(bodies) - 1; more > 0 {
		f.Message += fmt.Sprintf("; too many reach surfaces of %s, too: %s", plural(more, "other thing", "other things"), some(bodies[1:]))
	}
	for _, body := range bodies {
		b := s.surfaces().boxes[worst[body]]
		f.Region = append(f.Region, level.Box{Min: level.Vec(b.Min), Max: level.Vec(b.Max)})
	}
	return []Finding{f}
}

func surfacesOfLight(s *subject) []Finding {
	limit := s.profile.Limits.LightSurfaces
	if limit == nil || float64(len(s.Scene.Surfaces)) <= limit.Max {
		return nil
	}
	var found []Finding
	for _, l := range s.shining() {
		n := float64(len(s.reached(l)))
		if n <= limit.Max {
			continue
		}
		f := s.about(&l.Entity, Warning, "%s reaches %.0f surfaces; %s takes %.0f of one light", nameOf(&l.Entity), n, s.profile.Name, limit.Max)
		f.Count, f.Limit, f.Why = n, limit.Max, limit.Why
		if l.Kind != level.Directional && l.Kind != level.BoxLight {
			if shorter := s.shorter(l, int(limit.Max)); shorter > 0 {
				f.Fix = fixOf(l.ID, map[string]any{"range_m": shorter}, "End %s at %g m", nameOf(&l.Entity), shorter)
			}
		}
		found = append(found, f)
	}
	return found
}

// shorter is the longest range, to a tenth of a metre, at which a light reaches few enough surfaces.
func (s *subject) shorter(l *level.Light, most int) float64 {
	high := l.RangeM
	if high == 0 {
		high = s.Scene.Bounds.Max.Sub(s.Scene.Bounds.Min).Len()
	}
	low := 0.0
	for high-low > 0.1 {
		try := *l
		try.RangeM = (low + high) / 2
		if len(s.reachedBy(&try)) <= most {
			low = try.RangeM
		} else {
			high = try.RangeM
		}
	}
	return math.Floor(low*10) / 10
}

func dynamicLights(s *subject) []Finding {
	limit := s.profile.Lights.Dynamic
	var names []string
	for _, l := range s.shining() {
		if l.Bake != "baked" {
			names = append(names, l.ID)
		}
	}
	if limit == nil || float64(len(names)) <= limit.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: float64(len(names)), Limit: limit.Max, Why: limit.Why, Entities: names,
		Message: fmt.Sprintf("%d lights are dynamic; %s takes %.0f", len(names), s.profile.Name, limit.Max),
	}}
}

// counted is the rule of a limit on how many things of one sort there are.
func counted(what string, limitOf func(*platform.Profile) *platform.Limit, count func(*subject) (int, []string)) func(*subject) []Finding {
	return func(s *subject) []Finding {
		limit := limitOf(s.profile)
		if limit == nil {
			return nil
		}
		n, names := count(s)
		if float64(n) <= limit.Max {
			return nil
		}
		return []Finding{{
			Severity: Error, Count: float64(n), Limit: limit.Max, Why: limit.Why, Entities: names,
			Message: fmt.Sprintf("there are %d %s; %s takes %.0f", n, what, s.profile.Name, limit.Max),
		}}
	}
}

func glowsShown(s *subject) (int, []string) {
	var names []string
	for _, g := range s.level.Glows {
		if s.level.GlowRadiance(g).Luminance() > 0 {
			names = append(names, g.ID)
		}
	}
	return len(names), names
}

func fogShown(s *subject) (int, []string) {
	var names []string
	for _, v := range s.level.FogVolumes {
		if v.Enabled && v.Density > 0 {
			names = append(names, v.ID)
		}
	}
	return len(names), names
}

func reflectionsSet(s *subject) (int, []string) {
	var names []string
	for _, v := range s.level.Reflections {
		if v.Enabled {
			names = append(names, v.ID)
		}
	}
	return len(names), names
}

func probesSet(s *subject) (n int, names []string) {
	for _, g := range s.level.Probes {
		if !g.Enabled {
			continue
		}
		names = append(names, g.ID)
		own := 1
		for axis := range 3 {
			own *= int(math.Ceil(g.Size[axis]/g.SpacingM)) + 1
		}
		n += own
	}
	return n, names
}

// motesAlive is how many motes are in the air at once, and of which clouds.
func motesAlive(s *subject) (n float64, names []string) {
	for _, m := range s.level.Motes {
		if m.Enabled && m.RateHz > 0 {
			n += m.RateHz * m.Life()
			names = append(names, m.ID)
		}
	}
	return n, names
}

func motes(s *subject) []Finding {
	limit := s.profile.Limits.Motes
	if limit == nil {
		return nil
	}
	n, names := motesAlive(s)
	if n <= limit.Max {
		return nil
	}
	share := limit.Max / n
	var steps []level.Operation
	for _, m := range s.level.Motes {
		if slices.Contains(names, m.ID) {
			steps = append(steps, level.Set(m.ID, map[string]any{"rate_hz": math.Floor(m.RateHz*share*100) / 100}))
		}
	}
	fix := level.Batch(fmt.Sprintf("Thin all motes to %.0f %%", share*100), steps...)
	return []Finding{{
		Severity: Error, Count: n, Limit: limit.Max, Why: limit.Why, Entities: names, Fix: &fix,
		Message: fmt.Sprintf("%.0f motes are in the air at once; %s takes %.0f", n, s.profile.Name, limit.Max),
	}}
}

func goboSides(s *subject) []Finding {
	limit := s.profile.Limits.GoboSide
	if limit == nil {
		return nil
	}
	var found []Finding
	for _, l := range s.shining() {
		if l.Gobo == nil {
			continue
		}
		m := s.level.Image(l.Gobo.Image).Picture()
		if m == nil {
			continue
		}
		if side := float64(max(m.Width, m.Height)); side > limit.Max {
			f := s.about(&l.Entity, Warning, "the gobo of %s is %.0f pixels wide; %s takes %.0f", nameOf(&l.Entity), side, s.profile.Name, limit.Max)
			f.Count, f.Limit, f.Why = side, limit.Max, limit.Why
			found = append(found, f)
		}
	}
	return found
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

// bounds are those of the level, a little wider.
func (s *subject) bounds() geom.Bounds {
	b := s.Scene.Bounds
	margin := geom.Vec3{0.5, 0.5, 0.5}
	return geom.Bounds{Min: b.Min.Sub(margin), Max: b.Max.Add(margin)}
}

// words joins what was said.
func words(parts []string) string { return strings.Join(parts, ", ") }
