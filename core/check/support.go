package check

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/sky"
)

// This file compares what a level uses with what the target has.

var _ = add(
	Rule{ID: "support.light-kind", Family: Limits, Severities: []Severity{Error}, Needs: Document,
		Title: "A light is of a kind that the target lacks.", Why: "The target has no such light and leaves it out.", run: lightKinds,
		Fix: "makes it the kind that the profile names in its place, as bright along its axis"},
	Rule{ID: "support.falloff", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "A light weakens by a law that the target lacks.", Why: "The light ends sooner or later there than here.", run: falloffs,
		Fix: "takes the first law that the target has"},
	Rule{ID: "support.light-part", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "A light uses a gobo, profile, flicker, soft edge, fog share or shadow depth that the target lacks.", Why: "The target leaves it out, and the light looks otherwise there.", run: lightParts},
	Rule{ID: "support.mode", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "The target leaves out, indoors or outdoors, what lights here.", Why: "The target leaves out by the mode what lights here.", run: leftOutByMode,
		Fix: "changes the mode, where the other one has it"},
	Rule{ID: "support.backs", Family: Limits, Severities: []Severity{Advice}, Needs: Document,
		Title: "The bake treats backs of surfaces otherwise than the target.", Why: "A wall seen from behind stops light here and not there, or the other way about.", run: backsOfSurfaces,
		Fix: "bakes as the target does"},
	Rule{ID: "support.density", Family: Limits, Severities: []Severity{Warning}, Needs: Layout,
		Title: "Surfaces have a density that the target lacks.", Why: "The target rounds a density that it does not have, and shadows come out otherwise.", run: densities,
		Fix: "takes the nearest density that it has"},
	Rule{ID: "support.glow", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "A glow has a shape or a size that the target lacks.", Why: "The target leaves the glow out, or draws another.", run: glowShapes,
		Fix: "takes the first shape and size that it has"},
	Rule{ID: "support.fog", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "The level has fog of a kind that the target lacks.", Why: "The target leaves the fog out, and what it hid is seen.", run: fogKinds},
	Rule{ID: "support.air", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "The level has beams, motes, stars or swaying things, and the target has none.", Why: "The target leaves them out.", run: airKinds},
	Rule{ID: "support.effect", Family: Limits, Severities: []Severity{Advice}, Needs: Document,
		Title: "The look uses effects that the target lacks.", Why: "The picture looks otherwise there.", run: effects},
	Rule{ID: "support.tier", Family: Limits, Severities: []Severity{Advice}, Needs: Document,
		Title: "Weaker machines of the target do not show a part of what lights the level.", Why: "Some of the players see another level.", run: tiers},
	Rule{ID: "limits.air", Family: Limits, Severities: []Severity{Advice}, Needs: Document,
		Title: "The air has more in it than a view takes.", Why: "What is left out of a view is missed on the target, or shows there alone.", run: airLeftOut},
)

func lightKinds(s *subject) []Finding {
	byKind := map[string][]*level.Light{}
	for _, l := range s.shining() {
		if !slices.Contains(s.profile.Lights.Kinds, l.Kind) {
			byKind[l.Kind] = append(byKind[l.Kind], l)
		}
	}
	var found []Finding
	for _, kind := range slices.Sorted(maps.Keys(byKind)) {
		f := s.together(byKind[kind], Error, "is a "+kind+" light", "are "+kind+" lights", words(s.profile.Lights.Kinds))
		if other := s.profile.StandIn(kind); other != "" {
			f.Fix = changeAll(byKind[kind], func(l *level.Light) map[string]any { return becomes(l, other) }, "a "+other+" light", other+" lights")
		}
		found = append(found, f)
	}
	return found
}

