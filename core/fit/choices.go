package fit

import (
	"fmt"
	"math"
	"slices"

	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/platform"
)

// This file lists what may become of a light.

// choice is one thing that may become of a light.
type choice struct {
	what    string
	fields  map[string]any
	light   *level.Light // as it then is; nil where it is out
	costs   costs
	dynamic bool
	merge   *merge // where another light shines for it
}

// variants are what a light may become, beside staying as it is and going out. Their fields are nil
// where it is not for this light.
var variants = []struct {
	what   string
	fields func(*level.Light) map[string]any
}{
	{"loses its shadow", func(l *level.Light) map[string]any {
		if !l.Shadows.Cast || l.Shadows.Depth == 0 {
			return nil
		}
		return map[string]any{"shadows.cast": false}
	}},
	{"ends at %g m in place of %g", func(l *level.Light) map[string]any { return shorter(l, 0.75) }},
	{"ends at %g m in place of %g", func(l *level.Light) map[string]any { return shorter(l, 0.5) }},
}

func shorter(l *level.Light, share float64) map[string]any {
	if l.RangeM == 0 || l.Kind == level.Directional {
		return nil
	}
	return map[string]any{"range_m": math.Round(l.RangeM*share*100) / 100}
}

// allowed tells whether all platforms have a kind.
func (f *fitter) allowed(kind string) bool {
	return !slices.ContainsFunc(f.profiles, func(p *platform.Profile) bool { return !slices.Contains(p.Lights.Kinds, kind) })
}

// standIn is a kind that all platforms have in place of one; "" where there is none.
func (f *fitter) standIn(kind string) string {
	for _, p := range f.profiles {
		if other := p.StandIn(kind); other != "" && f.allowed(other) {
			return other
		}
	}
	for _, other := range []string{level.Point, level.Spot, level.Directional} {
		if f.allowed(other) {
			return other
		}
	}
	return ""
}

// choicesOf lists what may become of a light; the first is that it stays.
func (f *fitter) choicesOf(l *level.Light) []choice {
	list := []choice{{light: l, dynamic: l.Bake != "baked"}}
	add := func(what string, fields map[string]any) {
		next := edited(l, fields)
		list = append(list, choice{what: what, fields: fields, light: next, dynamic: next.Bake != "baked"})
	}
	if slices.Contains(f.keep, l.ID) {
		return list
	}
	base, kind := map[string]any{}, ""
	if !f.allowed(l.Kind) {
		if kind = f.standIn(l.Kind); kind == "" {
			return append(list, choice{what: "goes out", fields: map[string]any{"enabled": false}})
		}
		base = check.Becomes(l, kind)
		add("becomes a "+kind+" light", base)
		// As bright along its axis is too much where it was narrow; as much light in all may be nearer.
		if as := edited(l, base); l.Lumens() > 0 && as.Lumens() > 0 {
			even := merged(base, map[string]any{"strength": as.Strength * l.Lumens() / as.Lumens()})
			add("becomes a "+kind+" light of as many lumens", even)
			if l.Shadows.Cast {
				add("becomes a "+kind+" light of as many lumens and loses its shadow", merged(even, map[string]any{"shadows.cast": false}))
			}
		}
	}
	// What a light is baked as goes with each of the other changes.
	bakes := []map[string]any{{}}
	if l.Bake == "dynamic" && l.Flicker == nil && !f.carried(l) {
		bakes = append(bakes, map[string]any{"bake": "baked"})
	}
	for _, baked := range bakes {
		if len(baked) > 0 {
			add(join(kind, "is baked"), merged(base, baked))
		}
		for _, v := range variants {
			fields := v.fields(l)
			if fields == nil {
				continue
			}
			what := v.what
			if m, ok := fields["range_m"].(float64); ok {
				what = fmt.Sprintf(what, m, l.RangeM)
			}
			if len(baked) > 0 {
				what += " and is baked"
			}
			add(join(kind, what), merged(merged(base, baked), fields))
		}
	}
	return append(list, choice{what: "goes out", fields: map[string]any{"enabled": false}})
}

// edited is a light with the fields that a choice sets.
func edited(l *level.Light, fields map[string]any) *level.Light {
	next := *l
	number := func(name string, of *float64) {
		if v, ok := fields[name].(float64); ok {
			*of = v
		}
	}
	number("strength", &next.Strength)
	number("range_m", &next.RangeM)
	number("inner_deg", &next.InnerDeg)
	number("outer_deg", &next.OuterDeg)
	if v, ok := fields["kind"].(string); ok {
		next.Kind = v
	}
	if v, ok := fields["bake"].(string); ok {
		next.Bake = v
	}
	if v, ok := fields["shadows.cast"].(bool); ok {
		next.Shadows.Cast = v
	}
	return &next
}

func join(kind, what string) string {
	if kind == "" {
		return what
	}
	return "becomes a " + kind + " light and " + what
}

func merged(a, b map[string]any) map[string]any {
	out := map[string]any{}
	for _, m := range []map[string]any{a, b} {
		for k, v := range m {
			out[k] = v
		}
	}
	return out
}

// carried tells whether a light hangs on something that moves or can be broken.
func (f *fitter) carried(l *level.Light) bool {
	_, c := f.carriers.Of(l)
	return c != nil
}

// beamsKept are the changes that keep the beams of a spot as wide as they are when it becomes a light
// without a cone.
func (f *fitter) beamsKept(was, now *level.Light) (steps []level.Operation) {
	if was.Kind != level.Spot || now == nil || now.Kind == level.Spot {
		return nil
	}
	for _, b := range f.level.Beams {
		if b.Light == was.ID && b.Form == "cone" {
			steps = append(steps, level.Set(b.ID, map[string]any{"angle_deg": min(80, was.OuterDeg)}))
		}
	}
	return steps
}
