package check

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
)

// This file compares all that shows where the sun stands: its light, its disc, an image of the sky,
// shafts and parallel lights.

var _ = add(
	Rule{ID: "links.painted-sun", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "The sky's image shows a sun elsewhere than its light comes from; a wrong sign of the altitude is named.", Why: "Shadows that do not fit the sun in the sky look wrong, and nobody can say why.", run: paintedSun,
		Fix: "puts the sun where the image shows it"},
	Rule{ID: "links.sun-disc", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "The disc of the sun or moon is cut from its light and stands elsewhere.", Why: "Shadows that do not fit the sun in the sky look wrong, and nobody can say why.", run: cutDisc,
		Fix: "lets the disc stand where its light comes from"},
	Rule{ID: "links.sun-shaft", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "A shaft, or parallel light that follows nothing, comes from elsewhere than the sun or moon; a wrong sign of the altitude is named.", Why: "Shafts and shadows that disagree look wrong at once.", run: shafts,
		Fix: "lets a light follow the sun or moon"},
	Rule{ID: "links.two-suns", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "Two suns cast shadows: sun and moon of about one strength, or a parallel light beside them.", Why: "Everything has two shadows.", run: twoSuns},
	Rule{ID: "links.two-skies", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "The sky lights the level twice: by itself, and by a dome or a sky fill outdoors.", Why: "Open places get the light of two skies, and shadows go pale.", run: twoSkies},
	Rule{ID: "links.sun-below", Family: Links, Severities: []Severity{Warning}, Needs: Document,
		Title: "The sun or moon is on and stands below the horizon, while the sky is as by day.", Why: "It lights nothing. Often the sign of its altitude is wrong.", run: sunBelow, Fix: "turns the sign of its altitude"},
)

// sunAside is how far, in degrees, a sun may stand from what shows it.
const sunAside = 5

func degreesBetween(a, b geom.Vec3) float64 {
	return math.Acos(max(-1, min(1, a.Dot(b)))) * 180 / math.Pi
}

// mirrored tells whether two directions differ by the sign of their altitude alone.
func mirrored(a, b geom.Vec3) bool {
	return degreesBetween(geom.Vec3{a[0], -a[1], a[2]}, b) <= sunAside && math.Abs(a[1]) > 0.06
}

// paintedSun compares the sun, by its angles or its place, with one that is painted in the sky's image.
func paintedSun(s *subject) []Finding {
	e := &s.level.Environment
	if e.Sky.Kind != level.SkyImage || e.Sun == nil || !e.Sun.Enabled {
		return nil
	}
	painted, ok := sky.OfLevel(s.level).PaintedSun()
	if !ok {
		return nil
	}
	light := e.Sun.Toward()
	aside := degreesBetween(painted, light)
	if aside <= sunAside {
		return nil
	}
	azimuth, altitude := sky.Angles(painted)
	own, high := sky.Angles(light)
	f := Finding{
		Severity: Warning, Count: aside, Limit: sunAside,
		Message: fmt.Sprintf("the sky's image shows a sun at azimuth %.0f, altitude %.0f; the sun's light comes from azimuth %.0f, altitude %.0f, %.0f degrees beside it", azimuth, altitude, own, high, aside),
	}
	if mirrored(light, painted) {
		f.Message += "; the sign of the altitude is wrong"
	}
	if e.Sun.Place == nil {
		fix := level.Set("", map[string]any{"environment.sun.azimuth_deg": wrap(azimuth - e.Sun.NorthDeg), "environment.sun.altitude_deg": altitude})
		fix.Label = "Put the sun where the sky shows it"
		f.Fix = &fix
	} else {
		// A place and hour give the angles; the sky is turned instead, where that is enough.
		if math.Abs(high-altitude) <= sunAside {
			fix := level.Set("", map[string]any{"environment.sky.rotation_deg": wrap(e.Sky.RotationDeg + own - azimuth)})
			fix.Label = "Turn the sky to the sun"
			f.Fix = &fix
		}
	}
	return []Finding{f}
}

// wrap brings an angle to between -360 and 360 degrees.
func wrap(deg float64) float64 { return math.Mod(deg, 360) }

