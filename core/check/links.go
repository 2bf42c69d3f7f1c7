package check

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/overlap"
	"grotta/core/scene"
)

// This file finds things that belong together and disagree: glows and beams with their lights, lights
// with their fixtures, copies, carriers, credits.

var _ = add(
	Rule{ID: "links.glow-without-light", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "A glow shines, and no light that is on stands near it in sight.", Why: "A player sees a lamp that glows, and nothing round it is lit.", run: glowWithoutLight,
		Fix: "adds a light in its middle"},
	Rule{ID: "links.glow-color", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "A glow has another colour than the light beside it.", Why: "The lamp looks as if it shone in one colour and lit in another.", run: glowColors, Fix: "ties the glow's colour to the light"},
	Rule{ID: "links.beam-color", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "A beam has another colour than its light.", Why: "The lamp looks as if it shone in one colour and lit in another.", run: beamColors, Fix: "takes the light's colour"},
	Rule{ID: "links.beam-without-light", Family: Links, Severities: []Severity{Advice}, Needs: Document,
		Title: "A cone of light hangs in the air, and no light stands at its tip.", Why: "It ends on ground that is not lit.", run: beamsAlone},
	Rule{ID: "links.no-source", Family: Links, Severities: []Severity{Advice}, Needs: Rays,
		Title: "A light hangs in the air with no fixture, glow or opening that says where it comes from.", Why: "Light without a motive looks made.", run: noSource},
	Rule{ID: "links.emissive-idle", Family: Links, Severities: []Severity{Advice}, Needs: Layout,
		Title: "A material shines and lights nothing, as it is too dim or on no visible surface.", Why: "It costs a layer, and a player sees a lamp that lights nothing.", run: emissiveIdle},
	Rule{ID: "links.coincident", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "Two things of one kind stand at the same place: a copy that was not moved.", Why: "The light is doubled and nobody sees why; surfaces flicker.", run: coincident, Fix: "removes the later one"},
	Rule{ID: "links.left-at-default", Family: Links, Severities: []Severity{Advice}, Needs: Document,
		Title: "A light has every value at its default, where all others have values of their own.", Why: "It was placed and forgotten.", run: leftAtDefault},
	Rule{ID: "links.unanchored", Family: Links, Severities: []Severity{Warning}, Needs: Rays,
		Title: "A thing that carries a light touches nothing, so that it would fall.", Why: "On targets with gravity the lamp falls and its light stays, or goes with it.", run: unanchored},
	Rule{ID: "links.sway", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "A light or glow hangs on something that sways, and stays still.", Why: "The lamp swings and its light does not.", run: swayingStill},
	Rule{ID: "links.no-credit", Family: Links, Severities: []Severity{Advice}, Needs: Document,
		Title: "An image or a light profile has no credit or no licence.", Why: "A level that is shared has to say whose they are.", run: noCredit},
)

// nearGlowM is how far off a glow its light may stand.
const nearGlowM = 0.5

// lightOf is the nearest light near a place with nothing in between, or nil. What stands within a
// light's near distance does not count.
func (s *subject) lightOf(at geom.Vec3) *level.Light {
	var best *level.Light
	near := nearGlowM
	for _, l := range s.shining() {
		if l.Kind == level.Directional {
			continue
		}
		p := s.world.Pose(&l.Entity).Position
		d := s.toBody(l, at)
		if d > near {
			continue
		}
		if met, ok := s.Scene.Meet(scene.Along(at, unit(p.Sub(at)), p.Sub(at).Len())); ok && l.Shadows.Cast && met.T < p.Sub(at).Len()-l.Shadows.NearM-0.02 && s.Scene.Inside(at) == "" {
			continue
		}
		best, near = l, d
	}
	return best
}

func unit(v geom.Vec3) geom.Vec3 {
	if l := v.Len(); l > 0 {
		return v.Mul(1 / l)
	}
	return geom.Vec3{0, 1, 0}
}

