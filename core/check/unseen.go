package check

import (
	"cmp"
	"fmt"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/sampling"
)

// This file finds surfaces that could be seen and never are: the outsides of rooms that nobody leaves, backs against
// walls, tops of cupboards.

var _ = add(Rule{
	ID: "build.never-seen", Family: Limits, Severities: []Severity{Advice}, Needs: Walk,
	Title: "A good part of the texels lies on surfaces that are seen neither from where one can walk, nor from a viewpoint or a path.",
	Why:   "They cost pages and build time and are never shown.", Fix: "takes the light from those surfaces", run: neverSeen,
})

// A finding needs this share of all texels, and so many: a level of blocks always has some that nobody sees.
const (
	neverShare = 0.3
	neverLeast = 16384
)

// How a surface is looked at: from places that stand for its texels to the eyes of players, first from a few and then
// from many. What is found is likely and not certain: an eye may stand between two that were tried.
const (
	fewPlaces, manyPlaces = 4, 12
	fewEyes, manyEyes     = 24, 160
	leastTexels           = 64  // of a surface that is worth a look
	mostSurfaces          = 200 // that are looked at closely: those with the most texels
)

func neverSeen(s *subject) []Finding {
	hidden, texels := s.hiddenSurfaces()
	if texels < neverLeast || float64(texels) < neverShare*float64(len(s.Texels.List)) {
		return nil
	}
	bodies := map[string]int{}
	for _, h := range hidden {
		bodies[s.Scene.Surfaces[h.surface].Body().Entity] += h.texels
	}
	var names []string
	for id := range bodies {
		names = append(names, id)
	}
	slices.SortFunc(names, func(a, b string) int { return cmp.Or(bodies[b]-bodies[a], cmp.Compare(a, b)) })
	share := float64(texels) / float64(len(s.Texels.List))
	f := Finding{
		Severity: Advice, Entities: names[:min(len(names), 20)], Count: share, Limit: neverShare, Fix: s.unlight(hidden),
		Message: fmt.Sprintf("%d texels, %.0f %% of all, lie on %d surfaces that nobody sees from the ground, a viewpoint or a path: those of %s",
			texels, 100*share, len(hidden), some(names)),
	}
	for _, h := range hidden[:min(len(hidden), mostPlaces)] {
		b := s.surfaces().boxes[h.surface]
		f.Region = append(f.Region, level.Box{Min: level.Vec(b.Min), Max: level.Vec(b.Max)})
	}
	return []Finding{f}
}

// Unlight takes the light from the surfaces that nobody sees; nil where there are none.
func (sub *Subject) Unlight(profile *platform.Profile) *level.Operation {
	sub.mu.Lock()
	defer sub.mu.Unlock()
	s := &subject{sub.p, sub, sub.p.Scene.Level, sub.p.Scene.World, profile}
	all, _ := s.hiddenSurfaces()
	return s.unlight(all)
}

// hidden is a surface that nobody sees, and its texels.
type hidden struct{ surface, texels int }

// hiddenSurfaces are those that nobody sees, those with the most texels first, and the texels of all.
func (s *subject) hiddenSurfaces() (found []hidden, texels int) {
	eyes := s.eyes()
	if len(eyes) == 0 {
		return nil, 0
	}
	// Texels of a surface follow each other.
	list := s.Texels.List
	var runs [][2]int
	for first := 0; first < len(list); {
		end := first + 1
		for end < len(list) && list[end].Surface(s.Scene) == list[first].Surface(s.Scene) {
			end++
		}
		if f := &s.Scene.Surfaces[list[first].Surface(s.Scene)]; end-first >= leastTexels && f.Finish().Roles.Visible {
			runs = append(runs, [2]int{first, end})
		}
		first = end
	}
	slices.SortStableFunc(runs, func(a, b [2]int) int { return (b[1] - b[0]) - (a[1] - a[0]) })
	runs = s.unseenOf(runs, sampling.Evenly(eyes, fewEyes), fewPlaces)
	runs = s.unseenOf(runs[:min(len(runs), mostSurfaces)], eyes, manyPlaces)
	for _, r := range runs {
		h := hidden{list[r[0]].Surface(s.Scene), r[1] - r[0]}
		found = append(found, h)
		texels += h.texels
	}
	return found, texels
}

