package fit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
)

// This file makes rows of the limits on lights that reach surfaces.

// mostSurfaces is how many surfaces that are over the limit become rows at once, the worst first.
const mostSurfaces = 48

// reachOf are the surfaces that a light reaches when it is what a choice makes of it, in order.
func (f *fitter) reachOf(i, n int) []int32 {
	c := &f.choices[i][n]
	if c.light == nil {
		return nil
	}
	if f.reach == nil {
		f.reach = map[[2]int][]int32{}
	}
	known, ok := f.reach[[2]int{i, n}]
	if !ok {
		known = f.sub.Reached(c.light)
		slices.Sort(known)
		f.reach[[2]int{i, n}] = known
	}
	return known
}

// reachRows forbid what makes a light reach more surfaces than a platform takes of one.
func (f *fitter) reachRows() {
	for p, profile := range f.profiles {
		limit := profile.Limits.LightSurfaces
		if limit == nil || float64(len(f.from.Scene.Surfaces)) <= limit.Max {
			continue
		}
		for i, l := range f.lights {
			uses := make([]bool, len(f.choices[i]))
			for n := range uses {
				uses[n] = float64(len(f.reachOf(i, n))) > limit.Max
			}
			if !slices.Contains(uses, true) {
				continue
			}
			r := row{uses: make([][]bool, len(f.lights))}
			r.uses[i] = uses
			f.keepRow(p, "surfaces of "+cmp.Or(l.Name, l.ID), r)
		}
	}
}

// surfacesOver adds a row for every surface that too many lights reach; false where there is none.
func (f *fitter) surfacesOver(chosen []int) bool {
	found := false
	for p, profile := range f.profiles {
		limit := profile.Limits.SurfaceLights
		if limit == nil || float64(len(f.lights)) <= limit.Max {
			continue
		}
		count := map[int32]int{}
		for i, n := range chosen {
			for _, surface := range f.reachOf(i, n) {
				count[surface]++
			}
		}
		over := slices.DeleteFunc(slices.Sorted(maps.Keys(count)), func(s int32) bool { return float64(count[s]) <= limit.Max })
		slices.SortStableFunc(over, func(a, b int32) int { return count[b] - count[a] })
		for _, surface := range over[:min(len(over), mostSurfaces)] {
			before := len(f.rows)
			thing := f.from.Scene.Surfaces[surface].Body().Entity
			f.addRow(p, fmt.Sprintf("lights on a surface of %s", thing), limit.Max, func(i, n int, _ *choice) bool {
				_, reached := slices.BinarySearch(f.reachOf(i, n), surface)
				return reached
			})
			if f.least(before) > f.rows[before].most {
				f.rows, f.words, f.of = f.rows[:before], f.words[:before], f.of[:before] // only what is kept reaches it
				continue
			}
			found = true
		}
	}
	return found
}