// toBody is how far a place is from the shining body of a light.
func (s *subject) toBody(l *level.Light, at geom.Vec3) float64 {
	pose := s.world.Pose(&l.Entity)
	own := pose.Rotation.Inverse().Rotate(at.Sub(pose.Position))
	switch l.Kind {
	case level.Tube:
		own[0] -= max(-l.LengthM/2, min(l.LengthM/2, own[0]))
	case level.Rect, level.BoxLight:
		own[0] -= max(-l.WidthM/2, min(l.WidthM/2, own[0]))
		own[1] -= max(-l.HeightM/2, min(l.HeightM/2, own[1]))
	}
	return max(0, own.Len()-l.RadiusM)
}

// shinesAt tells whether a surface of a material that emits is near a place.
func (s *subject) shinesAt(at geom.Vec3, within float64) bool {
	for _, i := range s.surfaces().near(geom.Bounds{Min: at.Sub(geom.Vec3{within, within, within}), Max: at.Add(geom.Vec3{within, within, within})}) {
		if f := s.Scene.Surfaces[i].Finish(); f.Material.Emission > 0 {
			return true
		}
	}
	return false
}

func glowWithoutLight(s *subject) []Finding {
	var found []Finding
	for _, g := range s.level.Glows {
		if s.level.GlowRadiance(g) == (color.Linear{}) {
			continue
		}
		at := s.world.Pose(&g.Entity).Position
		if s.shinesAt(at, nearGlowM) {
			continue
		}
		if l := s.level.Light(g.ColorFrom); l != nil && s.level.Shines(l) {
			// A glow that is tied to a light elsewhere is no glow of that light.
			if d := s.toBody(l, at); d > 4*nearGlowM && s.lightOf(at) == nil {
				f := s.about(&g.Entity, Warning, "%s glows with %s, which stands %.1f m away, and no light is within %g m of it", nameOf(&g.Entity), nameOf(&l.Entity), d, nearGlowM)
				f.Fix = lightForGlow(s, g)
				found = append(found, f)
			}
			continue
		}
		if s.lightOf(at) != nil {
			continue
		}
		f := s.about(&g.Entity, Warning, "%s glows, and no light stands within %g m of it", nameOf(&g.Entity), nearGlowM)
		f.Fix = lightForGlow(s, g)
		found = append(found, f)
	}
	return found
}

// lightForGlow adds a point light in a glow's middle and ties the glow to it.
func lightForGlow(s *subject, g *level.Glow) *level.Operation {
	l := level.NewLight(s.level.FreshID(strings.TrimSuffix(g.ID, "-glow")+"-light"), level.Point)
	l.Name = strings.TrimSuffix(nameOf(&g.Entity), " halo")
	l.Transform, l.Parent, l.Rig, l.Color = g.Transform, g.Parent, g.Rig, g.Color
	l.Strength, l.RangeM, l.RadiusM = 25, 8, 0.05
	l.Shadows.Cast = false
	fix := level.Batch("Give "+nameOf(&g.Entity)+" a light",
		level.Add("lights", l), level.Set(g.ID, map[string]any{"color_from": l.ID}))
	return &fix
}

// farColor is how far the colours of two things that belong together may be apart: a share of a
// channel of their display values, at equal strength.
const farColor = 0.3

func glowColors(s *subject) []Finding {
	var found []Finding
	for _, g := range s.level.Glows {
		if s.level.GlowRadiance(g) == (color.Linear{}) || g.ColorFrom != "" {
			continue
		}
		l := s.lightOf(s.world.Pose(&g.Entity).Position)
		if l == nil {
			continue
		}
		apart := hueApart(s.level.GlowRadiance(g), s.level.Radiant(l))
		if apart <= farColor {
			continue
		}
		f := s.about(&g.Entity, Warning, "%s glows in %s, and %s beside it shines in %s", nameOf(&g.Entity), hexOf(s.level.GlowRadiance(g)), nameOf(&l.Entity), hexOf(s.level.Radiant(l)))
		f.Entities, f.Count, f.Limit = append(f.Entities, l.ID), apart, farColor
		f.Fix = fixOf(g.ID, map[string]any{"color_from": l.ID}, "Tie the colour of %s to %s", nameOf(&g.Entity), nameOf(&l.Entity))
		found = append(found, f)
	}
	return found
}

