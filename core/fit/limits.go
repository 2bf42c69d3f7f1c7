package fit

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/overlap"
	"grotta/core/platform"
)

// This file makes rows of the limits of platforms.

// limit makes the rows of all limits but that of shadows at a point, whose places are found as they come.
func (f *fitter) limit() {
	world := f.level.World()
	for n, p := range f.profiles {
		add := func(what string, limit *platform.Limit, of func(i, n int, c *choice) bool) {
			if limit != nil {
				f.addRow(n, what, limit.Max, of)
			}
		}
		on := func(_, _ int, c *choice) bool { return c.light != nil }
		add("lights", p.Limits.Lights, on)
		add("dynamic lights", p.Lights.Dynamic, func(_, _ int, c *choice) bool { return c.light != nil && c.dynamic })
		for _, z := range f.level.Zones {
			add("lights in "+cmp.Or(z.Name, z.ID), p.Limits.ZoneLights, func(i, _ int, c *choice) bool {
				return c.light != nil && c.light.Kind != level.Directional && world.ZoneOf(&f.lights[i].Entity) == z
			})
		}
		views := map[string][]geom.Vec3{}
		for _, s := range f.spots {
			if s.View != "" {
				views[s.View] = append(views[s.View], s.Point)
			}
		}
		for _, v := range f.level.Viewpoints {
			add("lights in the view of "+cmp.Or(v.Name, v.ID), p.Limits.ViewLights, func(i, _ int, c *choice) bool {
				if c.light == nil {
					return false
				}
				reach := overlap.Reach(c.light, world.Pose(&f.lights[i].Entity), cmp.Or(c.light.RangeM, math.Inf(1)))
				return slices.ContainsFunc(views[v.ID], func(at geom.Vec3) bool { return reach.Contains(at) })
			})
		}
	}
	f.mergeRows()
	f.reachRows()
}

func (f *fitter) addRow(profile int, what string, most float64, of func(i, n int, c *choice) bool) {
	r := row{most: most, uses: make([][]bool, len(f.lights))}
	for i := range f.lights {
		for n := range f.choices[i] {
			if of(i, n, &f.choices[i][n]) {
				if r.uses[i] == nil {
					r.uses[i] = make([]bool, len(f.choices[i]))
				}
				r.uses[i][n] = true
			}
		}
	}
	f.keepRow(profile, what, r)
}

func (f *fitter) keepRow(profile int, what string, r row) {
	f.rows, f.words, f.of = append(f.rows, r), append(f.words, what), append(f.of, profile)
}

// dropHopeless leaves limits out that not even the choices that use least can keep.
func (f *fitter) dropHopeless(plan *Plan) {
	for r := len(f.rows) - 1; r >= 0; r-- {
		if f.least(r) > f.rows[r].most {
			f.leave(plan, r)
		}
	}
}

// least is how much of a row is used at the least.
func (f *fitter) least(r int) float64 {
	n := 0.0
	for i := range f.lights {
		if uses := f.rows[r].uses[i]; uses != nil && !slices.Contains(uses, false) {
			n++
		}
	}
	return n
}

func (f *fitter) leave(plan *Plan, r int) {
	plan.Left = append(plan.Left, fmt.Sprintf("%s: %s cannot keep to %g with what is kept", f.profiles[f.of[r]].Name, f.words[r], f.rows[r].most))
	f.rows, f.words, f.of = slices.Delete(f.rows, r, r+1), slices.Delete(f.words, r, r+1), slices.Delete(f.of, r, r+1)
}

// giveUp leaves the tightest limit out.
func (f *fitter) giveUp(plan *Plan) bool {
	worst, room := -1, math.Inf(1)
	for r := range f.rows {
		if f.of[r] == noPlatform {
			continue
		}
		if left := f.rows[r].most - f.least(r); left < room {
			worst, room = r, left
		}
	}
	if worst < 0 {
		return false
	}
	f.leave(plan, worst)
	return true
}

// shadowsOver adds a row for every place in which too many shadows meet; false where there is none.
func (f *fitter) shadowsOver(chosen []int) bool {
	world := f.level.World()
	bounds := f.from.Scene.Bounds
	if bounds.Empty() {
		return false
	}
	margin := geom.Vec3{0.5, 0.5, 0.5}
	bounds.Min, bounds.Max = bounds.Min.Sub(margin), bounds.Max.Add(margin)
	found := false
	for n, p := range f.profiles {
		limit := p.Limits.ShadowOverlap
		if limit == nil {
			continue
		}
		var volumes []overlap.Volume
		for i, l := range f.lights {
			if c := f.choices[i][chosen[i]]; c.light != nil {
				if v, ok := overlap.Shadow(c.light, world.Pose(&l.Entity)); ok {
					volumes = append(volumes, v)
				}
			}
		}
		allowed := limit.Max - limit.Reserve
		places, _ := overlap.Places(volumes, bounds, allowed)
		for _, place := range places {
			before := len(f.rows)
			f.addRow(n, fmt.Sprintf("shadows at %.1f, %.1f, %.1f", place.Point[0], place.Point[1], place.Point[2]), float64(allowed), func(i, _ int, c *choice) bool {
				if c.light == nil {
					return false
				}
				v, ok := overlap.Shadow(c.light, world.Pose(&f.lights[i].Entity))
				return ok && v.Contains(place.Point)
			})
			if f.least(before) > f.rows[before].most {
				f.rows, f.words, f.of = f.rows[:before], f.words[:before], f.of[:before] // only what is kept meets there
				continue
			}
			found = true
		}
	}
	return found
}

// need are the platforms that would refuse the plan without one of its steps.
func (f *fitter) need(chosen []int, item int) []string {
	without := slices.Clone(chosen)
	without[item] = 0
	var names []string
	for n, p := range f.profiles {
		needs := !slices.Contains(p.Lights.Kinds, f.lights[item].Kind)
		for r := range f.rows {
			needs = needs || f.of[r] == n && f.rows[r].excess(without) > 0
		}
		if needs {
			names = append(names, p.Name)
		}
	}
	return names
}
