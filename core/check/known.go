package check

import (
	"slices"

	"grotta/core/level"
	"grotta/core/source"
)

// This file keeps what was found of each light by itself, so that an edit of one light asks rays for that one and not
// for all.

// known is what was found of a light of the level.
type known struct {
	shine   *shine
	reached *[]int32 // surfaces; see reach.go
	direct  *float64 // the light of all sources where this one is brightest, lux
}

func (s *subject) knownOf(l *level.Light) *known {
	k := s.kept.lights[l.ID]
	if k == nil {
		k = &known{}
		s.kept.lights[l.ID] = k
	}
	return k
}

// keepLights takes over what is known of the lights that are the same in an earlier level of the same geometry.
func (sub *Subject) keepLights(earlier *Subject) {
	before := map[string]*source.Source{}
	for i := range earlier.p.Sources {
		before[earlier.p.Sources[i].ID] = &earlier.p.Sources[i]
	}
	same := map[string]bool{}
	var changed []*source.Source // as they were, and as they are
	for i := range sub.p.Sources {
		now := &sub.p.Sources[i]
		was := before[now.ID]
		delete(before, now.ID)
		if was != nil && was.Weight == now.Weight && was.Digest() == now.Digest() {
			same[now.ID] = true
			continue
		}
		if changed = append(changed, now); was != nil {
			changed = append(changed, was)
		}
	}
	for _, gone := range before {
		changed = append(changed, gone)
	}
	lights := map[string]*level.Light{}
	for _, l := range earlier.p.Scene.Level.Lights {
		lights[l.ID] = l
	}
	for _, l := range sub.p.Scene.Level.Lights {
		k := earlier.lights[l.ID]
		if k == nil || !same[l.ID] || lights[l.ID] != l {
			continue
		}
		kept := *k
		if kept.direct != nil && sub.anyLights(changed, k.shine.place) {
			kept.direct = nil
		}
		sub.lights[l.ID] = &kept
	}
}

// keepGround takes over where one can walk in an earlier level of the same geometry, if it is looked at from the same
// places. How light it is there is asked again.
func (sub *Subject) keepGround(earlier *Subject) {
	was, now := earlier.p.Scene.Level, sub.p.Scene.Level
	rides := slices.ContainsFunc(now.Viewpoints, func(v *level.Viewpoint) bool { return v.Parent != "" }) // on what may have moved
	if rides || !slices.Equal(was.Viewpoints, now.Viewpoints) || !slices.Equal(was.Paths, now.Paths) {
		return
	}
	for body, g := range earlier.grounds {
		next := *g
		next.treads = slices.Clone(g.treads)
		for i := range next.treads {
			next.treads[i].lux = -1
		}
		sub.grounds[body] = &next
	}
}

// anyLights tells whether a place has direct light of any of some sources.
func (sub *Subject) anyLights(sources []*source.Source, r *source.Receiver) bool {
	for _, src := range sources {
		if lux := weighed(sub.p.Scene, src, r); lux != 0 {
			return true
		}
	}
	return false
}