// hexOf is a colour at full strength.
func hexOf(c color.Linear) string {
	full, _ := c.Swatch()
	return full.Hex()
}

func beamColors(s *subject) []Finding {
	var found []Finding
	for _, b := range s.level.Beams {
		if !b.Enabled || b.Color == "" {
			continue
		}
		l := s.level.Light(b.Light)
		if l == nil && b.Form == "cone" {
			l = s.lightOf(s.world.Pose(&b.Entity).Position)
		}
		if l == nil || !s.level.Shines(l) {
			continue
		}
		own, err := color.ParseHex(b.Color)
		if err != nil {
			continue
		}
		apart := hueApart(own, s.level.Radiant(l))
		if apart <= farColor {
			continue
		}
		f := s.about(&b.Entity, Warning, "the beam %s is %s, and its light %s shines in %s", nameOf(&b.Entity), b.Color, nameOf(&l.Entity), hexOf(s.level.Radiant(l)))
		f.Entities, f.Count, f.Limit = append(f.Entities, l.ID), apart, farColor
		f.Fix = fixOf(b.ID, map[string]any{"color": hexOf(s.level.Radiant(l))}, "Give %s the colour of %s", nameOf(&b.Entity), nameOf(&l.Entity))
		found = append(found, f)
	}
	return found
}

func beamsAlone(s *subject) []Finding {
	var found []Finding
	for _, b := range s.level.Beams {
		if !b.Enabled || b.Form != "cone" || b.Light != "" || b.Luminance == 0 {
			continue
		}
		if s.lightOf(s.world.Pose(&b.Entity).Position) == nil {
			found = append(found, s.about(&b.Entity, Advice, "the beam %s follows no light, and none stands within %g m of its tip", nameOf(&b.Entity), nearGlowM))
		}
	}
	return found
}

// noSource finds lights in a room's air that nothing visible carries.
func noSource(s *subject) []Finding {
	const fixture = 0.75
	var found []Finding
	for _, l := range s.shining() {
		if l.Kind == level.Directional || l.Kind == level.BoxLight || l.Parent != "" || l.Rig != "" || l.Note != "" || len(l.Tags) > 0 {
			continue
		}
		at := s.world.Pose(&l.Entity).Position
		z := s.zoneOf(&l.Entity)
		if z == nil || z.Mode != "indoor" || s.hasGlow(at, fixture) {
			continue
		}
		around := geom.Vec3{fixture, fixture, fixture}
		seen := false
		for _, i := range s.surfaces().near(geom.Bounds{Min: at.Sub(around), Max: at.Add(around)}) {
			if s.Scene.Surfaces[i].Finish().Roles.Visible && s.surfaceDistance(i, at) <= fixture {
				seen = true
				break
			}
		}
		if !seen {
			found = append(found, s.about(&l.Entity, Advice, "%s shines from the air; within %g m there is no surface, glow or rig that it could come from (a note on the light says that it is meant)", nameOf(&l.Entity), fixture))
		}
	}
	return found
}

func (s *subject) hasGlow(at geom.Vec3, within float64) bool {
	for _, g := range s.level.Glows {
		if g.Enabled && s.world.Pose(&g.Entity).Position.Sub(at).Len() <= within {
			return true
		}
	}
	return false
}

func (s *subject) surfaceDistance(i int32, p geom.Vec3) float64 {
	least := math.Inf(1)
	for c := range s.Scene.Corners(&s.Scene.Surfaces[i]) {
		least = min(least, overlap.NearestOnTriangle(p, c).Sub(p).Len())
	}
	return least
}