func cutDisc(s *subject) []Finding {
	var found []Finding
	e := &s.level.Environment
	for _, sun := range []struct {
		name string
		of   *level.Sun
	}{{"sun", e.Sun}, {"moon", e.Moon}} {
		if !sun.of.Up() || !sun.of.Disc.Shown || !sun.of.Disc.Cut || sun.of.Lux == 0 {
			continue
		}
		toward := sun.of.Toward()
		disc := level.Direction(sun.of.Disc.AzimuthDeg+sun.of.NorthDeg, sun.of.Disc.AltitudeDeg)
		aside := degreesBetween(toward, disc)
		if aside <= sunAside {
			continue
		}
		f := Finding{
			Severity: Warning, Count: aside, Limit: sunAside,
			Message: fmt.Sprintf("the disc of the %s stands %.0f degrees beside where its light comes from", sun.name, aside),
		}
		if mirrored(toward, disc) {
			f.Message += "; the sign of the altitude is wrong"
		}
		fix := level.Set("", map[string]any{"environment." + sun.name + ".disc.cut": false})
		fix.Label = "Join the disc of the " + sun.name + " to its light"
		f.Fix = &fix
		found = append(found, f)
	}
	return found
}

// shafts compares what is shaped like sunlight with the sun or moon.
func shafts(s *subject) []Finding {
	e := &s.level.Environment
	type lead struct {
		name   string
		toward geom.Vec3
	}
	var leads []lead
	if e.Sun.Up() && e.Sun.Lux > 0 {
		leads = append(leads, lead{"sun", e.Sun.Toward()})
	}
	if e.Moon.Up() && e.Moon.Lux > 0 {
		leads = append(leads, lead{"moon", e.Moon.Toward()})
	}
	if len(leads) == 0 {
		return nil
	}
	var found []Finding
	judge := func(en *level.Entity, what string, toward geom.Vec3, follow bool) {
		best, aside := leads[0], degreesBetween(leads[0].toward, toward)
		for _, l := range leads[1:] {
			if d := degreesBetween(l.toward, toward); d < aside {
				best, aside = l, d
			}
		}
		if aside <= 2*sunAside {
			return
		}
		f := s.about(en, Warning, "%s, %s, comes from %.0f degrees beside the %s", nameOf(en), what, aside, best.name)
		f.Count, f.Limit = aside, 2*sunAside
		if mirrored(toward, best.toward) {
			f.Message += "; the sign of the altitude is wrong"
		}
		if follow {
			f.Fix = fixOf(en.ID, map[string]any{"follows": best.name}, "Let %s follow the %s", nameOf(en), best.name)
		}
		found = append(found, f)
	}
	for _, b := range s.level.Beams {
		if !b.Enabled || b.Form != "shaft" {
			continue
		}
		if l := s.level.Light(b.Light); l != nil {
			if l.Kind != level.Directional && l.Kind != level.BoxLight || l.Follows != "none" {
				continue // of a lamp, or judged with its light
			}
			continue
		}
		judge(&b.Entity, "a shaft", s.world.Pose(&b.Entity).Forward().Mul(-1), false)
	}
	for _, l := range s.level.Lights {
		if s.level.Radiant(l).Luminance() > 0 && l.Kind == level.BoxLight && l.Follows == "none" {
			toward := s.world.Pose(&l.Entity).Forward().Mul(-1)
			if math.Abs(toward[1]) < 0.999 { // straight down is a skylight
				judge(&l.Entity, "parallel light", toward, true)
			}
		}
	}
	return found
}

