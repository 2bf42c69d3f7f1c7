package check

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/level"
	"grotta/core/sky"
	"grotta/core/source"
)

// This file judges pictures of the viewpoints, and light that looks careless.

var _ = add(
	Rule{ID: "look.clips", Family: Look, Severities: []Severity{Warning}, Needs: Pictures,
		Title: "Channels of light are cut on the target's display so that its hue shifts.", Why: "A red lamp turns yellow where it is brightest.", run: clips,
		Fix: "lowers the light to what keeps its hue"},
	Rule{ID: "look.exposure", Family: Look, Severities: []Severity{Warning}, Needs: Pictures,
		Title: "The picture of a viewpoint is nearly black or nearly white.", Why: "The exposure does not fit the light, or the light the exposure.", run: exposures, Fix: "takes the exposure that brings it to middle grey"},
	Rule{ID: "look.effects", Family: Look, Severities: []Severity{Advice}, Needs: Pictures,
		Title: "An effect changes the pictures of the viewpoints more than taste allows.", Why: "Effects that are noticed are too strong; people turn them off.", run: strongEffects},
	Rule{ID: "look.fog-hides-all", Family: Look, Severities: []Severity{Warning}, Needs: Document,
		Title: "In a fog, or in a fog volume, a player does not see across a room.", Why: "A fog that hides everything is the first mistake with fog.", run: fogHidesAll},
	Rule{ID: "look.fog-short", Family: Look, Severities: []Severity{Warning}, Needs: Pictures,
		Title: "Fog hides most of what a viewpoint looks at.", Why: "What was to be seen is not.", run: fogShort},
	Rule{ID: "look.flat", Family: Look, Severities: []Severity{Advice}, Needs: Pictures,
		Title: "All that a viewpoint sees is lit alike.", Why: "Without light and shade nothing has a shape.", run: flat},
	Rule{ID: "look.ambient-drowns", Family: Look, Severities: []Severity{Advice}, Needs: Walk,
		Title: "Ambient light is most of the light in a zone that has lamps.", Why: "The lamps hardly show, and shadows are grey.", run: ambientDrowns},
	Rule{ID: "look.all-alike", Family: Look, Severities: []Severity{Advice}, Needs: Document,
		Title: "All lights have one colour and one strength.", Why: "A place where every lamp is alike looks made by a machine.", run: allAlike},
	Rule{ID: "look.many-hues", Family: Look, Severities: []Severity{Advice}, Needs: Document,
		Title: "A zone has lamps of four or more saturated hues.", Why: "Many strong colours cancel each other, and none says anything.", run: manyHues},
	Rule{ID: "look.ceiling", Family: Look, Severities: []Severity{Advice}, Needs: Rays,
		Title: "A ceiling is brighter than the floor, and no lamp of the zone says why.", Why: "Light from below has to come from somewhere.", run: brightCeilings},
	Rule{ID: "look.daylight-deep", Family: Look, Severities: []Severity{Warning}, Needs: Walk,
		Title: "Daylight reaches ground of a zone from where the sky or sun cannot be seen.", Why: "A cave that is lit by the sun without an opening looks wrong.", run: daylightDeep, Fix: "lets the light cast shadows"},
)

// hueOf is the hue angle in CIE L*a*b*, degrees, and the chroma.
func hueOf(c color.Linear) (deg, chroma float64) {
	lab := compare.LabOf(c)
	return math.Atan2(lab.B, lab.A) * 180 / math.Pi, math.Hypot(lab.A, lab.B)
}

// A cut is told where the hue shifts by so many degrees, over about a twentieth of a picture.
const (
	leastTurn  = 25
	leastSpots = seenWide * seenHigh / 20
)

