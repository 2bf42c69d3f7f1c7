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
	mostMerged = 300 // lights of a level in which merging is tried: each may need a row of its own
)

// merge is what makes one light shine for another.
type merge struct {
	into  int     // the light that stays
	times float64 // what its strength is multiplied by
}

// mergesOf are the choices of a light to go out while a neighbour of its kind and colour, in its zone, gets its lumens.
func (f *fitter) mergesOf(i int) (list []choice) {
	l := f.lights[i]
	if len(f.lights) > mostMerged || !f.merges(l) {
		return nil
	}
	world := f.level.World()
	at := world.Pose(&l.Entity).Position
	hue, _ := f.level.Color(l).Swatch()
	type neighbour struct {
		item int
		m    float64
	}
	var near []neighbour
	for k, o := range f.lights {
		d := world.Pose(&o.Entity).Position.Sub(at).Len()
		if k == i || o.Kind != l.Kind || d > nearM || !f.merges(o) || world.ZoneOf(&o.Entity) != world.ZoneOf(&l.Entity) {
			continue
		}
		other, _ := f.level.Color(o).Swatch()
		if max(math.Abs(hue[0]-other[0]), math.Abs(hue[1]-other[1]), math.Abs(hue[2]-other[2])) <= likeness {
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

// merges tells whether a light may give its light away, or take another's.
func (f *fitter) merges(l *level.Light) bool {
	return l.Lumens() > 0 && l.Flicker == nil && !f.carried(l) && !slices.Contains(f.keep, l.ID)
}

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
