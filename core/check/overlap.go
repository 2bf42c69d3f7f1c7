package check

import (
	"cmp"
	"fmt"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/overlap"
)

var _ = add(Rule{
	ID: "limits.shadow-overlap", Family: Limits, Severities: []Severity{Error}, Needs: Document,
	Title: "More shadow-casting lights reach one point than the target takes; every separate place is told.",
	Why:   "Where too many shadow-casting lights reach a point the target drops some of them.",
	Fix:   "takes the shadows of the weakest lights there", run: shadowOverlap,
})

// mostPlaces bounds what is reported of one rule; the rest is told as a number.
const mostPlaces = 24

func shadowOverlap(s *subject) []Finding {
	limit := s.profile.Limits.ShadowOverlap
	if limit == nil || s.Scene.Bounds.Empty() {
		return nil
	}
	allowed := limit.Max - limit.Reserve
	var volumes []overlap.Volume
	for _, l := range s.shining() {
		if v, ok := overlap.Shadow(l, s.world.Pose(&l.Entity)); ok {
			volumes = append(volumes, v)
		}
	}
	places, complete := overlap.Places(volumes, s.bounds(), allowed)
	var found []Finding
	for i, p := range places {
		if i == mostPlaces {
			found = append(found, Finding{
				Severity: Error, Count: float64(len(places) - i),
				Message: fmt.Sprintf("there are %d more places where too many shadow-casting lights meet", len(places)-i),
			})
			break
		}
		found = append(found, s.crowded(&p, volumes, allowed))
	}
	if !complete {
		found = append(found, Finding{
			Severity: Warning, Count: float64(len(volumes)),
			Message: fmt.Sprintf("%d shadow-casting lights stand so close that not every place where they meet was looked at; there may be more", len(volumes)),
		})
	}
	return found
}

func (s *subject) crowded(p *overlap.Place, volumes []overlap.Volume, allowed int) Finding {
	limit := s.profile.Limits.ShadowOverlap
	n := len(p.IDs)
	f := Finding{
		Severity: Error, Count: float64(n), Limit: float64(allowed), Why: limit.Why, Entities: p.IDs, Point: vec(p.Point), Region: regionOf(p.Region),
		Message: fmt.Sprintf("%d shadow-casting lights meet at %.2f, %.2f, %.2f; %s takes %d", n, p.Point[0], p.Point[1], p.Point[2], s.profile.Name, limit.Max),
	}
	if limit.Reserve > 0 {
		f.Message += fmt.Sprintf(" and keeps %d for carried lamps", limit.Reserve)
	}
	if p.InDoubt && p.Most > n {
		f.Message = fmt.Sprintf("at least %s, and at most %d", f.Message, p.Most)
	}
	if z := s.zoneAt(p.Point); z != nil {
		f.Zone = z.ID
	}
	// The target keeps the brightest at the point.
	order := slices.Clone(p.IDs)
	slices.SortFunc(order, func(a, b string) int { return cmp.Or(cmp.Compare(s.throw(a), s.throw(b)), cmp.Compare(a, b)) })
	dropped := order[:n-allowed]
	f.Message += fmt.Sprintf("; the weakest would be dropped: %s", some(dropped))
	f.Fix = s.dropShadows(p, volumes, allowed)
	return f
}

// regionOf are the boxes in which a place lies, joined to few.
func regionOf(boxes []geom.Bounds) []level.Box {
	const most = 64
	out := make([]level.Box, 0, min(len(boxes), most))
	for i, b := range boxes {
		if i < most {
			out = append(out, level.Box{Min: level.Vec(b.Min), Max: level.Vec(b.Max)})
			continue
		}
		last := &out[most-1]
		for axis := range 3 {
			last.Min[axis], last.Max[axis] = min(last.Min[axis], b.Min[axis]), max(last.Max[axis], b.Max[axis])
		}
	}
	return out
}

// dropShadows takes the shadow of the weakest light at the deepest point of a place, again and
// again until the place keeps to the limit. Nil where that takes too long.
func (s *subject) dropShadows(p *overlap.Place, volumes []overlap.Volume, allowed int) *level.Operation {
	around := p.Region[0]
	for _, b := range p.Region {
		around.Grow(b.Min)
		around.Grow(b.Max)
	}
	left := slices.DeleteFunc(slices.Clone(volumes), func(v overlap.Volume) bool { return !v.Everywhere() && !v.Meets(around) })
	var steps []level.Operation
	var names []string
	// drop takes the weakest of some lights that share a point.
	drop := func(ids []string) {
		ids = slices.DeleteFunc(slices.Clone(ids), func(id string) bool {
			return !slices.ContainsFunc(left, func(v overlap.Volume) bool { return v.ID == id })
		})
		slices.SortFunc(ids, func(a, b string) int { return cmp.Or(cmp.Compare(s.throw(a), s.throw(b)), cmp.Compare(a, b)) })
		for _, id := range ids[:max(0, len(ids)-allowed)] {
			steps = append(steps, level.Set(id, map[string]any{"shadows.cast": false}))
			names = append(names, nameOf(&s.level.Light(id).Entity))
			left = slices.DeleteFunc(left, func(v overlap.Volume) bool { return v.ID == id })
		}
	}
	over := []overlap.Place{*p}
	for range 24 {
		for i := range over {
			drop(over[i].IDs)
			// A wide place is over the limit at many points; they are taken together.
			for _, at := range middles(over[i].Region) {
				var here []string
				for k := range left {
					if left[k].Contains(at) {
						here = append(here, left[k].ID)
					}
				}
				if len(here) > allowed {
					drop(here)
				}
			}
		}
		if over, _ = overlap.Places(left, around, allowed); len(over) == 0 {
			fix := level.Batch("Take the shadow from "+some(names), steps...)
			return &fix
		}
	}
	return nil
}

// middles are those of at most some hundred boxes, evenly chosen.
func middles(boxes []geom.Bounds) []geom.Vec3 {
	const most = 600
	n := min(most, len(boxes))
	out := make([]geom.Vec3, n)
	for i := range n {
		b := boxes[i*len(boxes)/n]
		out[i] = b.Min.Add(b.Max).Mul(0.5)
	}
	return out
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
