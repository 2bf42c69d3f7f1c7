package fit

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/level"
)

// This file lets a light go out and a neighbour shine for it.

const (
	nearM      = 4   // no farther apart are lights that are tried as one
	neighbours = 2   // that are tried for each light
	likeness   = 0.2 // most that a channel of their colours differs, at full brightness
)

// merge is what makes one light shine for another.
type merge struct {
	into  int     // the light that stays
	times float64 // what its strength is multiplied by
}

// mergesOf are the choices of a light to go out while a neighbour of its kind and colour, in its zone, gets its lumens.
func (f *fitter) mergesOf(i int) (list []choice) {
	l := f.lights[i]
	if slices.Contains(f.keep, l.ID) || l.Lumens() <= 0 || l.Flicker != nil || f.carried(l) || !l.Surfaces {
		return nil
	}
	world := f.level.World()
	at, hue := world.Pose(&l.Entity).Position, f.level.Color(l)
	type neighbour struct {
		item int
		m    float64
	}
	var near []neighbour
	for k, o := range f.lights {
		if k == i || o.Kind != l.Kind || o.Lumens() <= 0 || o.Flicker != nil || !o.Surfaces || slices.Contains(f.keep, o.ID) || f.carried(o) ||
			world.ZoneOf(&o.Entity) != world.ZoneOf(&l.Entity) {
			continue
		}
		other, alike := f.level.Color(o), true
		for c := range 3 {
			alike = alike && math.Abs(hue[c]/hueTop(hue)-other[c]/hueTop(other)) <= likeness
		}
		if d := world.Pose(&o.Entity).Position.Sub(at).Len(); alike && d <= nearM {
			near = append(near, neighbour{k, d})
		}
	}
	slices.SortStableFunc(near, func(a, b neighbour) int { return cmp.Compare(a.m, b.m) })
	for _, n := range near[:min(len(near), neighbours)] {
		o := f.lights[n.item]
		// Rigs multiply strengths: what counts is what each sends out in the level.
		share := l.Lumens() * f.level.Strength(l) / l.Strength / (o.Lumens() * f.level.Strength(o) / o.Strength)
		if math.IsInf(share, 0) || math.IsNaN(share) || share > 4 {
			continue // a large light is not made of a small one
		}
		list = append(list, choice{what: "gives its light to " + cmp.Or(o.Name, o.ID), fields: map[string]any{"enabled": false}, merge: &merge{n.item, 1 + share}})
	}
	return list
}

func hueTop(c [3]float64) float64 { return max(c[0], c[1], c[2], 1e-9) }

// mergeRows hold that a light which shines for another stays, keeps its strength otherwise, and shines for one only.
func (f *fitter) mergeRows() {
	for k, o := range f.lights {
		takes := false
		for i := range f.lights {
			takes = takes || slices.ContainsFunc(f.choices[i], func(c choice) bool { return c.merge != nil && c.merge.into == k })
		}
		if takes {
			f.addRow(noPlatform, "lights in one with "+cmp.Or(o.Name, o.ID), 1, func(i, _ int, c *choice) bool {
				return c.merge != nil && c.merge.into == k || i == k && (c.light == nil || c.fields["strength"] != nil)
			})
		}
	}
}

// noPlatform is whose row it is that every plan has to keep.
const noPlatform = -1

// mergeSteps are the changes that a merge brings beside the light that goes out: the neighbour's strength, and whose
// colour its glows take.
func (f *fitter) mergeSteps(l *level.Light, m *merge) []level.Operation {
	o := f.lights[m.into]
	steps := []level.Operation{level.Set(o.ID, map[string]any{"strength": o.Strength * m.times})}
	for _, g := range f.level.Glows {
		if g.ColorFrom == l.ID {
			steps = append(steps, level.Set(g.ID, map[string]any{"color_from": o.ID}))
		}
	}
	return steps
}
