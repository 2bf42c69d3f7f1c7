package mirror

import (
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// Place is from where what surfaces mirror is captured, and the box that it serves.
type Place struct {
	ID   string // of the reflection; "" where the level has none of its own
	At   geom.Vec3
	Half geom.Vec3 // half the sides of the box, along the axes
	Side int       // texels of a quarter turn
}

// MostPlaces is how many reflections of a level are captured for what its materials mirror.
const MostPlaces = 64

// endless is half the side of a box that is so large that the place within it does not matter, in metres.
const endless = 1e5

// PlacesOf are the reflections of a level that are on, the first 64 of them. A level without any gets them for its zones, or else
// one for all of it at its first viewpoint, or in the middle of its bounds; where that is within a block, over the
// whole level.
func PlacesOf(sc *scene.Scene) []Place {
	l, bounds := sc.Level, sc.Bounds
	var places []Place
	for _, r := range l.Reflections {
		if r.Enabled && len(places) < MostPlaces {
			places = append(places, Place{r.ID, sc.World.Pose(&r.Entity).Position, geom.Vec3(r.Size).Mul(0.5), r.Side})
		}
	}
	if len(l.Reflections) > 0 || bounds.Empty() {
		return places
	}
	for _, r := range AutoReflections(l) {
		if len(places) == MostPlaces {
			break
		}
		places = append(places, Place{"", geom.Vec3(r.Transform.Position), geom.Vec3(r.Size).Mul(0.5), r.Side})
	}
	if len(places) > 0 {
		return places
	}
	whole := Place{At: bounds.Min.Add(bounds.Max).Mul(0.5), Half: geom.Vec3{endless, endless, endless}, Side: level.Default[level.Reflection]().Side}
	if len(l.Viewpoints) > 0 {
		whole.At = sc.World.Pose(&l.Viewpoints[0].Entity).Position
	}
	if sc.Inside(whole.At) != "" {
		whole.At[1] = bounds.Max[1] + 1
	}
	return []Place{whole}
}

// Serving is which of count places serves a point: of those whose box holds it the smallest, else the
// nearest; -1 where there is none.
func Serving(count int, place func(int) *Place, at geom.Vec3) int {
	best, rank := -1, math.Inf(1)
	for i := range count {
		p := place(i)
		order := 1e9 + at.Sub(p.At).Len()
		if p.holds(at) {
			order = p.Half[0] * p.Half[1] * p.Half[2] / 1e12
		}
		if order < rank {
			best, rank = i, order
		}
	}
	return best
}

func (p *Place) holds(at geom.Vec3) bool {
	for axis := range 3 {
		if math.Abs(at[axis]-p.At[axis]) > p.Half[axis] {
			return false
		}
	}
	return true
}

// seen is the direction in which the place itself sees what a ray from a point in its box meets, taking the
// sides of the box for what is met (Lagarde and Zanuttini, "Local image-based lighting with
// parallax-corrected cubemaps", 2012). Outside of the box it is the ray's own.
func (p *Place) seen(at, dir geom.Vec3) geom.Vec3 {
	if !p.holds(at) {
		return dir
	}
	far := math.Inf(1)
	for axis := range 3 {
		if dir[axis] != 0 {
			side := p.At[axis] + math.Copysign(p.Half[axis], dir[axis])
			far = min(far, (side-at[axis])/dir[axis])
		}
	}
	to := at.Add(dir.Mul(far)).Sub(p.At)
	if to.Len() == 0 {
		return dir
	}
	return to.Normalize()
}

// AutoReflections are reflections for the zones of a level that have none: one in
// the middle of each of their boxes.
func AutoReflections(l *level.Level) []*level.Reflection {
	var all []*level.Reflection
	named := *l // grows by them, so that each gets an id of its own
	for _, z := range l.Zones {
		if slices.ContainsFunc(l.Reflections, func(r *level.Reflection) bool { return r.Zone == z.ID }) {
			continue
		}
		for _, b := range z.Boxes {
			r := level.Default[level.Reflection]()
			r.ID, r.Zone = named.FreshID("reflection-"+z.ID), z.ID
			for axis := range 3 {
				r.Size[axis] = b.Max[axis] - b.Min[axis]
				r.Transform.Position[axis] = (b.Max[axis] + b.Min[axis]) / 2
			}
			all = append(all, &r)
			named.Reflections = append(slices.Clip(named.Reflections), &r)
		}
	}
	return all
}