// together is a finding about lights that have one thing wrong.
func (s *subject) together(lights []*level.Light, severity Severity, is, are, has string) Finding {
	names := make([]string, len(lights))
	ids := make([]string, len(lights))
	for i, l := range lights {
		names[i], ids[i] = nameOf(&l.Entity), l.ID
	}
	f := s.about(&lights[0].Entity, severity, "%s %s; %s has %s", names[0], is, s.profile.Name, has)
	if f.Entities = ids; len(lights) > 1 {
		f.Zone, f.Count = "", float64(len(lights))
		f.Message = fmt.Sprintf("%d lights %s; %s has %s: %s", len(lights), are, s.profile.Name, has, some(names))
	}
	return f
}

// changeAll is the fix that sets fields of some lights; nil where one of them has no fields to set.
func changeAll(lights []*level.Light, fields func(*level.Light) map[string]any, one, many string) *level.Operation {
	var steps []level.Operation
	for _, l := range lights {
		set := fields(l)
		if set == nil {
			return nil
		}
		if len(lights) == 1 {
			return fixOf(l.ID, set, "Make %s %s", nameOf(&l.Entity), one)
		}
		steps = append(steps, level.Set(l.ID, set))
	}
	fix := level.Batch(fmt.Sprintf("Make %d lights %s", len(lights), many), steps...)
	return &fix
}

// becomes are the fields that make a light the nearest one of another kind.
func becomes(l *level.Light, kind string) map[string]any {
	as := l.As(kind)
	fields := map[string]any{"kind": kind}
	if as.Strength != l.Strength {
		fields["strength"] = as.Strength
	}
	if as.InnerDeg != l.InnerDeg || as.OuterDeg != l.OuterDeg {
		fields["inner_deg"], fields["outer_deg"] = as.InnerDeg, as.OuterDeg
	}
	return fields
}

func falloffs(s *subject) []Finding {
	allowed := s.profile.Lights.Falloffs
	if len(allowed) == 0 {
		return nil
	}
	byLaw := map[string][]*level.Light{}
	for _, l := range s.shining() {
		if (l.Kind == level.Point || l.Kind == level.Spot || l.Kind == level.Dome) && !slices.Contains(allowed, l.Falloff) {
			byLaw[l.Falloff] = append(byLaw[l.Falloff], l)
		}
	}
	var found []Finding
	for _, law := range slices.Sorted(maps.Keys(byLaw)) {
		f := s.together(byLaw[law], Warning, "weakens by "+plain(law), "weaken by "+plain(law), plain(words(allowed)))
		f.Fix = changeAll(byLaw[law], func(l *level.Light) map[string]any { return fallsAs(l, allowed[0]) }, "weaken by "+plain(allowed[0]), "weaken by "+plain(allowed[0]))
		found = append(found, f)
	}
	return found
}

// fallsAs are the fields that give a light another law and the same light at a metre or, where its
// range is shorter, at half of it.
func fallsAs(l *level.Light, law string) map[string]any {
	end := l.RangeM
	if end == 0 {
		end = 12
	}
	at := min(1, end/2)
	now, then := level.Falloff(l.Falloff, l.RangeM, l.FalloffTerms, at), level.Falloff(law, end, l.FalloffTerms, at)
	if now <= 0 || then <= 0 {
		return nil
	}
	fields := map[string]any{"falloff": law, "strength": round3(l.Strength * now / then)}
	if l.RangeM == 0 && law != level.InverseSquare {
		fields["range_m"] = end
	}
	return fields
}

