package check

import (
	"fmt"
	"math"

	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/source"
)

// This file finds what each light does by itself: which surfaces it meets, and how brightly. Lights
// that do nothing are told with the cause.

var _ = add(
	Rule{ID: "links.no-effect", Family: Links, Severities: []Severity{Warning}, Needs: Rays,
		Title: "A light shines and lights nothing; the message says which cause it is: its colour, its range, its cone, what stands in the way, or surfaces that take no light.", Why: "It counts against the limits and is not seen.", run: noEffect},
	Rule{ID: "links.drowned", Family: Links, Severities: []Severity{Advice}, Needs: Rays,
		Title: "A light is less than a hundredth of the light even where it is brightest.", Why: "It counts against the limits and nobody would miss it.", run: drowned},
	Rule{ID: "links.shut-in", Family: Links, Severities: []Severity{Warning}, Needs: Rays,
		Title: "A light's own fixture takes most of its light.", Why: "The fixture is lit from within and the room stays dark.", run: shutIn,
		Fix: "lets its shadow begin beyond the fixture"},
	Rule{ID: "links.hot-spot", Family: Links, Severities: []Severity{Warning}, Needs: Rays,
		Title: "A light is so near to a surface that it burns a white spot into it.", Why: "A white spot without drawing shows where the light touches its fixture.", run: hotSpots},
)

// shine is what a light does.
type shine struct {
	tried   int     // directions
	met     int     // of them, that meet a surface within the range
	lit     int     // of those, surfaces that take light and get some
	ignored int     // surfaces that take no light
	close   int     // directions in which the first thing is less than fixtureM away
	holder  string  // what is met there
	far     float64 // the farthest of those
	nearest float64 // surface met, metres
	best    float64 // the brightest place, lux
	place   *source.Receiver
	on      string // the thing that is met nearest
	nearLux float64
	nearAt  geom.Vec3
	albedo  float64
}

// fixtureM is how far off a light its own fixture ends.
const fixtureM = 0.3

// shineOf is computed once for each light.
func (s *subject) shineOf(l *level.Light) *shine {
	k := s.knownOf(l)
	if k.shine != nil {
		return k.shine
	}
	out := &shine{nearest: math.Inf(1)}
	k.shine = out
	src := s.Source(l.ID)
	if src == nil || s.Scene.Bounds.Empty() {
		return out
	}
	pose := s.world.Pose(&l.Entity)
	for _, ray := range s.raysOf(l, pose) {
		out.tried++
		s.follow(l, src, pose, ray[0], ray[1], out)
	}
	return out
}

// raysOf are rays in which a light shines: starts and directions.
func (s *subject) raysOf(l *level.Light, pose geom.Pose) [][2]geom.Vec3 {
	const n = 96
	var rays [][2]geom.Vec3
	at, forward := pose.Position, pose.Forward()
	switch l.Kind {
	case level.Directional, level.BoxLight:
		b := s.Scene.Bounds
		size := b.Max.Sub(b.Min).Len()
		middle, w, h := b.Min.Add(b.Max).Mul(0.5).Sub(forward.Mul(size)), size, size
		if l.Kind == level.BoxLight {
			middle, w, h = at, l.WidthM, l.HeightM
		}
		x, y := pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), pose.Rotation.Rotate(geom.Vec3{0, 1, 0})
		for i := range 2 * n {
			u, v := math.Mod(0.5+float64(i)*0.7548776662466927, 1)-0.5, math.Mod(0.5+float64(i)*0.5698402909980532, 1)-0.5
			rays = append(rays, [2]geom.Vec3{middle.Add(x.Mul(u * w)).Add(y.Mul(v * h)), forward})
		}
		return rays
	}
	least := -1.0 // cosine from the axis
	switch l.Kind {
	case level.Spot:
		least = math.Cos(l.OuterDeg * math.Pi / 180)
	case level.Dome, level.Rect:
		least = 0
	}
	for i := range n {
		d := sphere(i, n)
		// The lattice is along +y; its cap about the axis has cosines from least to 1.
		c := least + (1-least)*(d[1]+1)/2
		r := math.Sqrt(max(0, 1-c*c))
		flat := math.Hypot(d[0], d[2])
		own := geom.Vec3{0, 0, -1}
		if flat > 0 {
			own = geom.Vec3{d[0] / flat * r, d[2] / flat * r, -c}
		}
		rays = append(rays, [2]geom.Vec3{at, pose.Rotation.Rotate(own)})
	}
	return rays
}