// unseenOf are those of some runs of texels of which no eye sees any of so many.
func (s *subject) unseenOf(runs [][2]int, eyes []geom.Vec3, places int) [][2]int {
	unseen := make([]bool, len(runs))
	s.each(len(runs), func(i int) {
		first, n := runs[i][0], runs[i][1]-runs[i][0]
		unseen[i] = true
		for k := range places {
			t := &s.Texels.List[first+(2*k+1)*n/(2*places)]
			at := geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
			if s.seenFrom(at, t.Normal(s.Scene), eyes) {
				unseen[i] = false
				return
			}
		}
	})
	var left [][2]int
	for i, r := range runs {
		if unseen[i] {
			left = append(left, r)
		}
	}
	return left
}

// seenFrom tells whether any of some eyes sees a place.
func (s *subject) seenFrom(at, normal geom.Vec3, eyes []geom.Vec3) bool {
	return slices.ContainsFunc(eyes, func(eye geom.Vec3) bool {
		to := eye.Sub(at)
		far := to.Len()
		if to.Dot(normal) <= 0 {
			return false
		}
		_, blocked := s.Scene.See(at, to.Mul(1/far), far)
		return !blocked
	})
}

// eyes are where players and cameras look from.
func (s *subject) eyes() []geom.Vec3 {
	var fixed []geom.Vec3
	for _, v := range s.level.Viewpoints {
		if v.Enabled {
			fixed = append(fixed, s.world.Pose(&v.Entity).Position)
		}
	}
	for _, p := range s.level.Paths {
		for _, k := range p.Keys {
			fixed = append(fixed, geom.Vec3(k.Position))
		}
	}
	g := s.walkable()
	walked := make([]geom.Vec3, len(g.treads))
	for i := range g.treads {
		walked[i] = g.treads[i].at.Add(geom.Vec3{0, s.profile.Body.EyeM, 0})
	}
	if len(walked) == 0 {
		return nil // nobody walks here: cameras alone do not tell what is seen
	}
	return append(sampling.Evenly(walked, manyEyes-min(len(fixed), manyEyes/2)), sampling.Evenly(fixed, manyEyes/2)...)
}

// unlight takes the light from surfaces: from faces of solids, and from meshes that are hidden as a whole. Nil where it
// can do neither.
func (s *subject) unlight(all []hidden) *level.Operation {
	dark := map[string][]int{} // faces by entity
	for _, h := range all {
		f := &s.Scene.Surfaces[h.surface]
		dark[f.Body().Entity] = append(dark[f.Body().Entity], int(f.Face))
	}
	var steps []level.Operation
	for _, v := range s.level.Solids {
		if faces := dark[v.ID]; len(faces) > 0 {
			next := slices.Clone(v.Faces)
			for _, index := range faces {
				own := level.Face{Index: index, Surface: v.FaceSurface(index)}
				own.ReceivesLight = false
				next = slices.DeleteFunc(next, func(f level.Face) bool { return f.Index == index })
				next = append(next, own)
			}
			slices.SortFunc(next, func(a, b level.Face) int { return a.Index - b.Index })
			steps = append(steps, level.Set(v.ID, map[string]any{"faces": next}))
		}
	}
	lit := map[string]int{} // surfaces that have texels, by entity
	for i := range s.Layout.Charts {
		lit[s.Scene.Surfaces[s.Layout.Charts[i].Surface].Body().Entity]++
	}
	for _, v := range s.level.Meshes {
		if n := len(dark[v.ID]); n > 0 && n == lit[v.ID] {
			steps = append(steps, level.Set(v.ID, map[string]any{"surface.receives_light": false}))
		}
	}
	if len(steps) == 0 {
		return nil
	}
	fix := level.Batch(fmt.Sprintf("Take the light from %d surfaces that nobody sees", len(all)), steps...)
	return &fix
}
