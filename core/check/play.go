package check

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
)

// This file judges the light where a player walks.

var _ = add(
	Rule{ID: "play.too-dark", Family: Play, Severities: []Severity{Warning}, Needs: Walk,
		Title: "The ground of a zone is darker, on average over its area, than the platform asks.", Why: "A player cannot see what the zone is for.", run: zoneTooDark,
		Fix: "switches on what is off there"},
	Rule{ID: "play.dark-part", Family: Play, Severities: []Severity{Warning}, Needs: Walk,
		Title: "A part of a zone is much darker than is asked, though the zone is light enough on average.", Why: "A player is lost there, or hides there.", run: darkParts},
	Rule{ID: "play.pitch-black", Family: Play, Severities: []Severity{Warning}, Needs: Walk,
		Title: "Where a story is followed, a place is black and no light is near.", Why: "Nothing tells a player where the way goes on.", run: pitchBlack},
	Rule{ID: "play.contrast", Family: Play, Severities: []Severity{Warning}, Needs: Walk,
		Title: "Where players compete, the ground is far brighter in one place than in another.", Why: "Who stands in the dark sees, and is not seen.", run: tooContrasty},
	Rule{ID: "play.even", Family: Play, Severities: []Severity{Advice}, Needs: Walk,
		Title: "The ground of a zone is lit so evenly that nothing stands out.", Why: "Without light and shade, distances and steps are hard to see.", run: tooEven},
	Rule{ID: "play.figure", Family: Play, Severities: []Severity{Warning}, Needs: Walk,
		Title: "Where players compete, a figure is hardly seen against what is behind it.", Why: "A player is shot by somebody that cannot be seen.", run: hiddenFigures},
	Rule{ID: "play.no-guide", Family: Play, Severities: []Severity{Advice}, Needs: Walk,
		Title: "The way on from a zone of a story is darker than the rest, and no light stands there.", Why: "Players go to the light; they miss a way that has none.", run: noGuide},
)

// asked is the light that a platform wants on the ground of a zone.
func (s *subject) asked(z *level.Zone) float64 {
	return map[string]float64{"story": s.profile.Play.StoryLux, "compete": s.profile.Play.CompeteLux}[z.Play]
}

var playing = map[string]string{"story": "follow a story", "compete": "compete"}

// groundLight is the light on the ground of a zone, at places evenly over it.
func (s *subject) groundLight(z *level.Zone) (g *ground, places []int, lux []float64) {
	g = s.walkable()
	places = g.light(s, z.ID)
	for _, i := range places {
		lux = append(lux, g.treads[i].lux)
	}
	return g, places, lux
}

// floor is the ground of a zone where a player does something, with the light at places evenly over it.
type floor struct {
	*ground
	zone   *level.Zone
	asked  float64 // what the platform wants, lux
	places []int   // treads
	lux    []float64
}

// floors are those of zones with an intent, or any intent, that have at least so many places.
func (s *subject) floors(play string, least int) []floor {
	var out []floor
	for _, z := range s.zones() {
		if z.Play == "none" || play != "" && z.Play != play {
			continue
		}
		if g, places, lux := s.groundLight(z); len(places) >= max(1, least) {
			out = append(out, floor{g, z, s.asked(z), places, lux})
		}
	}
	return out
}

// darkest is the darkest place.
func (f *floor) darkest() geom.Vec3 {
	return f.treads[f.places[slices.Index(f.lux, slices.Min(f.lux))]].at
}

func mean(values []float64) float64 {
	sum := 0.0
	for _, v := range values {
		sum += v
	}
	return sum / float64(max(1, len(values)))
}

func zoneTooDark(s *subject) []Finding {
	var found []Finding
	for _, on := range s.floors("", 1) {
		z, least, average := on.zone, on.asked, mean(on.lux)
		if average >= least {
			continue
		}
		f := Finding{
			Severity: Warning, Zone: z.ID, Point: vec(on.darkest()), Count: average, Limit: least,
			Message: fmt.Sprintf("%s has %.2f lux on its floor on average; %s asks %g where players %s",
				s.zoneName(z.ID), average, s.profile.Name, least, playing[z.Play]),
		}
		s.switchOn(z, &f)
		found = append(found, f)
	}
	return found
}

