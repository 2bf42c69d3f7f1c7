package fit

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"grotta/core/check"
	"grotta/core/geom"
	"grotta/core/level"
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
	var still []string
	for range 4 {
		p, err := f.from.Again(now)
		if err != nil {
			return err
		}
		var settled bool
		if settled, still = f.fixOne(check.Of(p), plan, apply); !settled {
			break
		}
	}
	plan.Left = slices.Compact(append(plan.Left, still...))
	if len(all.Steps) > 0 {
		plan.Operation = &all
	}
	return nil
}

// fixOne takes the first fix that each platform's check offers for an error that is not about the choice of
// lights. It tells whether it took any, and what else is refused.
func (f *fitter) fixOne(sub *check.Subject, plan *Plan, apply func(level.Operation) error) (settled bool, still []string) {
	for _, profile := range f.profiles {
		for _, finding := range sub.Against(profile).Findings {
			if finding.Severity != check.Error || finding.Waived != "" {
				continue
			}
			chosen := finding.Rule == "limits.shadow-overlap" || finding.Rule == "support.light-kind"
			if finding.Fix != nil && !chosen && apply(*finding.Fix) == nil {
				plan.Steps = append(plan.Steps, Step{What: finding.Fix.Label, Platforms: []string{profile.Name}, Operation: *finding.Fix})
				settled = true
				break // the next check sees what it did
			}
			still = append(still, profile.Name+": "+finding.Message)
		}
	}
	return settled, still
}

func (f *fitter) names() string {
	var names []string
	for _, p := range f.profiles {
		names = append(names, p.Name)
	}
	return strings.Join(names, ", ")
}

// thin hides the glows and fog volumes that show least, where there are too many.
func (f *fitter) thin(l *level.Level, plan *Plan, apply func(level.Operation) error) error {
	world := l.World()
	var eyes []geom.Vec3
	for _, v := range l.Viewpoints {
		eyes = append(eyes, world.Pose(&v.Entity).Position)
	}
	// What something shows of itself: its brightness times the area that it covers, over all viewpoints.
	shows := func(at geom.Vec3, sizeM, nits float64) float64 {
		sum := nits * sizeM * sizeM * 1e-6
		for _, eye := range eyes {
			d := max(1, eye.Sub(at).Len())
			sum += nits * sizeM * sizeM / (d * d)
		}
		return sum
	}
	type thing struct {
		entity *level.Entity
		shows  float64
	}
	hide := func(what string, limit func(*platform.Profile) *platform.Limit, things []thing) error {
		slices.SortStableFunc(things, func(a, b thing) int { return cmp.Compare(a.shows, b.shows) })
		for _, p := range f.profiles {
			most := limit(p)
			for most != nil && float64(len(things)) > most.Max {
				e := things[0].entity
				things = things[1:]
				op := level.Set(e.ID, map[string]any{"enabled": false})
				op.Label = fmt.Sprintf("The %s %s goes", what, cmp.Or(e.Name, e.ID))
				if err := apply(op); err != nil {
					return err
				}
				plan.Steps = append(plan.Steps, Step{Entity: e.ID, What: op.Label, Platforms: []string{p.Name}, Operation: op})
			}
		}
		return nil
	}
	var glows, fogs []thing
	for _, g := range l.Glows {
		if nits := l.GlowRadiance(g).Luminance(); nits > 0 {
			glows = append(glows, thing{&g.Entity, shows(world.Pose(&g.Entity).Position, g.SizeM, nits)})
		}
	}
	for _, v := range l.FogVolumes {
		if v.Enabled && v.Density > 0 {
			size := math.Cbrt(v.Size[0] * v.Size[1] * v.Size[2])
			fogs = append(fogs, thing{&v.Entity, shows(world.Pose(&v.Entity).Position, size, v.Density)})
		}
	}
	if err := hide("glow", func(p *platform.Profile) *platform.Limit { return p.Limits.Glows }, glows); err != nil {
		return err
	}
	return hide("fog volume", func(p *platform.Profile) *platform.Limit { return p.Limits.FogVolumes }, fogs)
}