func twoSuns(s *subject) []Finding {
	type sun struct {
		name   string
		entity *level.Entity
		lux    float64
		toward geom.Vec3
	}
	var suns []sun
	e := &s.level.Environment
	add := func(name string, of *level.Sun) {
		if of.Up() && of.Shadows.Cast && of.Shadows.Depth > 0 && of.Lux*of.Hue().Luminance() > 0 {
			suns = append(suns, sun{name, nil, of.Lux * of.Hue().Luminance(), of.Toward()})
		}
	}
	add("the sun", e.Sun)
	add("the moon", e.Moon)
	for _, l := range s.shining() {
		if l.Kind == level.Directional && l.Shadows.Cast && l.Shadows.Depth > 0 {
			suns = append(suns, sun{nameOf(&l.Entity), &l.Entity, s.level.Radiant(l).Luminance(), s.world.Pose(&l.Entity).Forward().Mul(-1)})
		}
	}
	var found []Finding
	for i, a := range suns {
		for _, b := range suns[i+1:] {
			if max(a.lux, b.lux) > 8*min(a.lux, b.lux) {
				continue // the weaker one's shadow is not seen
			}
			aside := degreesBetween(a.toward, b.toward)
			f := Finding{
				Severity: Warning, Count: aside,
				Message: fmt.Sprintf("%s (%.3g lx) and %s (%.3g lx) both cast shadows over the level, from %.0f degrees apart", a.name, a.lux, b.name, b.lux, aside),
			}
			for _, one := range []sun{a, b} {
				if one.entity != nil {
					f.Entities = append(f.Entities, one.entity.ID)
				}
			}
			found = append(found, f)
		}
	}
	return found
}

func twoSkies(s *subject) []Finding {
	e := &s.level.Environment
	if !e.Sky.Lights || e.Sky.Luminance == 0 {
		return nil
	}
	var found []Finding
	if e.Ambient.SkyFill >= 0.3 && e.Mode == "outdoor" {
		found = append(found, Finding{
			Severity: Warning, Count: e.Ambient.SkyFill,
			Message: fmt.Sprintf("the sky lights the level, and the ambient adds %.0f %% of it once more, outdoors too", e.Ambient.SkyFill*100),
		})
	}
	open := sky.OfLevel(s.level).Horizontal().Scale(e.Sky.Luminance).Luminance()
	for _, l := range s.shining() {
		if l.Kind != level.Dome || s.world.Pose(&l.Entity).Forward()[1] > -0.9 {
			continue
		}
		at := s.world.Pose(&l.Entity).Position
		if s.Scene.BlockedAlong(at, geom.Vec3{0, 1, 0}, math.Inf(1)) || l.RangeM > 0 && l.RangeM < 8 {
			continue // under a roof, or a lamp
		}
		below := s.level.Radiant(l).Luminance() / max(1, (at[1]-s.Scene.Bounds.Min[1])*(at[1]-s.Scene.Bounds.Min[1]))
		if below > 0.1*open {
			found = append(found, s.about(&l.Entity, Warning, "%s shines down like a sky (%.3g lx below), and the sky lights the level too (%.3g lx)", nameOf(&l.Entity), below, open))
		}
	}
	return found
}

// sunBelow finds a sun that is on and under the horizon, under a sky that is far too bright for that.
func sunBelow(s *subject) []Finding {
	e := &s.level.Environment
	if e.Sun == nil || !e.Sun.Enabled || e.Sun.Lux < 100 || e.Sun.Place != nil {
		return nil
	}
	altitude := e.Sun.AltitudeDeg
	day := sky.OfLevel(s.level).Horizontal().Scale(e.Sky.Luminance).Luminance()
	_, dusk := sky.Daylight(altitude)
	if altitude > -1 || e.Sky.Kind == level.SkyImage || day < 10*max(dusk, 1) {
		return nil
	}
	fix := level.Set("", map[string]any{"environment.sun.altitude_deg": -altitude})
	fix.Label = fmt.Sprintf("Put the sun at %g degrees", -altitude)
	return []Finding{{
		Severity: Warning, Count: altitude, Fix: &fix,
		Message: fmt.Sprintf("the sun is on with %.3g lx and stands at an altitude of %g degrees, where it lights nothing; the sky sends %.3g lx as by day", e.Sun.Lux, altitude, day),
	}}
}

// hueApart is how far apart two colours are in hue and saturation, 0 to 1, whatever their strength.
func hueApart(a, b color.Linear) float64 {
	unit := func(c color.Linear) color.Linear {
		if l := max(c[0], c[1], c[2]); l > 0 {
			return c.Scale(1 / l)
		}
		return c
	}
	p, q := unit(a), unit(b)
	far := 0.0
	for i := range 3 {
		far = max(far, math.Abs(color.EncodeSRGB(p[i])-color.EncodeSRGB(q[i])))
	}
	return far
}