// clips finds spots of the viewpoints whose light is cut on the display, and the light that does it.
func clips(s *subject) []Finding {
	type cut struct {
		turn, factor float64
		at           geom.Vec3
		view         *level.Viewpoint
		spots        map[*level.Viewpoint]int
	}
	worst := map[string]*cut{}
	for _, v := range s.seen() {
		white := grade.White(v.look.ExposureEV)
		most := math.Inf(1)
		if m := s.profile.Display.LightMax; m > 0 {
			most = m * white
		} else if v.look.Tone == "clamp" || !v.look.Enabled {
			most = white
		}
		if math.IsInf(most, 1) {
			return nil
		}
		for _, p := range v.spots {
			nits := p.light.Scale(1 / math.Pi) // of a white surface
			if s.profile.Display.LightMax == 0 {
				nits = p.radiance(s)
			}
			shown := nits
			for i := range shown {
				shown[i] = min(shown[i], most)
			}
			if shown == nits {
				continue
			}
			from, chroma := hueOf(nits.Scale(1 / max(nits[0], nits[1], nits[2])))
			to, _ := hueOf(shown.Scale(1 / most))
			turn := math.Abs(math.Mod(to-from+540, 360) - 180)
			if turn < leastTurn || chroma < 12 {
				continue
			}
			l := s.strongest(&p)
			if l == nil {
				continue
			}
			c := worst[l.ID]
			if c == nil {
				c = &cut{factor: 1, spots: map[*level.Viewpoint]int{}}
				worst[l.ID] = c
			}
			c.spots[v.view]++
			if turn > c.turn {
				c.turn, c.at, c.view = turn, p.at, v.view
			}
			c.factor = min(c.factor, most/max(nits[0], nits[1], nits[2]))
		}
	}
	var found []Finding
	for _, l := range s.level.Lights {
		c := worst[l.ID]
		if c == nil || slices.Max(slices.Collect(maps.Values(c.spots))) < leastSpots {
			continue
		}
		held := round3(l.Strength * c.factor)
		f := s.about(&l.Entity, Warning, "the light of %s is cut on %s's display and its hue shifts by %.0f degrees, as seen from %s; %g in place of %g holds it", nameOf(&l.Entity), s.profile.Name, c.turn, nameOf(&c.view.Entity), held, l.Strength)
		f.Count, f.Limit, f.Point = c.turn, leastTurn, vec(c.at)
		if l.Follows == "none" {
			f.Fix = fixOf(l.ID, map[string]any{"strength": held}, "Lower %s to %g", nameOf(&l.Entity), held)
		}
		found = append(found, f)
	}
	return found
}

// strongest is the light that gives a spot the most direct light, or nil.
func (s *subject) strongest(p *spot) *level.Light {
	r := source.Receiver{Point: p.at, Origin: p.at.Add(p.normal.Mul(0.002)), Normal: p.normal}
	var best *level.Light
	most := 0.0
	for i := range s.Sources {
		src := &s.Sources[i]
		if src.Weight == (color.Linear{}) {
			continue
		}
		unit, _ := src.Direct(s.Scene, &r, source.Steady(1), 0)
		if lux := src.Weight.Mul(unit).Luminance(); lux > most {
			most, best = lux, s.level.Light(src.ID)
		}
	}
	return best
}

func exposures(s *subject) []Finding {
	var found []Finding
	for _, v := range s.seen() {
		if len(v.spots) < seenWide*seenHigh/2 {
			continue
		}
		display := grade.NewDisplay(v.look, grade.Gains(&v.look.Balance))
		var shown, nits []float64
		for i := range v.spots {
			r := v.spots[i].radiance(s)
			nits = append(nits, max(r.Luminance(), 1e-6))
			d := display.Of(r)
			shown = append(shown, 0.2126*d[0]+0.7152*d[1]+0.0722*d[2])
		}
		middle, bright := mean(shown), percentile(shown, 0.95)
		word := ""
		switch {
		case bright < 0.06:
			word = "nearly black"
		case percentile(shown, 0.2) > 0.93:
			word = "nearly white"
		default:
			continue
		}
		f := s.about(&v.view.Entity, Warning, "the picture of %s is %s: it comes to %.0f %% of white on average, 95 %% of it under %.0f %%", nameOf(&v.view.Entity), word, middle*100, bright*100)
		f.Count = middle
		logs := 0.0
		for _, n := range nits {
			logs += math.Log2(n) / float64(len(nits))
		}
		// Middle grey, 0.18 of white: white = 1.2 x 2^EV nits.
		if ev := math.Round((logs-math.Log2(0.18*1.2))*10) / 10; v.look == &s.level.Look && bright > 0 && ev >= -10 && ev <= 25 && logs > -16 {
			fix := level.Set("", map[string]any{"look.exposure_ev": ev})
			fix.Label = fmt.Sprintf("Expose for EV %g", ev)
			f.Fix = &fix
		}
		found = append(found, f)
	}
	return found
}

