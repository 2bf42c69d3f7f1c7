package platform

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"grotta/core/intake"
	"grotta/core/level"
	"grotta/core/yaml"
)

// Severities are what a profile may make of a rule.
var Severities = []string{"off", "advice", "warning", "error"}

// withLines adds to each fault the line of the profile's text that it is on.
func withLines(text []byte, err error) error {
	var invalid *level.Invalid
	if !errors.As(err, &invalid) {
		return err
	}
	for i := range invalid.Faults {
		f := &invalid.Faults[i]
		if line := yaml.Line(text, f.Path); line > 0 && f.Path != "" {
			f.Message += fmt.Sprintf(" (line %d)", line)
		}
	}
	return invalid
}

// IntakeRules are the platform's rules for what comes in; nil where it has none.
func (p *Profile) IntakeRules() *intake.Rules {
	if len(p.ImportRules) == 0 {
		return nil
	}
	return &intake.Rules{Format: intake.Format, Name: p.Name, Rules: p.ImportRules}
}

// contradictions are what the fields of a profile say against each other.
func (p *Profile) contradictions() (faults []level.Fault) {
	fault := func(path, format string, args ...any) {
		faults = append(faults, level.Fault{Path: path, Message: fmt.Sprintf(format, args...)})
	}
	if o := p.Limits.ShadowOverlap; o != nil && o.Reserve >= o.Max {
		fault("/limits/shadow_overlap/reserve", "is %d of %d; nothing is left for the level's own lights", o.Reserve, o.Max)
	}
	if p.Limits.Lights != nil && p.Limits.ZoneLights != nil && p.Limits.ZoneLights.Max > p.Limits.Lights.Max {
		fault("/limits/zone_lights/max", "is %g, more than the %g in all", p.Limits.ZoneLights.Max, p.Limits.Lights.Max)
	}
	if rules := p.IntakeRules(); rules != nil {
		var bad *level.Invalid
		if errors.As(rules.Validate(), &bad) {
			for _, f := range bad.Faults {
				fault(strings.Replace(f.Path, "/rules", "/import_rules", 1), "%s", f.Message)
			}
		}
	}
	if p.Body.EyeM > p.Body.HeightM {
		fault("/body/eye_m", "is %g, over the height of %g", p.Body.EyeM, p.Body.HeightM)
	}
	for i, d := range p.Limits.Densities {
		if slices.Contains(p.Limits.Densities[:i], d) {
			fault(fmt.Sprintf("/limits/densities/%d", i), "is %g a second time", d)
		}
	}
	for _, rule := range slices.Sorted(maps.Keys(p.Severities)) {
		if word := p.Severities[rule]; !slices.Contains(Severities, word) {
			fault("/severities/"+rule, "is %q; there are %s", word, strings.Join(Severities, ", "))
		}
	}
	for i, t := range p.Tiers {
		if slices.ContainsFunc(p.Tiers[:i], func(o Tier) bool { return o.Name == t.Name }) {
			fault(fmt.Sprintf("/tiers/%d/name", i), "is %q a second time", t.Name)
		}
	}
	for _, list := range []struct {
		path   string
		values []string
	}{{"/air/fog", p.Air.Fog}, {"/air/glows", p.Air.Glows}} {
		if len(list.values) > 1 && slices.Contains(list.values, "none") {
			fault(list.path, "has none beside others")
		}
	}
	return append(faults, p.replacements()...)
}

// replacements are the faults of the kinds that stand in for others.
func (p *Profile) replacements() (faults []level.Fault) {
	fault := func(kind, format string, args ...any) {
		faults = append(faults, level.Fault{Path: "/lights/instead/" + kind, Message: fmt.Sprintf(format, args...)})
	}
	kinds := []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube}
	for _, kind := range slices.Sorted(maps.Keys(p.Lights.Instead)) {
		other := p.Lights.Instead[kind]
		switch {
		case !slices.Contains(kinds, kind):
			fault(kind, "is no kind of light; there are %s", strings.Join(kinds, ", "))
		case !slices.Contains(kinds, other):
			fault(kind, "is %q, which is no kind of light; there are %s", other, strings.Join(kinds, ", "))
		case slices.Contains(p.Lights.Kinds, kind):
			fault(kind, "stands for a kind that the target has")
		case !slices.Contains(p.Lights.Kinds, p.StandIn(kind)):
			fault(kind, "ends at no kind that the target has; it goes %s", strings.Join(p.chain(kind), " -> "))
		}
	}
	return faults
}

// chain is a kind and what stands in for it, and so on; it ends where it would come to a kind again.
func (p *Profile) chain(kind string) []string {
	way := []string{kind}
	for {
		next, ok := p.Lights.Instead[kind]
		if !ok {
			return way
		}
		way = append(way, next)
		if slices.Contains(way[:len(way)-1], next) {
			return way
		}
		kind = next
	}
}

// StandIn is the kind that the target has in place of one that it lacks; "" where it has none.
func (p *Profile) StandIn(kind string) string {
	way := p.chain(kind)
	if last := way[len(way)-1]; slices.Contains(p.Lights.Kinds, last) {
		return last
	}
	return ""
}