// emissiveIdle finds materials that shine and light nothing.
func emissiveIdle(s *subject) []Finding {
	area, visible := map[string]float64{}, map[string]bool{}
	example := map[string]int{}
	t := s.surfaces()
	for i := range s.Scene.Surfaces {
		f := s.Scene.Surfaces[i].Finish()
		if f.Material.Emission == 0 {
			continue
		}
		example[f.Material.ID] = i
		if f.Roles.Visible {
			visible[f.Material.ID] = true
			area[f.Material.ID] = max(area[f.Material.ID], t.areas[i])
		}
	}
	ambient := s.level.Environment.Ambient.Linear().Luminance()
	var found []Finding
	for _, m := range s.level.Materials {
		lux := m.Emission * m.Albedo().Luminance() * area[m.ID] // at a metre, of its largest face
		_, used := example[m.ID]
		why := ""
		switch {
		case m.Emission == 0 || !used:
			continue
		case m.Albedo().Luminance() == 0:
			why = "its colour is black"
		case !visible[m.ID]:
			why = "no surface of it is visible"
		case lux < max(0.02, 0.02*ambient):
			why = fmt.Sprintf("its largest face gives %.2g lx at a metre", lux)
		default:
			continue
		}
		i := example[m.ID]
		found = append(found, Finding{
			Severity: Advice, Entities: []string{m.ID, s.Scene.Surfaces[i].Body().Entity}, Count: lux, Point: vec(t.boxes[i].Min.Add(t.boxes[i].Max).Mul(0.5)),
			Message: fmt.Sprintf("the material %s shines with %g nits and lights nothing: %s", cmp.Or(m.Name, m.ID), m.Emission, why),
		})
	}
	return found
}

// coincident finds things of one kind, size and place.
func coincident(s *subject) []Finding {
	type key struct {
		part, kind string
		at         [3]int64
		turn       [4]int64
		size       level.Vec
	}
	first := map[key]*level.Entity{}
	var found []Finding
	look := func(e *level.Entity, part, kind string, size level.Vec) {
		if !e.Enabled {
			return
		}
		pose := s.world.Pose(e)
		k := key{part: part, kind: kind, size: size}
		for i := range 3 {
			k.at[i] = int64(math.Round(pose.Position[i] * 1000))
		}
		if part != "lights" && part != "glows" {
			q := pose.Rotation
			sign := math.Copysign(1, q.W)
			for i, v := range [4]float64{q.V[0], q.V[1], q.V[2], q.W} {
				k.turn[i] = int64(math.Round(sign * v * 1000))
			}
		}
		was := first[k]
		if was == nil {
			first[k] = e
			return
		}
		f := s.about(e, Warning, "%s and %s stand at the same place", nameOf(was), nameOf(e))
		f.Entities = []string{was.ID, e.ID}
		op := level.Remove(e.ID)
		op.Label = "Remove " + nameOf(e)
		f.Fix = &op
		found = append(found, f)
	}
	for _, v := range s.level.Lights {
		if v.Kind != level.Directional { // these have no place
			size := level.Vec{}
			if v.Kind == level.Spot { // two spots may aim two ways from one place
				d := s.world.Pose(&v.Entity).Forward()
				size = level.Vec{math.Round(d[0] * 50), math.Round(d[1] * 50), math.Round(d[2] * 50)}
			}
			look(&v.Entity, "lights", v.Kind, size)
		}
	}
	for _, v := range s.level.Glows {
		look(&v.Entity, "glows", v.Shape, level.Vec{v.SizeM})
	}
	for _, v := range s.level.Solids {
		if len(v.Planes) == 0 {
			look(&v.Entity, "solids", "", v.Size)
		}
	}
	for _, v := range s.level.Meshes {
		if len(v.Positions) > 8 {
			look(&v.Entity, "meshes", fmt.Sprint(len(v.Positions), len(v.Indices), v.Scale), level.Vec{v.Positions[0], v.Positions[1], v.Positions[2]})
		}
	}
	for _, v := range s.level.FogVolumes {
		look(&v.Entity, "fog_volumes", "", v.Size)
	}
	return found
}

func leftAtDefault(s *subject) []Finding {
	same := func(l *level.Light) bool {
		d := level.NewLight(l.ID, l.Kind)
		return l.Color == "" && l.Kelvin == 0 && l.Rig == "" && l.Strength == d.Strength && l.RangeM == d.RangeM && l.RadiusM == d.RadiusM &&
			l.InnerDeg == d.InnerDeg && l.OuterDeg == d.OuterDeg && l.Falloff == d.Falloff && l.Follows == "none" && l.Profile == "" && l.Gobo == nil && l.Flicker == nil
	}
	lights := s.shining()
	var plain []*level.Light
	for _, l := range lights {
		if same(l) {
			plain = append(plain, l)
		}
	}
	// A level of defaults alone was only just begun.
	if len(lights) < 3 || 2*len(plain) >= len(lights) {
		return nil
	}
	var found []Finding
	for _, l := range plain {
		found = append(found, s.about(&l.Entity, Advice, "%s has every value at its default: white, %g, without a range", nameOf(&l.Entity), l.Strength))
	}
	return found
}