// strongEffects measures what balance and grade do to the pictures of the viewpoints, and holds the
// effects that need whole pictures against their own scales.
func strongEffects(s *subject) []Finding {
	const most = 16 // CIEDE2000, on average
	looks := map[*level.Look][]sight{}
	var order []*level.Look
	for _, v := range s.seen() {
		if len(v.spots) > 0 && v.look.Enabled {
			if looks[v.look] == nil {
				order = append(order, v.look)
			}
			looks[v.look] = append(looks[v.look], v)
		}
	}
	var found []Finding
	tell := func(v *sight, effect string, count, limit float64, how string) {
		f := s.about(&v.view.Entity, Advice, "%s of the look changes what %s sees by %s", effect, nameOf(&v.view.Entity), how)
		f.Count, f.Limit, f.Point = count, limit, nil
		found = append(found, f)
	}
	for _, look := range order {
		for _, effect := range []string{"balance", "grade"} {
			without := *look
			if effect == "balance" {
				without.Balance.Enabled = false
			} else {
				without.Grade.Enabled = false
			}
			worst, at := 0.0, 0
			for i := range looks[look] {
				if d := s.changes(&looks[look][i], &without); d > worst {
					worst, at = d, i
				}
			}
			if worst > most {
				tell(&looks[look][at], effect, worst, most, fmt.Sprintf("a colour difference of %.1f on average; over %d it is seen as a tint and not as light", worst, most))
			}
		}
		first := &looks[look][0]
		if look.Sharpen > 0.7 {
			tell(first, "sharpening", look.Sharpen, 0.7, fmt.Sprintf("%.2f; over 0.7 edges have bright seams", look.Sharpen))
		}
		if look.Occlusion.Enabled && look.Occlusion.Strength > 1.2 {
			tell(first, "occlusion", look.Occlusion.Strength, 1.2, fmt.Sprintf("%.2f; over 1.2 corners look dirty", look.Occlusion.Strength))
		}
		if b := look.Bloom; b.Enabled {
			// What spreads is what is over the threshold.
			share := 0.0
			white := grade.White(look.ExposureEV)
			for i := range first.spots {
				if first.spots[i].radiance(s).Luminance() > b.Threshold*white {
					share += 1 / float64(len(first.spots))
				}
			}
			if b.Strength > 1 || share*b.Strength > 0.25 {
				tell(first, "bloom", b.Strength, 1, fmt.Sprintf("a strength of %.2f over %.0f %% of the picture; it veils more than it lights", b.Strength, share*100))
			}
		}
		if look.Focus.Enabled && look.Focus.FStop < 1 {
			tell(first, "depth of field", look.Focus.FStop, 1, fmt.Sprintf("an aperture of f/%.1f; under f/1 only a plane is sharp", look.Focus.FStop))
		}
	}
	return found
}

// changes is the mean colour difference between a look and another, over what a viewpoint sees.
func (s *subject) changes(v *sight, other *level.Look) float64 {
	a, b := grade.NewDisplay(v.look, grade.Gains(&v.look.Balance)), grade.NewDisplay(other, grade.Gains(&other.Balance))
	sum := 0.0
	for i := range v.spots {
		r := v.spots[i].radiance(s)
		sum += compare.Difference(labOfDisplay(a.Of(r)), labOfDisplay(b.Of(r)))
	}
	return sum / float64(len(v.spots))
}

func labOfDisplay(d color.Linear) compare.Lab {
	for i := range d {
		d[i] = color.DecodeSRGB(d[i])
	}
	return compare.LabOf(d)
}

// Fog hides all where a body of bodyM vanishes nearer than leastSightM.
const (
	bodyM       = 0.5
	leastSightM = 8
)