// follow adds what one ray of a light meets.
func (s *subject) follow(l *level.Light, src *source.Source, pose geom.Pose, from, dir geom.Vec3, out *shine) {
	end := math.Inf(1)
	if l.RangeM > 0 {
		end = l.RangeM
	}
	start := 0.0
	if l.Shadows.Cast {
		start = l.Shadows.NearM
	}
	met, ok := s.Scene.Meet(scene.Along(from.Add(dir.Mul(start)), dir, end-start))
	if ok && !met.Front && !s.Scene.Surfaces[met.Surface].Finish().Material.HasTwoSides() {
		// A light inside a solid meets its wall from within.
		out.met++
		s.noteClose(met.Surface, start+met.T, out)
		return
	}
	if !ok {
		return
	}
	out.met++
	distance := start + met.T
	f := &s.Scene.Surfaces[met.Surface]
	s.noteClose(met.Surface, distance, out)
	n := met.Normal.Normalize()
	point := from.Add(dir.Mul(distance))
	if n.Dot(dir) > 0 {
		n = n.Mul(-1)
	}
	r := source.Receiver{Point: point, Origin: point.Add(n.Mul(scene.OffsetM)), Normal: n}
	unit, _ := src.Direct(s.Scene, &r, source.Steady(1), 0)
	lux := src.Weight.Mul(unit).Luminance()
	if !f.Finish().Roles.ReceivesLight {
		out.ignored++
		return
	}
	if lux > 0 {
		out.lit++
	}
	if lux > out.best {
		out.best, out.place = lux, &r
	}
	if distance < out.nearest {
		out.nearest, out.on, out.nearLux, out.nearAt = distance, f.Body().Entity, lux, point
		out.albedo = f.Finish().Albedo.Luminance()
	}
}

func (s *subject) noteClose(surface int, distance float64, out *shine) {
	if distance < fixtureM {
		out.close++
		out.holder = s.Scene.Surfaces[surface].Body().Entity
		out.far = max(out.far, distance)
	}
}

func noEffect(s *subject) []Finding {
	var found []Finding
	for _, l := range s.level.Lights {
		if !l.Enabled || s.level.Strength(l) == 0 || l.Follows != "none" && !s.level.Shines(l) {
			continue
		}
		if why := s.whyNothing(l); why != "" {
			found = append(found, s.about(&l.Entity, Warning, "%s lights nothing: %s", nameOf(&l.Entity), why))
		}
	}
	return found
}

// whyNothing is why a light that is on does nothing; "" where it does something.
func (s *subject) whyNothing(l *level.Light) string {
	if s.level.Radiant(l).Luminance() == 0 {
		return "its colour is black"
	}
	if !l.Surfaces {
		switch {
		case l.FogShare == 0:
			return "it lights neither surfaces nor fog"
		case !s.litFog():
			return "it lights fog alone, and no fog of the level shows light"
		}
		return ""
	}
	e := s.shineOf(l)
	if e.lit > 0 || l.FogShare > 0 && s.litFog() {
		return ""
	}
	if s.litTexels(l) {
		return "" // a small place that the rays missed
	}
	pose := s.world.Pose(&l.Entity)
	if in, ok := s.inside(pose.Position, castsShadow); ok && l.Shadows.Cast && l.Kind != level.Directional {
		return fmt.Sprintf("it is blocked, as it stands inside %s", in.id)
	}
	switch {
	case e.met > 0 && e.ignored == e.met:
		return "the surfaces that it meets take no light"
	case e.met > 0:
		return "what it meets is turned away from it, or stands in the way of the rest"
	case l.RangeM > 0 && s.withinRange(l, math.Inf(1)):
		if l.Kind == level.Spot && !s.withinRange(l, math.Inf(1)) {
			return "nothing stands in its cone"
		}
		return fmt.Sprintf("its range of %g m ends before the first surface%s", l.RangeM, s.firstSurface(l))
	case l.Kind == level.Spot || l.Kind == level.Rect || l.Kind == level.Dome:
		return "nothing stands in its cone or before its face"
	}
	return "no surface is in its way"
}

// withinRange tells whether a light meets anything if its range had another end.
func (s *subject) withinRange(l *level.Light, end float64) bool {
	pose := s.world.Pose(&l.Entity)
	for _, ray := range s.raysOf(l, pose) {
		if _, ok := s.Scene.Meet(scene.Along(ray[0], ray[1], end)); ok {
			return true
		}
	}
	return false
}

// firstSurface says how far the first surface along a light's rays is.
func (s *subject) firstSurface(l *level.Light) string {
	near := math.Inf(1)
	for _, ray := range s.raysOf(l, s.world.Pose(&l.Entity)) {
		if met, ok := s.Scene.Meet(scene.Along(ray[0], ray[1], math.Inf(1))); ok {
			near = min(near, met.T)
		}
	}
	if math.IsInf(near, 1) {
		return ""
	}
	return fmt.Sprintf(", which is %.2f m away", near)
}