// switchOn offers what is off in a zone as the fix of a finding.
func (s *subject) switchOn(z *level.Zone, f *Finding) {
	var off []level.Operation
	var names []string
	for _, l := range s.level.Lights {
		if at := s.zoneOf(&l.Entity); !l.Enabled && at != nil && at.ID == z.ID {
			f.Entities = append(f.Entities, l.ID)
			off = append(off, level.Set(l.ID, map[string]any{"enabled": true}))
			names = append(names, nameOf(&l.Entity))
		}
	}
	if len(off) > 0 {
		fix := level.Batch("Switch on "+strings.Join(names, ", "), off...)
		f.Fix = &fix
		f.Message += "; switched off there: " + strings.Join(names, ", ")
	}
}

// darkShare is how dark a part of a zone may be, as a share of what is asked of the zone, and
// partShare how much of the ground such a part is.
const (
	darkShare = 0.1
	partShare = 0.08
)

func darkParts(s *subject) []Finding {
	var found []Finding
	for _, on := range s.floors("", 8) {
		g, z, least, places, lux := on.ground, on.zone, on.asked, on.places, on.lux
		if mean(lux) < least {
			continue // that the zone is dark is told by itself
		}
		part := s.darkestPart(g, places, lux, least*darkShare)
		if len(part) == 0 || float64(len(part)) < partShare*float64(len(places)) {
			continue
		}
		own := make([]float64, len(part))
		var middle geom.Vec3
		for i, k := range part {
			own[i] = g.treads[k].lux
			middle = middle.Add(g.treads[k].at.Mul(1 / float64(len(part))))
		}
		at := g.treads[slices.MinFunc(part, func(a, b int) int { return cmpDistance(g.treads[a].at, g.treads[b].at, middle) })].at
		found = append(found, Finding{
			Severity: Warning, Zone: z.ID, Point: vec(at), Count: mean(own), Limit: least * darkShare, Region: g.boxes(part),
			Message: fmt.Sprintf("%.0f %% of the ground of %s has %.3f lux on average, about %.1f, %.1f, %.1f; %s asks %g where players %s",
				100*float64(len(part))/float64(len(places)), s.zoneName(z.ID), mean(own), at[0], at[1], at[2], s.profile.Name, least, playing[z.Play]),
		})
	}
	return found
}

func cmpDistance(a, b, to geom.Vec3) int {
	if a.Sub(to).Len() < b.Sub(to).Len() {
		return -1
	}
	return 1
}

// darkestPart is the largest group of dark places that lie near each other.
func (s *subject) darkestPart(g *ground, places []int, lux []float64, under float64) []int {
	var dark []int
	for i, k := range places {
		if lux[i] < under {
			dark = append(dark, k)
		}
	}
	area := float64(len(g.byZone[g.treads[places[0]].zone.ID])) * g.cellM * g.cellM
	near := 2.2 * math.Sqrt(area/float64(len(places)))
	var best []int
	left := slices.Clone(dark)
	for len(left) > 0 {
		part := []int{left[0]}
		left = left[1:]
		for i := 0; i < len(part); i++ {
			for k := len(left) - 1; k >= 0; k-- {
				if g.treads[left[k]].at.Sub(g.treads[part[i]].at).Len() <= near {
					part = append(part, left[k])
					left = slices.Delete(left, k, k+1)
				}
			}
		}
		if len(part) > len(best) {
			best = part
		}
	}
	return best
}

// boxes are where some places of the ground are, for the view.
func (g *ground) boxes(part []int) []level.Box {
	var out []level.Box
	for _, k := range part[:min(len(part), 64)] {
		at := g.treads[k].at
		half := g.cellM / 2
		out = append(out, level.Box{Min: level.Vec{at[0] - half, at[1], at[2] - half}, Max: level.Vec{at[0] + half, at[1] + 0.05, at[2] + half}})
	}
	return out
}

// Where it is black, and how near a light has to be to guide.
const (
	blackLux = 0.005
	guideM   = 6
)