func fogHidesAll(s *subject) []Finding {
	var found []Finding
	a := air.Of(s.level, s.world, sky.OfLevel(s.level))
	for i := range a.Settings {
		set := &a.Settings[i]
		eye := s.profile.Body.EyeM
		if len(set.Boxes) > 0 {
			eye += set.Boxes[0].Min[1]
		}
		sight := set.VanishM(bodyM, eye, 1000)
		if sight >= leastSightM {
			continue
		}
		found = append(found, Finding{
			Severity: Warning, Zone: set.Zone, Count: sight, Limit: leastSightM,
			Message: fmt.Sprintf("in the fog of %s a player vanishes %.1f m off", cmp.Or(set.Zone, "the level"), sight),
		})
	}
	for _, v := range s.level.FogVolumes {
		if !v.Enabled || v.Density == 0 {
			continue
		}
		// Two hundredths of the light are the least contrast that is seen (Koschmieder, 1924).
		at := s.world.Pose(&v.Entity).Position
		across := min(v.Size[0], v.Size[2], leastSightM)
		left := math.Exp(-v.Density * max(0, across-v.EdgeM))
		if left >= 0.02 || v.Size[1] < 1 || across < 2 {
			continue
		}
		f := s.about(&v.Entity, Warning, "in the fog volume %s a player vanishes %.1f m off", nameOf(&v.Entity), math.Log(50)/v.Density)
		f.Count, f.Limit, f.Point = math.Log(50)/v.Density, leastSightM, vec(at)
		found = append(found, f)
	}
	return found
}

func fogShort(s *subject) []Finding {
	const hidden, most = 0.95, 0.6
	a := air.Of(s.level, s.world, sky.OfLevel(s.level))
	var found []Finding
	for _, v := range s.seen() {
		set := a.At(s.level, v.eye)
		n := 0
		var distances []float64
		for _, p := range v.spots {
			way := p.at.Sub(v.eye)
			share, _ := set.Veil(v.eye, way.Normalize(), p.distance)
			through, _ := a.VolumesAlong(&set, v.eye, way.Normalize(), p.distance)
			if (1-share)*through < 1-hidden {
				n++
				distances = append(distances, p.distance)
			}
		}
		share := float64(n) / float64(max(1, len(v.spots)))
		if len(v.spots) < 40 || share <= most || percentile(distances, 0.5) > 400 {
			continue
		}
		f := s.about(&v.view.Entity, Warning, "fog hides %.0f %% of what %s looks at; half of that is nearer than %.0f m", share*100, nameOf(&v.view.Entity), percentile(distances, 0.5))
		f.Count, f.Limit = share, most
		found = append(found, f)
	}
	return found
}

func flat(s *subject) []Finding {
	const least = 1.35
	var found []Finding
	for _, v := range s.seen() {
		var lux []float64
		for _, p := range v.spots {
			if l := p.light.Luminance(); l > 0 {
				lux = append(lux, l)
			}
		}
		low, high := percentile(lux, 0.1), percentile(lux, 0.9)
		if len(lux) < 60 || low <= 0 || high/low >= least {
			continue
		}
		f := s.about(&v.view.Entity, Advice, "what %s sees is lit by %.3g to %.3g lux only (10th and 90th percentile), 1 to %.2f", nameOf(&v.view.Entity), low, high, high/low)
		f.Count, f.Limit = high/low, least
		found = append(found, f)
	}
	return found
}

func ambientDrowns(s *subject) []Finding {
	const most = 0.85
	var found []Finding
	for _, z := range s.zones() {
		if z.Play == "none" || z.Mode != "indoor" || !slices.ContainsFunc(s.shining(), func(l *level.Light) bool { return s.zoneOf(&l.Entity) == z }) {
			continue
		}
		g, places, lux := s.groundLight(z)
		if len(places) < 8 {
			continue
		}
		var shares []float64
		for i, k := range places {
			if lux[i] > 0 {
				shares = append(shares, min(1, s.Ambient(g.treads[k].at.Add(geom.Vec3{0, 0.05, 0})).Luminance()/lux[i]))
			}
		}
		if share := percentile(shares, 0.5); share > most {
			found = append(found, Finding{
				Severity: Advice, Zone: z.ID, Count: share, Limit: most,
				Message: fmt.Sprintf("%.0f %% of the light on the floor of %s is ambient (median)", share*100, s.zoneName(z.ID)),
			})
		}
	}
	return found
}

