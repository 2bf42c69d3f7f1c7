package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/fit"
	"grotta/core/platform"
)

// This file finds what has to change for a level to keep to the limits of platforms.

func (s *server) registerFit(a huma.API, tag string) {
	op := heavy(operation("POST", "/levels/{id}/fit", "fit-level", "The least visible change after which platforms take a level", tag))
	op.Description = "Nothing is stored; the plan's operation, or those of some of its steps, is applied like any other."
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewFit
	}) (*out[*api.FitPlan], error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		names := in.Body.Platforms
		if len(names) == 0 {
			names = platformsOf(o.doc)
		}
		var profiles []*platform.Profile
		for _, name := range names {
			profile, err := s.platform(ctx, &o.info, name)
			if err != nil {
				return nil, s.problem(err)
			}
			profiles = append(profiles, profile)
		}
		plan, err := fit.Make(ctx, s.subjects.of(in.ID, o.prepared), profiles, in.Body.Keep)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, fitOf(o, names, plan), nil)
	})
}

func fitOf(o *opened, names []string, p *fit.Plan) *api.FitPlan {
	out := &api.FitPlan{
		Level: o.info.ID, Revision: o.info.Revision, Platforms: names, Steps: []api.FitStep{}, Mean: p.Mean, P95: p.P95, Most: p.Most, Spots: p.Spots,
		Sum: p.Sum, Bound: p.Bound, Exact: p.Exact, Left: append([]string{}, p.Left...), Operation: p.Operation,
	}
	for _, step := range p.Steps {
		out.Steps = append(out.Steps, api.FitStep(step))
	}
	return out
}
