package fit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/platform"
)

// This file settles what no choice of lights can.

// settle takes the fixes of the checks for what no change of lights can do: pages, densities, motes,
// glows. What then is still refused is told.
func (f *fitter) settle(plan *Plan) error {
	now := f.level
	all := level.Batch("Fit " + f.names())
	apply := func(op level.Operation) error {
		next, _, err := now.Apply(op)
		if err == nil {
			now = next
			all.Steps = append(all.Steps, op)
		}
		return err
	}
	for _, s := range plan.Steps {
		if err := apply(s.Operation); err != nil {
			return err
		}
	}
	if err := f.thin(now, plan, apply); err != nil {
		return err
	}
	if err := f.unlight(now, plan, apply); err != nil {
		return err
	}
	for range 4 {
		sub, err := f.subjectOf(now)
		if err != nil {
			return err
		}
		if !f.fixOne(sub, now, plan, apply) {
			break
		}
	}
	sub, err := f.subjectOf(now)
	if err != nil {
		return err
	}
	plan.Left = slices.Compact(append(plan.Left, f.refused(sub)...))
	slices.SortStableFunc(plan.Steps, leastVisible)
	if len(all.Steps) > 0 {
		plan.Operation = &all
	}
	return nil
}

// leastVisible orders steps by what they cost; those that are not measured come last.
func leastVisible(a, b Step) int {
	if a.Measured != b.Measured {
		if a.Measured {
			return -1
		}
		return 1
	}
	return cmp.Compare(a.Mean, b.Mean)
}

// subjectOf is a level that was edited from the one that is fitted, ready for checks.
func (f *fitter) subjectOf(l *level.Level) (*check.Subject, error) {
	p, err := f.from.Again(l)
	if err != nil {
		return nil, err
	}
	return f.sub.Again(p), nil
}

// fixOne takes the first fix that each platform's check offers for an error that is not about the choice of
// lights, and tells whether it took any. How long the build takes is not asked: that takes long itself, and has no fix.
func (f *fitter) fixOne(sub *check.Subject, now *level.Level, plan *Plan, apply func(level.Operation) error) (took bool) {
	for _, profile := range f.profiles {
		quick := *profile
		quick.Build.Minutes = nil
		for _, finding := range sub.Against(&quick).Findings {
			if isRefused(&finding) && finding.Fix != nil && !isChosen(&finding) && apply(*finding.Fix) == nil {
				plan.Steps = append(plan.Steps, f.step(now, "", *finding.Fix, profile))
				took = true
				break // the next check sees what it did
			}
		}
	}
	return took
}

// refused is what platforms still refuse.
func (f *fitter) refused(sub *check.Subject) (still []string) {
	for _, profile := range f.profiles {
		for _, finding := range sub.Against(profile).Findings {
			if isRefused(&finding) {
				still = append(still, profile.Name+": "+finding.Message)
			}
		}
	}
	return still
}

func isRefused(f *check.Finding) bool { return f.Severity == check.Error && f.Waived == "" }

// isChosen tells whether a finding is about the choice of lights.
func isChosen(f *check.Finding) bool {
	return f.Rule == "limits.shadow-overlap" || f.Rule == "support.light-kind"
}

func (f *fitter) names() string {
	var names []string
	for _, p := range f.profiles {
		names = append(names, p.Name)
	}
	return strings.Join(names, ", ")
}

// step is an operation on a level with what it costs.
func (f *fitter) step(now *level.Level, entity string, op level.Operation, profile *platform.Profile) Step {
	s := Step{Entity: entity, What: op.Label, Platforms: []string{profile.Name}, Operation: op}
	if after, _, err := now.Apply(op); err == nil {
		var c costs
		if c, s.Measured = f.costOf(now, after); s.Measured {
			s.Mean, s.P95 = c.mean, c.p95
		}
	}
	return s
}

// thin hides the glows and fog volumes that show least, where there are too many.
func (f *fitter) thin(l *level.Level, plan *Plan, apply func(level.Operation) error) error {
	var glows, fogs []*level.Entity
	for _, g := range l.Glows {
		if l.GlowRadiance(g).Luminance() > 0 {
			glows = append(glows, &g.Entity)
		}
	}
	for _, v := range l.FogVolumes {
		if v.Enabled && v.Density > 0 {
			fogs = append(fogs, &v.Entity)
		}
	}
	if err := f.hide("glow", func(p *platform.Profile) *platform.Limit { return p.Limits.Glows }, l, glows, plan, apply); err != nil {
		return err
	}
	return f.hide("fog volume", func(p *platform.Profile) *platform.Limit { return p.Limits.FogVolumes }, l, fogs, plan, apply)
}

// hide switches the things off that show least, one by one, until each platform takes what is left.
func (f *fitter) hide(what string, limit func(*platform.Profile) *platform.Limit, l *level.Level, things []*level.Entity, plan *Plan, apply func(level.Operation) error) error {
	over := slices.ContainsFunc(f.profiles, func(p *platform.Profile) bool {
		most := limit(p)
		return most != nil && float64(len(things)) > most.Max
	})
	if !over {
		return nil
	}
	steps := make([]Step, len(things))
	err := parallel.Each(f.ctx, len(things), func(i int) {
		op := level.Set(things[i].ID, map[string]any{"enabled": false})
		op.Label = fmt.Sprintf("The %s %s goes", what, cmp.Or(things[i].Name, things[i].ID))
		steps[i] = f.step(l, things[i].ID, op, f.profiles[0])
	}, nil)
	if err != nil {
		return err
	}
	slices.SortStableFunc(steps, func(a, b Step) int { return cmp.Compare(a.Mean, b.Mean) })
	for _, p := range f.profiles {
		for most := limit(p); most != nil && float64(len(steps)) > most.Max; steps = steps[1:] {
			if err := apply(steps[0].Operation); err != nil {
				return err
			}
			steps[0].Platforms = []string{p.Name}
			plan.Steps = append(plan.Steps, steps[0])
		}
	}
	return nil
}

// unlight takes the light from surfaces that nobody sees where a platform takes fewer texels: the change of texels that
// does not show.
func (f *fitter) unlight(now *level.Level, plan *Plan, apply func(level.Operation) error) error {
	p, err := f.from.Again(now)
	if err != nil {
		return err
	}
	for _, profile := range f.profiles {
		limits := &profile.Limits
		over := func(limit *platform.Limit, n int) bool { return limit != nil && float64(n) > limit.Max }
		if !over(limits.LightmapPages, p.Layout.Pages) && !over(limits.LightmapBytes, p.Layout.Bytes(int(limits.BytesPerTexel))) {
			continue
		}
		op := check.Of(p).Unlight(profile)
		if op == nil {
			return nil
		}
		plan.Steps = append(plan.Steps, f.step(now, "", *op, profile))
		return apply(*op)
	}
	return nil
}