func allAlike(s *subject) []Finding {
	lights := slices.DeleteFunc(s.shining(), func(l *level.Light) bool { return l.Kind == level.Directional })
	if len(lights) < 6 {
		return nil
	}
	var names []string
	first := s.level.Radiant(lights[0])
	for _, l := range lights {
		c := s.level.Radiant(l)
		if l.Kind != lights[0].Kind || hueApart(c, first) > 0.02 || math.Abs(c.Luminance()/first.Luminance()-1) > 0.02 {
			return nil
		}
		names = append(names, l.ID)
	}
	return []Finding{{
		Severity: Advice, Entities: names, Count: float64(len(names)),
		Message: fmt.Sprintf("all %d lights are %s, %s and of one strength", len(names), lights[0].Kind, hexOf(first)),
	}}
}

func manyHues(s *subject) []Finding {
	const most = 3
	type hue struct {
		deg float64
		id  string
	}
	by := map[string][]hue{}
	for _, l := range s.shining() {
		c := s.level.Radiant(l)
		high, low := max(c[0], c[1], c[2]), min(c[0], c[1], c[2])
		if color.EncodeSRGB(low/high) > 0.45 {
			continue // pale
		}
		deg, _ := hueOf(c.Scale(1 / high))
		zone := zoneID(s.zoneOf(&l.Entity))
		if !slices.ContainsFunc(by[zone], func(h hue) bool { return math.Abs(math.Mod(h.deg-deg+540, 360)-180) < 40 }) {
			by[zone] = append(by[zone], hue{deg, l.ID})
		}
	}
	var found []Finding
	zones := []string{""}
	for _, z := range s.zones() {
		zones = append(zones, z.ID)
	}
	for _, zone := range zones {
		if len(by[zone]) <= most {
			continue
		}
		var ids []string
		for _, h := range by[zone] {
			ids = append(ids, h.id)
		}
		found = append(found, Finding{
			Severity: Advice, Zone: zone, Entities: ids, Count: float64(len(ids)), Limit: most, Point: s.place(&s.level.Light(ids[0]).Entity),
			Message: fmt.Sprintf("%s has lamps of %d saturated hues", cmp.Or(s.zoneName(zone), "the level"), len(ids)),
		})
	}
	return found
}

// brightCeilings compares the light on ceilings and floors of indoor zones.
func brightCeilings(s *subject) []Finding {
	const most = 1.5
	var found []Finding
	for _, z := range s.zones() {
		if z.Mode != "indoor" || s.hasUplight(z) {
			continue
		}
		var floor, ceiling []float64
		var at geom.Vec3
		for _, p := range s.airOf(z, 24) {
			for _, way := range []geom.Vec3{{0, -1, 0}, {0, 1, 0}} {
				hit, ok := s.Scene.See(p, way, math.Inf(1))
				if !ok {
					continue
				}
				n := s.Scene.NormalOf(hit.Triangle)
				if n.Dot(way) > -0.7 || !s.Scene.Surfaces[hit.Surface].Finish().Roles.ReceivesLight {
					continue
				}
				if lux := s.lightAt(hit.Point, n); way[1] > 0 {
					ceiling, at = append(ceiling, lux), hit.Point
				} else {
					floor = append(floor, lux)
				}
			}
		}
		up, down := mean(ceiling), mean(floor)
		if len(ceiling) < 6 || len(floor) < 6 || up < 0.05 || up <= most*down {
			continue
		}
		found = append(found, Finding{
			Severity: Advice, Zone: z.ID, Point: vec(at), Count: up / max(down, 1e-6), Limit: most,
			Message: fmt.Sprintf("the ceiling of %s has %.3g lux and its floor %.3g, and no lamp there shines up", s.zoneName(z.ID), up, down),
		})
	}
	return found
}

// hasUplight tells whether a lamp of a zone may light its ceiling.
func (s *subject) hasUplight(z *level.Zone) bool {
	for _, l := range s.shining() {
		if s.zoneOf(&l.Entity) != z || l.Kind == level.Directional {
			continue
		}
		forward := s.world.Pose(&l.Entity).Forward()
		switch l.Kind {
		case level.Point, level.Tube:
			return true
		case level.Spot, level.Rect, level.Dome, level.BoxLight:
			if forward[1] > -0.3 {
				return true
			}
		}
	}
	return false
}