func pitchBlack(s *subject) []Finding {
	var found []Finding
	for _, on := range s.floors("story", 1) {
		g, z, places, lux := on.ground, on.zone, on.places, on.lux
		var black []int
		for i, k := range places {
			eye := g.treads[k].at.Add(geom.Vec3{0, s.profile.Body.EyeM, 0})
			if lux[i] < blackLux && !s.somethingShines(eye, guideM) {
				black = append(black, k)
			}
		}
		if len(black) < max(1, len(places)/30) {
			continue
		}
		at := g.treads[black[0]].at
		found = append(found, Finding{
			Severity: Warning, Zone: z.ID, Point: vec(at), Count: float64(len(black)) / float64(len(places)), Region: g.boxes(black),
			Message: fmt.Sprintf("%.0f %% of the ground of %s is black (under %g lux), and within %d m nothing shines that is seen from there, such as at %.1f, %.1f, %.1f",
				100*float64(len(black))/float64(len(places)), s.zoneName(z.ID), blackLux, guideM, at[0], at[1], at[2]),
		})
	}
	return found
}

// somethingShines tells whether a light or a glow is seen from a point and near it.
func (s *subject) somethingShines(from geom.Vec3, within float64) bool {
	seen := func(e *level.Entity) bool {
		at := s.world.Pose(e).Position
		return at.Sub(from).Len() <= within && !s.Scene.Blocked(from, at)
	}
	for _, l := range s.shining() {
		if l.Kind != level.Directional && seen(&l.Entity) {
			return true
		}
	}
	for _, gl := range s.level.Glows {
		if s.level.GlowRadiance(gl).Luminance() > 0 && seen(&gl.Entity) {
			return true
		}
	}
	return false
}

func tooContrasty(s *subject) []Finding {
	var found []Finding
	for _, on := range s.floors("compete", 16) {
		z, lux := on.zone, on.lux
		low, high := percentile(lux, 0.05), percentile(lux, 0.95)
		ratio := high / max(low, 1e-4)
		if ratio <= s.profile.Play.Contrast {
			continue
		}
		found = append(found, Finding{
			Severity: Warning, Zone: z.ID, Point: vec(on.darkest()), Count: ratio, Limit: s.profile.Play.Contrast,
			Message: fmt.Sprintf("the ground of %s goes from %.3g to %.3g lux (5th and 95th percentile), 1 to %.0f; %s takes 1 to %.0f where players compete",
				s.zoneName(z.ID), low, high, ratio, s.profile.Name, s.profile.Play.Contrast),
		})
	}
	return found
}

func tooEven(s *subject) []Finding {
	const least = 1.12
	var found []Finding
	for _, on := range s.floors("", 16) {
		z, lux := on.zone, on.lux
		if z.Mode != "indoor" || mean(lux) < on.asked {
			continue
		}
		low, high := percentile(lux, 0.05), percentile(lux, 0.95)
		if low <= 0 || high/low >= least {
			continue
		}
		found = append(found, Finding{
			Severity: Advice, Zone: z.ID, Count: high / low, Limit: least,
			Message: fmt.Sprintf("the ground of %s goes from %.3g to %.3g lux only, 1 to %.2f", s.zoneName(z.ID), low, high, high/low),
		})
	}
	return found
}

// Distances from which a figure is looked at, metres, and the least contrast that is seen: the
// difference of luminance between figure and background as a share of the background (Weber). Dark
// scenes need more (Blackwell, 1946: a figure of a degree, at 0.01 nits about 0.1, at 1 nit 0.02).
var figureM = []float64{5, 10, 20}

func leastContrast(nits float64) float64 {
	return min(1, max(0.05, 0.05*math.Pow(1/max(nits, 1e-4), 0.4)))
}