func lightParts(s *subject) []Finding {
	lacks := s.profile.Lights.LeftOut
	byPart := map[string][]string{}
	for _, l := range s.shining() {
		for part, used := range map[string]bool{
			"gobo": l.Gobo != nil, "profile": l.Profile != "", "flicker": l.Flicker != nil, "fog_share": l.FogShare > 0,
			"softness":     l.Shadows.Cast && l.Shadows.Softness > 0 && (l.RadiusM > 0.05 || l.AngularDeg > 1),
			"shadow_depth": l.Shadows.Cast && l.Shadows.Depth < 1,
		} {
			if used && slices.Contains(lacks, part) {
				byPart[part] = append(byPart[part], l.ID)
			}
		}
	}
	called := map[string]string{"gobo": "a gobo", "profile": "a profile", "flicker": "a flicker", "fog_share": "a share in lit fog", "softness": "soft shadows", "shadow_depth": "shadows that are not full"}
	var found []Finding
	for _, part := range lacks {
		if ids := byPart[part]; len(ids) > 0 {
			found = append(found, Finding{
				Severity: Warning, Entities: ids, Count: float64(len(ids)), Point: s.place(&s.level.Light(ids[0]).Entity),
				Message: fmt.Sprintf("%s %s, which %s lacks: %s", plural(len(ids), "light has", "lights have"), called[part], s.profile.Name, some(ids)),
			})
		}
	}
	return found
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

// backsOfSurfaces compares what the level is baked with to what the target does.
func backsOfSurfaces(s *subject) []Finding {
	want := s.profile.Lights.Backs
	if s.level.Lightmap.Backs == want || len(s.level.Meshes) == 0 {
		return nil
	}
	fix := level.Set("", map[string]any{"lightmap.backs": want})
	fix.Label = fmt.Sprintf("Let backs %s light", want)
	return []Finding{{
		Severity: Advice, Fix: &fix,
		Message: fmt.Sprintf("backs of one-sided surfaces %s light in the bake; on %s they %s it", s.level.Lightmap.Backs, s.profile.Name, want),
	}}
}

// densities finds things with a density that the target does not have.
func densities(s *subject) []Finding {
	allowed := s.profile.Limits.Densities
	if len(allowed) == 0 {
		return nil
	}
	var odd []string
	for i := range s.Scene.Surfaces {
		f := &s.Scene.Surfaces[i]
		if f.Finish().Roles.ReceivesLight && !slices.Contains(allowed, f.Finish().DensityM) && !slices.Contains(odd, f.Body().Entity) {
			odd = append(odd, f.Body().Entity)
		}
	}
	if len(odd) == 0 {
		return nil
	}
	return []Finding{{
		Severity: Warning, Entities: odd[:min(len(odd), 20)], Count: float64(len(odd)), Fix: s.roundDensities(allowed),
		Message: fmt.Sprintf("%d things have a density that %s lacks; it has %v texels a metre (a plan of densities keeps to them)", len(odd), s.profile.Name, allowed),
	}}
}

// roundDensities sets the level's density, and each surface's own, to the nearest that is allowed.
func (s *subject) roundDensities(allowed []float64) *level.Operation {
	nearest := func(d float64) float64 {
		return slices.MinFunc(allowed, func(a, b float64) int {
			return cmpRatio(a, d) - cmpRatio(b, d)
		})
	}
	steps := []level.Operation{}
	if d := s.level.Lightmap.Density; !slices.Contains(allowed, d) {
		steps = append(steps, level.Set("", map[string]any{"lightmap.density": nearest(d)}))
	}
	own := func(id string, surface level.Surface, faces []level.Face) {
		if d := surface.Density; d != 0 && !slices.Contains(allowed, d) {
			steps = append(steps, level.Set(id, map[string]any{"surface.density": nearest(d)}))
		}
		if !slices.ContainsFunc(faces, func(f level.Face) bool { return f.Density != 0 && !slices.Contains(allowed, f.Density) }) {
			return
		}
		next := slices.Clone(faces)
		for i := range next {
			if next[i].Density != 0 {
				next[i].Density = nearest(next[i].Density)
			}
		}
		steps = append(steps, level.Set(id, map[string]any{"faces": next}))
	}
	for _, v := range s.level.Solids {
		own(v.ID, v.Surface, v.Faces)
	}
	for _, v := range s.level.Meshes {
		own(v.ID, v.Surface, nil)
	}
	fix := level.Batch("Use densities that "+s.profile.Name+" has", steps...)
	return &fix
}

// cmpRatio is how far one number is from another as a ratio, in thousandths.
func cmpRatio(a, b float64) int { return int(1000 * max(a/b, b/a)) }

func glowShapes(s *subject) []Finding {
	have := s.profile.Air
	var found []Finding
	for _, g := range s.level.Glows {
		if s.level.GlowRadiance(g).Luminance() == 0 {
			continue
		}
		shape := len(have.Glows) == 0 || slices.Contains(have.Glows, g.Shape)
		size := len(have.GlowSizes) == 0 || slices.Contains(have.GlowSizes, g.SizeMode)
		if shape && size {
			continue
		}
		f := s.about(&g.Entity, Warning, "%s is a %s glow sized by %s; %s has %s", nameOf(&g.Entity), g.Shape, g.SizeMode, s.profile.Name,
			words(append(slices.Clone(have.Glows), have.GlowSizes...)))
		fields := map[string]any{}
		if !shape && have.Glows[0] != "none" && have.Glows[0] != "image" {
			fields["shape"] = have.Glows[0]
		}
		if !size {
			fields["size_mode"] = have.GlowSizes[0]
		}
		if len(fields) > 0 && (shape || fields["shape"] != nil) {
			f.Fix = fixOf(g.ID, fields, "Make %s a glow that %s has", nameOf(&g.Entity), s.profile.Name)
		}
		found = append(found, f)
	}
	return found
}

func fogKinds(s *subject) []Finding {
	have := s.profile.Air.Fog
	if len(have) == 0 {
		return nil
	}
	var found []Finding
	lacks := func(kind string, used bool, zone string, ids []string, what string) {
		if used && !slices.Contains(have, kind) {
			found = append(found, Finding{Severity: Warning, Zone: zone, Entities: ids, Message: fmt.Sprintf("%s; %s has %s", what, s.profile.Name, words(have))})
		}
	}
	ofFog := func(fog *level.Fog, zone, whose string) {
		lacks("haze", fog.Haze.Enabled, zone, nil, whose+" has haze")
		lacks("height", fog.Height.Enabled, zone, nil, whose+" has height fog")
	}
	ofFog(&s.level.Fog, "", "the level")
	for _, z := range s.level.Zones {
		if z.Fog != nil {
			ofFog(z.Fog, z.ID, s.zoneName(z.ID))
		}
	}
	_, volumes := fogShown(s)
	lacks("volumes", len(volumes) > 0, "", volumes, plural(len(volumes), "fog volume is in the level", "fog volumes are in the level"))
	var lit []string
	for _, l := range s.shining() {
		if l.FogShare > 0 {
			lit = append(lit, l.ID)
		}
	}
	shown := s.level.Fog.Lit == level.LitEverywhere || s.level.Fog.Lit == level.LitVolumes && slices.ContainsFunc(s.level.FogVolumes, func(v *level.FogVolume) bool { return v.Enabled && v.Lit })
	lacks("lit", shown && len(lit) > 0, "", lit, plural(len(lit), "light shows in fog", "lights show in fog"))
	return found
}

// airWords are what a target may lack of the air: one, and many.
var airWords = map[string][2]string{"beams": {"beam", "beams"}, "motes": {"cloud of motes", "clouds of motes"}, "sway": {"thing that sways", "things that sway"}, "stars": {"star", "stars"}}

func airKinds(s *subject) []Finding {
	var found []Finding
	for _, kind := range s.profile.Air.LeftOut {
		var ids []string
		n := 0
		switch kind {
		case "beams":
			for _, b := range s.level.Beams {
				if b.Enabled {
					ids = append(ids, b.ID)
				}
			}
		case "motes":
			for _, m := range s.level.Motes {
				if m.Enabled && m.RateHz > 0 {
					ids = append(ids, m.ID)
				}
			}
		case "sway":
			for _, m := range s.level.Meshes {
				if m.Enabled && m.Sways != nil {
					ids = append(ids, m.ID)
				}
			}
		case "stars":
			n = s.level.Environment.Stars.Count
		}
		if n = max(n, len(ids)); n > 0 {
			found = append(found, Finding{
				Severity: Warning, Entities: ids, Count: float64(n),
				Message: fmt.Sprintf("the level has %s, and %s has none", plural(n, airWords[kind][0], airWords[kind][1]), s.profile.Name),
			})
		}
	}
	return found
}

func effects(s *subject) []Finding {
	lacks := s.profile.Look.LeftOut
	var found []Finding
	ofLook := func(look *level.Look, zone, whose string) {
		used := usedEffects(look)
		var missed []string
		for _, effect := range lacks {
			if used[effect] || effect == "zones" && zone != "" {
				missed = append(missed, plain(effect))
			}
		}
		if len(missed) > 0 {
			found = append(found, Finding{
				Severity: Advice, Zone: zone, Count: float64(len(missed)), Why: s.profile.Look.Why,
				Message: fmt.Sprintf("the look of %s uses %s, which %s lacks", whose, words(missed), s.profile.Name),
			})
		}
	}
	ofLook(&s.level.Look, "", "the level")
	for _, z := range s.level.Zones {
		if z.Look != nil {
			ofLook(z.Look, z.ID, s.zoneName(z.ID))
		}
	}
	return found
}

// usedEffects are the effects of a look that change anything.
func usedEffects(look *level.Look) map[string]bool {
	if !look.Enabled {
		return map[string]bool{}
	}
	plainGrade := level.Default[level.Grade]()
	plainGrade.Enabled = look.Grade.Enabled
	return map[string]bool{
		"balance": look.Balance.Enabled && (look.Balance.Kelvin != 6504 || look.Balance.Tint != 0),
		"grade":   look.Grade.Enabled && look.Grade != plainGrade,
		"bloom":   look.Bloom.Enabled && look.Bloom.Strength > 0, "depth_of_field": look.Focus.Enabled,
		"shafts": look.Shafts.Enabled && look.Shafts.Strength > 0, "occlusion": look.Occlusion.Enabled && look.Occlusion.Strength > 0,
		"sharpen": look.Sharpen != 0,
	}
}

// tierWords are what a tier may leave out: one, and many.
var tierWords = map[string][2]string{
	"shadows": {"shadow of a dynamic light", "shadows of dynamic lights"}, "dynamic_lights": {"dynamic light", "dynamic lights"}, "glows": {"glow", "glows"},
	"beams": {"beam", "beams"}, "motes": {"cloud of motes", "clouds of motes"}, "effects": {"effect of the look", "effects of the look"},
	"fog_volumes": {"box of fog", "boxes of fog"},
}

// tiers say what of a level weaker machines leave out.
func tiers(s *subject) []Finding {
	var found []Finding
	for _, t := range s.profile.Tiers {
		var lost []string
		for _, kind := range t.LeftOut {
			n := 0
			switch kind {
			case "shadows":
				for _, l := range s.shining() {
					if l.Shadows.Cast && l.Bake != "baked" {
						n++
					}
				}
			case "dynamic_lights":
				for _, l := range s.shining() {
					if l.Bake == "dynamic" {
						n++
					}
				}
			case "glows":
				n, _ = glowsShown(s)
			case "beams":
				n = len(s.level.Beams)
			case "motes":
				n = len(s.level.Motes)
			case "fog_volumes":
				n, _ = fogShown(s)
			case "effects":
				for _, used := range usedEffects(&s.level.Look) {
					if used {
						n++
					}
				}
			}
			if n > 0 {
				lost = append(lost, plural(n, tierWords[kind][0], tierWords[kind][1]))
			}
		}
		if len(lost) > 0 {
			found = append(found, Finding{
				Severity: Advice, Count: t.Share * 100, Why: t.Why,
				Message: fmt.Sprintf("%.0f %% of the players have %s and do not see %s", t.Share*100, t.Name, words(lost)),
			})
		}
	}
	return found
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

// plain is a word of the document as people say it.
func plain(word string) string { return strings.ReplaceAll(word, "_", " ") }

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