// litTexels tells whether any of some texels within a light's reach gets light from it.
func (s *subject) litTexels(l *level.Light) bool {
	src := s.Source(l.ID)
	if src == nil {
		return false
	}
	at, metres, boxes := src.Reach()
	lit, asked := false, 0
	s.Near(at, metres, boxes, func(chunk int) {
		if lit || asked > 20_000 {
			return
		}
		for _, t := range s.Chunk(chunk) {
			asked++
			origin := geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
			r := source.Receiver{Point: origin, Origin: origin, Normal: t.Shading(s.Scene)}
			if ok, _ := src.Arrives(&r); !ok {
				continue
			}
			if unit, _ := src.Direct(s.Scene, &r, source.Steady(1), 0); unit.Luminance() > 0 {
				lit = true
				return
			}
		}
	})
	return lit
}

// litFog tells whether any fog of the level shows light.
func (s *subject) litFog() bool {
	lit := s.level.Fog.Lit
	for _, z := range s.level.Zones {
		if z.Fog != nil && z.Fog.Lit == level.LitEverywhere {
			return true
		}
	}
	if lit == level.LitEverywhere {
		return true
	}
	for _, v := range s.level.FogVolumes {
		if v.Enabled && v.Lit && v.Density > 0 && lit == level.LitVolumes {
			return true
		}
	}
	return false
}

// least share of the light at its brightest place that a light has to give.
const leastShare = 0.01

func drowned(s *subject) []Finding {
	var found []Finding
	lights := s.shining()
	if len(lights) > 4000 {
		return nil // each is asked with all the others
	}
	for _, l := range lights {
		e := s.shineOf(l)
		if e.place == nil || e.best == 0 || l.FogShare > 0 && s.litFog() {
			continue
		}
		total := s.directAtBest(l)
		if total <= 0 || e.best/total >= leastShare {
			continue
		}
		f := s.about(&l.Entity, Advice, "%s gives %.3g lx where it is brightest, of %.3g lx: %.2f %%", nameOf(&l.Entity), e.best, total, 100*e.best/total)
		f.Count, f.Limit = e.best/total, leastShare
		found = append(found, f)
	}
	return found
}

// directAtBest is the direct and ambient light of all sources where one light is brightest, in lux.
func (s *subject) directAtBest(l *level.Light) float64 {
	k := s.knownOf(l)
	if k.direct == nil {
		lux := 0.0
		for i := range s.Sources {
			lux += weighed(s.Scene, &s.Sources[i], k.shine.place)
		}
		k.direct = &lux
	}
	return *k.direct
}

// weighed is what a source gives a place directly, in lux.
func weighed(sc *scene.Scene, src *source.Source, r *source.Receiver) float64 {
	if src.Weight.Luminance() == 0 {
		return 0
	}
	unit, _ := src.Direct(sc, r, source.Steady(1), 0.3)
	return src.Weight.Mul(unit).Luminance()
}

// shutShare is the share of a light's directions that its own fixture may take.
const shutShare = 0.85

func (e *shine) shut() float64 { return float64(e.close) / float64(max(1, e.tried)) }

func shutIn(s *subject) []Finding {
	var found []Finding
	for _, l := range s.shining() {
		if !l.Shadows.Cast || l.Shadows.Depth < 0.5 || l.Kind == level.Directional || l.Kind == level.BoxLight {
			continue
		}
		e := s.shineOf(l)
		at := s.world.Pose(&l.Entity).Position
		if _, inside := s.inside(at, castsShadow); inside {
			continue // that is closure.light-inside
		}
		share := e.shut()
		if share <= shutShare {
			continue
		}
		f := s.about(&l.Entity, Warning, "%.0f %% of the light of %s falls on %s within %.2f m", share*100, nameOf(&l.Entity), e.holder, e.far)
		f.Entities, f.Count, f.Limit = append(f.Entities, e.holder), share, shutShare
		f.Fix = fixOf(l.ID, map[string]any{"shadows.near_m": math.Ceil(e.far*100+2) / 100}, "Let the shadow of %s begin beyond its fixture", nameOf(&l.Entity))
		found = append(found, f)
	}
	return found
}

// hotSpots finds surfaces that are burnt white by a light that nearly touches them.
func hotSpots(s *subject) []Finding {
	const nearM, most = 0.12, 24 // times white
	white := grade.White(s.level.Look.ExposureEV)
	var found []Finding
	for _, l := range s.shining() {
		if l.Kind == level.Directional || l.Kind == level.BoxLight || l.Bake == "dynamic" {
			continue
		}
		e := s.shineOf(l)
		if e.nearest-l.RadiusM > nearM || e.place == nil || l.Shadows.Cast && e.shut() > shutShare {
			continue
		}
		at, lux := e.nearAt, e.nearLux
		times := lux * e.albedo / math.Pi / white
		if times < most {
			continue
		}
		f := s.about(&l.Entity, Warning, "%s is %.0f mm off %s and makes it %.0f times as bright as white; move it off, or let the surface take no light", nameOf(&l.Entity), 1000*e.nearest, e.on, times)
		f.Entities, f.Count, f.Limit, f.Point = append(f.Entities, e.on), times, most, vec(at)
		found = append(found, f)
	}
	return found
}
