package check

import (
	"cmp"
	"fmt"
	"slices"

	"grotta/core/level"
)

// Rules on how the target has a light: baked into surfaces, or by itself while the
// level is played.

func dynamicLights(s *subject) []Finding {
	limit := s.profile.Lights.Dynamic
	var names []string
	for _, l := range s.shining() {
		if l.Bake != "baked" {
			names = append(names, l.ID)
		}
	}
	if limit == nil || float64(len(names)) <= limit.Max {
		return nil
	}
	return []Finding{{
		Severity: Error, Count: float64(len(names)), Limit: limit.Max, Why: limit.Why, Entities: names,
		Message: fmt.Sprintf("%d lights are dynamic; %s takes %.0f", len(names), s.profile.Name, limit.Max),
	}}
}

// carriedLights finds baked lights on things that move or can be broken: a lamp
// that dies with its fixture, a torch that follows its bearer.
func carriedLights(s *subject) []Finding {
	carriers := map[string]*level.Carrier{}
	parents := map[string]string{}
	for _, v := range s.level.Solids {
		carriers[v.ID], parents[v.ID] = &v.Carrier, v.Parent
	}
	for _, v := range s.level.Meshes {
		carriers[v.ID], parents[v.ID] = &v.Carrier, v.Parent
	}
	for _, v := range s.level.Lights {
		parents[v.ID] = v.Parent
	}
	var found []Finding
	for _, l := range s.shining() {
		if l.Bake == "dynamic" {
			continue
		}
		for at := l.Parent; at != ""; at = parents[at] {
			c := carriers[at]
			if c == nil || !c.Moves && !c.Breakable {
				continue
			}
			name := cmp.Or(l.Name, l.ID)
			what := "can be broken, and the light would shine on"
			if c.Moves {
				what = "moves, and the light would stay behind"
			}
			fix := level.Set(l.ID, map[string]any{"bake": "dynamic"})
			fix.Label = fmt.Sprintf("Make %s dynamic", name)
			found = append(found, Finding{
				Severity: Warning, Entities: []string{l.ID, at}, Point: s.place(&l.Entity), Zone: zoneID(s.world.ZoneOf(&l.Entity)), Fix: &fix,
				Message: fmt.Sprintf("%s is %s, and its carrier %s %s", name, l.Bake, at, what),
			})
			break
		}
	}
	return found
}

// backsOfSurfaces compares what the level is baked with to what the target does.
func backsOfSurfaces(s *subject) []Finding {
	want := s.profile.Lights.Backs
	if s.level.Lightmap.Backs == want || len(s.level.Meshes) == 0 {
		return nil
	}
	fix := level.Set("", map[string]any{"lightmap.backs": want})
	fix.Label = fmt.Sprintf("Let backs %s light", want)
	return []Finding{{
		Severity: Advice, Fix: &fix,
		Message: fmt.Sprintf("backs of one-sided surfaces %s light in the bake; on %s they %s it", s.level.Lightmap.Backs, s.profile.Name, want),
	}}
}

// densities finds surfaces whose density the target does not have.
func densities(s *subject) []Finding {
	allowed := s.profile.Limits.Densities
	if len(allowed) == 0 {
		return nil
	}
	var odd []string
	for i := range s.Scene.Surfaces {
		f := &s.Scene.Surfaces[i]
		if f.Finish().Roles.ReceivesLight && !slices.Contains(allowed, f.Finish().DensityM) && !slices.Contains(odd, f.Body().Entity) {
			odd = append(odd, f.Body().Entity)
		}
	}
	if len(odd) == 0 {
		return nil
	}
	return []Finding{{
		Severity: Warning, Entities: odd[:min(len(odd), 20)], Count: float64(len(odd)),
		Message: fmt.Sprintf("%d things have a density that %s lacks; it has %v texels a metre (a plan of densities keeps to them)", len(odd), s.profile.Name, allowed),
	}}
}