// hiddenFigures looks, from the ground of a zone, at figures of a plain grey that stand on it.
func hiddenFigures(s *subject) []Finding {
	const grey, looks = 0.18, 60
	var found []Finding
	for _, z := range s.zones() {
		if z.Play != "compete" {
			continue
		}
		g := s.walkable()
		list := g.byZone[z.ID]
		if len(list) < 8 {
			continue
		}
		type look struct {
			at               geom.Vec3
			contrast, needed float64
			metres           float64
		}
		var hidden []look
		all := 0
		for i := range looks {
			from := g.treads[list[(i*7919+13)%len(list)]]
			want := figureM[i%len(figureM)]
			at, ok := g.about(list, from.at, want, i)
			if !ok {
				continue
			}
			eye := from.at.Add(geom.Vec3{0, s.profile.Body.EyeM, 0})
			chest := at.Add(geom.Vec3{0, 0.6 * s.profile.Body.HeightM, 0})
			if s.Scene.Blocked(eye, chest) {
				continue
			}
			way := chest.Sub(eye).Normalize()
			behind, ok := s.Scene.See(chest.Add(way.Mul(0.3)), way, math.Inf(1))
			if !ok {
				continue // against the sky
			}
			all++
			n := s.Scene.NormalOf(behind.Triangle)
			if n.Dot(way) > 0 {
				n = n.Mul(-1)
			}
			toEye := way.Mul(-1)
			toEye[1] = 0
			figure := s.lightAt(chest, toEye.Normalize()) * grey / math.Pi
			f := s.Scene.Surfaces[behind.Surface].Finish()
			back := s.lightAt(behind.Point, n)*f.Albedo.Luminance()/math.Pi + f.Material.Emission*f.Material.Albedo().Luminance()
			contrast := math.Abs(figure-back) / max(back, 1e-6)
			if needed := leastContrast(max(back, figure)); contrast < needed {
				hidden = append(hidden, look{at, contrast, needed, chest.Sub(eye).Len()})
			}
		}
		share := float64(len(hidden)) / float64(max(1, all))
		if all < 12 || share < 0.4 {
			continue
		}
		worst := slices.MinFunc(hidden, func(a, b look) int { return int(1e6 * (a.contrast/a.needed - b.contrast/b.needed)) })
		found = append(found, Finding{
			Severity: Warning, Zone: z.ID, Point: vec(worst.at), Count: share, Limit: 0.4,
			Message: fmt.Sprintf("in %s a figure is hardly seen against what is behind it in %d of %d looks from 5 to 20 m; at the worst, from %.0f m, its contrast is %.3f and %.3f is needed",
				s.zoneName(z.ID), len(hidden), all, worst.metres, worst.contrast, worst.needed),
		})
	}
	return found
}

// about is a place of the ground that is about so far from another.
func (g *ground) about(list []int, from geom.Vec3, metres float64, turn int) (geom.Vec3, bool) {
	best, off := geom.Vec3{}, 0.3*metres
	for i := range list {
		at := g.treads[list[(i+turn*31)%len(list)]].at
		if d := math.Abs(at.Sub(from).Len() - metres); d < off {
			best, off = at, d
			if off < 0.05*metres {
				break
			}
		}
	}
	return best, off < 0.3*metres
}

// noGuide looks at the borders where one zone can be left for another.
func noGuide(s *subject) []Finding {
	var found []Finding
	for _, on := range s.floors("story", 16) {
		z, average := on.zone, mean(on.lux)
		if average < on.asked {
			continue
		}
		for _, exit := range s.exits(on.ground, z) {
			near := s.lightAt(exit.at, exit.normal)
			eye := exit.at.Add(geom.Vec3{0, s.profile.Body.EyeM, 0})
			if near >= min(0.1*average, 4*s.asked(z)) || s.somethingShines(eye, guideM/2) {
				continue
			}
			found = append(found, Finding{
				Severity: Advice, Zone: z.ID, Point: vec(exit.at), Count: near, Limit: 0.1 * average,
				Message: fmt.Sprintf("the way on from %s at %.1f, %.1f, %.1f has %.3g lux, of %.3g on average, and no light stands there", s.zoneName(z.ID), exit.at[0], exit.at[1], exit.at[2], near, average),
			})
			break
		}
	}
	return found
}

// exits are places of the ground of a zone beside ground of another.
func (s *subject) exits(g *ground, z *level.Zone) []tread {
	var out []tread
	for _, k := range g.byZone[z.ID] {
		t := g.treads[k]
		for _, side := range []geom.Vec3{{1, 0, 0}, {-1, 0, 0}, {0, 0, 1}, {0, 0, -1}} {
			p := t.at.Add(side.Mul(g.cellM * 1.5)).Add(geom.Vec3{0, 0.1, 0})
			other := s.zoneAt(p)
			if other == nil || other == z || s.Scene.Inside(p) != "" || s.Scene.Blocked(t.at.Add(geom.Vec3{0, 0.5, 0}), p.Add(geom.Vec3{0, 0.4, 0})) {
				continue
			}
			if !slices.ContainsFunc(out, func(o tread) bool { return o.at.Sub(t.at).Len() < 2 }) {
				out = append(out, t)
			}
			break
		}
	}
	return out
}