// unanchored finds solids and meshes that carry a light and float.
func unanchored(s *subject) []Finding {
	carries := map[string]string{}
	for _, l := range s.shining() {
		if l.Parent != "" {
			carries[l.Parent] = l.ID
		}
	}
	var found []Finding
	t := s.surfaces()
	boxes := map[string]geom.Bounds{}
	for i := range s.Scene.Surfaces {
		id := s.Scene.Surfaces[i].Body().Entity
		b, ok := boxes[id]
		if !ok {
			b = geom.NoBounds()
		}
		b.Grow(t.boxes[i].Min)
		b.Grow(t.boxes[i].Max)
		boxes[id] = b
	}
	judge := func(e *level.Entity) {
		light, ok := carries[e.ID]
		b, drawn := boxes[e.ID]
		if !ok || !drawn || e.Parent != "" || s.touches(e.ID, b) {
			return
		}
		f := s.about(e, Warning, "%s carries %s and touches nothing; it would fall", nameOf(e), light)
		f.Entities = append(f.Entities, light)
		found = append(found, f)
	}
	for _, v := range s.level.Solids {
		if v.Enabled {
			judge(&v.Entity)
		}
	}
	for _, v := range s.level.Meshes {
		if v.Enabled {
			judge(&v.Entity)
		}
	}
	return found
}

// touches tells whether anything else comes within some millimetres of a thing's box.
func (s *subject) touches(id string, b geom.Bounds) bool {
	const about = 0.02
	margin := geom.Vec3{about, about, about}
	wide := geom.Bounds{Min: b.Min.Sub(margin), Max: b.Max.Add(margin)}
	room := overlap.BoxVolume(wide)
	for _, i := range s.surfaces().near(wide) {
		if s.Scene.Surfaces[i].Body().Entity == id {
			continue
		}
		for c := range s.Scene.Corners(&s.Scene.Surfaces[i]) {
			if room.MeetsTriangle(c) {
				return true
			}
		}
	}
	return false
}

func swayingStill(s *subject) []Finding {
	sways := map[string]*level.Mesh{}
	for _, m := range s.level.Meshes {
		if m.Enabled && m.Sways != nil && m.Sways.ReachM > 0 {
			sways[m.ID] = m
		}
	}
	if len(sways) == 0 || s.level.Environment.Wind.SpeedMps == 0 {
		return nil
	}
	var found []Finding
	for _, p := range s.level.Placed() {
		if m := sways[p.Parent]; m != nil && p.Enabled && (p.Part == "lights" || p.Part == "glows") {
			f := s.about(p.Entity, Warning, "%s hangs on %s, which sways, and stays still", nameOf(p.Entity), nameOf(&m.Entity))
			f.Entities = append(f.Entities, m.ID)
			found = append(found, f)
		}
	}
	return found
}

func noCredit(s *subject) []Finding {
	var found []Finding
	judge := func(id, name, what, credit, licence string) {
		var missing []string
		if credit == "" {
			missing = append(missing, "credit")
		}
		if licence == "" {
			missing = append(missing, "licence")
		}
		if len(missing) > 0 {
			found = append(found, Finding{Severity: Advice, Entities: []string{id}, Message: fmt.Sprintf("the %s %s has no %s", what, cmp.Or(name, id), strings.Join(missing, " and no "))})
		}
	}
	for _, v := range s.level.Images {
		judge(v.ID, v.Name, "image", v.Credit, v.Licence)
	}
	for _, v := range s.level.Profiles {
		judge(v.ID, v.Name, "light profile", v.Credit, v.Licence)
	}
	return found
}