// daylightDeep finds sun, moon, parallel light and sky fill that light ground of an indoor zone from
// which they are not seen.
func daylightDeep(s *subject) []Finding {
	const leastShare = 0.25
	type day struct {
		name, field string
		src         *source.Source
		toward      geom.Vec3
		light       *level.Light
	}
	var days []day
	e := &s.level.Environment
	if src := s.Source(source.SunID); e.Sun.Up() && src != nil && (!e.Sun.Shadows.Cast || e.Sun.Shadows.Depth < 0.9) {
		days = append(days, day{"the sun", "environment.sun.shadows", src, e.Sun.Toward(), nil})
	}
	if src := s.Source(source.MoonID); e.Moon.Up() && src != nil && (!e.Moon.Shadows.Cast || e.Moon.Shadows.Depth < 0.9) {
		days = append(days, day{"the moon", "environment.moon.shadows", src, e.Moon.Toward(), nil})
	}
	for _, l := range s.shining() {
		if src := s.Source(l.ID); src != nil && l.Kind == level.Directional && (!l.Shadows.Cast || l.Shadows.Depth < 0.9) {
			days = append(days, day{nameOf(&l.Entity), "shadows", src, s.world.Pose(&l.Entity).Forward().Mul(-1), l})
		}
	}
	fill := e.Ambient.SkyFill > 0 && e.Sky.Luminance > 0
	if len(days) == 0 && !fill {
		return nil
	}
	var found []Finding
	for _, z := range s.zones() {
		if z.Mode != "indoor" || z.Play == "none" {
			continue
		}
		g, places, lux := s.groundLight(z)
		if len(places) == 0 {
			continue
		}
		for _, d := range days {
			n := 0
			var at geom.Vec3
			for i, k := range places {
				t := &g.treads[k]
				r := source.Receiver{Point: t.at, Origin: t.at.Add(t.normal.Mul(0.003)), Normal: t.normal}
				unit, _ := d.src.Direct(s.Scene, &r, source.Steady(1), 0)
				if s.Scene.BlockedAlong(r.Origin, d.toward, math.Inf(1)) && d.src.Weight.Mul(unit).Luminance() > 0.2*lux[i] && lux[i] > 0 {
					n, at = n+1, t.at
				}
			}
			if share := float64(n) / float64(len(places)); share > leastShare {
				f := Finding{
					Severity: Warning, Zone: z.ID, Point: vec(at), Count: share, Limit: leastShare,
					Message: fmt.Sprintf("%s lights %.0f %% of the ground of %s from where it cannot be seen, as it casts no full shadows", d.name, share*100, s.zoneName(z.ID)),
				}
				if d.light != nil {
					f.Entities = []string{d.light.ID}
					f.Fix = fixOf(d.light.ID, map[string]any{"shadows.cast": true, "shadows.depth": 1.0}, "Let %s cast shadows", d.name)
				} else {
					f.Fix = fixOf("", map[string]any{d.field + ".cast": true, d.field + ".depth": 1.0}, "Let %s cast shadows", d.name)
				}
				found = append(found, f)
			}
		}
		if !fill || z.Ambient != nil {
			continue
		}
		sky := sky.OfLevel(s.level).Horizontal().Scale(e.Sky.Luminance * e.Ambient.SkyFill).Luminance()
		n := 0
		var at geom.Vec3
		for i, k := range places {
			t := &g.treads[k]
			if sky > 0.3*lux[i] && lux[i] > 0 && !s.seesSky(t.at.Add(t.normal.Mul(0.01))) {
				n, at = n+1, t.at
			}
		}
		if share := float64(n) / float64(len(places)); share > leastShare {
			found = append(found, Finding{
				Severity: Warning, Zone: z.ID, Point: vec(at), Count: share, Limit: leastShare,
				Message: fmt.Sprintf("the sky fill of the ambient lights %.0f %% of the ground of %s, from where no sky is seen; give the zone an ambient of its own", share*100, s.zoneName(z.ID)),
			})
		}
	}
	return found
}

func (s *subject) seesSky(p geom.Vec3) bool {
	const rays = 128
	for i := range rays {
		if d := sphere(i, rays); d[1] > 0.02 && !s.Scene.BlockedAlong(p, d, math.Inf(1)) {
			return true
		}
	}
	return false
}
