package rest

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/accuracy"
	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/estimate"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/report"
	"grotta/service/jobs"
)

// This file checks levels against platforms.

func (s *server) registerChecks(a huma.API, tag string) {
	one := heavy(operation("GET", "/levels/{id}/check", "check-level", "Check a level against a platform", tag))
	huma.Register(a, one, func(ctx context.Context, in *struct {
		LevelPath
		RevisionQuery
		Platform string `query:"platform" maxLength:"130" doc:"The level's own if left out."`
	}) (*out[api.Report], error) {
		names := []string{}
		if in.Platform != "" {
			names = append(names, in.Platform)
		}
		reports, err := s.check(ctx, in.ID, in.Revision, names)
		if err != nil {
			return nil, err
		}
		return answer(s, reports[0], nil)
	})
	many := heavy(operation("GET", "/levels/{id}/checks", "check-level-for-platforms", "Check a level against several platforms", tag))
	huma.Register(a, many, func(ctx context.Context, in *struct {
		LevelPath
		RevisionQuery
		Platforms []string `query:"platforms,explode" maxItems:"12" doc:"Names; all that the level is for if left out."`
	}) (*out[list[api.Report]], error) {
		reports, err := s.check(ctx, in.ID, in.Revision, in.Platforms)
		if err != nil {
			return nil, err
		}
		return answerList(s, reports, nil)
	})
	foresee := heavy(operation("GET", "/levels/{id}/bake-time", "foresee-bake", "How long a bake from nothing would take", tag))
	foresee.Description = "Samples of the level with fewer texels are baked for it; nothing is stored."
	huma.Register(a, foresee, func(ctx context.Context, in *struct {
		LevelPath
		Quality string `query:"quality" enum:"draft,good,final" default:"good"`
	}) (*out[api.BakeTime], error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		e, err := estimate.Bake(ctx, o.prepared, bake.Quality(in.Quality), jobs.Together)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, api.BakeTime{Quality: in.Quality, Seconds: e.Seconds, Texels: e.Texels, Sampled: e.Sampled, Took: e.Took}, nil)
	})
	measure := heavy(operation("GET", "/levels/{id}/accuracy", "measure-accuracy", "How far the lightmap is off", tag))
	measure.Description = "Some of its texels are held against path tracing. What is not baked is baked at draft first."
	huma.Register(a, measure, func(ctx context.Context, in *struct{ LevelPath }) (*out[api.Accuracy], error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		image, err := s.Studio.MixNow(ctx, o.prepared, nil)
		if err != nil {
			return nil, s.problem(err)
		}
		state, err := s.Studio.Lightmap(o.prepared, o.info.Revision)
		if err != nil {
			return nil, s.problem(err)
		}
		const texels, paths = 64, 2048
		m, err := accuracy.Measure(ctx, o.prepared, image, texels, paths)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, api.Accuracy{
			Level: o.info.ID, Revision: o.info.Revision, Quality: lowestQuality(state), Texels: m.Texels, MedianLux: m.Median, RMS: m.RMS, Bias: m.Bias, StandardError: m.Own, LeastRMS: m.Least,
		}, nil)
	})
	ground := heavy(operation("GET", "/levels/{id}/ground", "level-ground", "How light it is where players walk", tag))
	ground.Description = "Squares of the ground of each zone that says what players do there, with the light on them; at most about 1600 of a level. Where there is more ground, the squares are larger."
	huma.Register(a, ground, func(ctx context.Context, in *struct {
		LevelPath
		Platform string `query:"platform" maxLength:"130" doc:"Whose players they are; the level's own if left out."`
	}) (*out[api.Ground], error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		profile, err := s.platform(ctx, &o.info, cmp.Or(in.Platform, platformsOf(o.doc)[0]))
		if err != nil {
			return nil, s.problem(err)
		}
		floors, err := s.subjects.of(in.ID, o.prepared).Ground(ctx, profile)
		return answer(s, report.Ground(o.info.Revision, profile.Name, floors), err)
	})
	huma.Register(a, operation("GET", "/rules", "list-rules", "What the checks look for", tag), func(context.Context, *struct{}) (*out[list[api.CheckRule]], error) {
		return answerList(s, report.Rules(), nil)
	})
}

// DefaultPlatform is what a level without a platform is checked against.
const DefaultPlatform = "baked-arena"

// platformsOf are the names of the platforms that a level is for.
func platformsOf(l *level.Level) []string {
	names := []string{l.Platform}
	if l.Platform == "" {
		names[0] = DefaultPlatform
	}
	for _, name := range l.AlsoFor {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return names
}

// platform finds a profile for a level: the asker's, or the level's owner's where that is shared.
func (s *server) platform(ctx context.Context, info *api.LevelInfo, name string) (*platform.Profile, error) {
	p, err := s.Store.Platform(askerOf(ctx), name)
	if err == nil || strings.Contains(name, "/") {
		return p, err
	}
	if theirs, failed := s.Store.Platform(askerOf(ctx), info.Owner+"/"+name); failed == nil {
		return theirs, nil
	}
	return nil, err
}

// checkAt judges a level as it was at a revision, or as it is for 0, by its own platform.
func (s *server) checkAt(ctx context.Context, id string, revision int) (api.Counts, error) {
	o, err := s.variant(ctx, id, &api.Variant{Revision: revision})
	if err != nil {
		return api.Counts{}, err
	}
	reports, err := s.check(ctx, id, revision, platformsOf(o.doc)[:1])
	if err != nil {
		return api.Counts{}, err
	}
	return api.Counts{Errors: reports[0].Counts["error"], Warnings: reports[0].Counts["warning"]}, nil
}

// check judges a level by some platforms, or by all that it is for.
func (s *server) check(ctx context.Context, id string, revision int, names []string) ([]api.Report, error) {
	o, err := s.variant(ctx, id, &api.Variant{Revision: revision})
	if err != nil {
		return nil, err
	}
	own := platformsOf(o.doc)[0]
	if len(names) == 0 {
		names = platformsOf(o.doc)
	}
	var reports []api.Report
	var subject *check.Subject
	if revision == 0 {
		subject = s.subjects.of(id, o.prepared)
	} else {
		subject = check.Of(o.prepared)
	}
	for _, name := range names {
		profile, err := s.platform(ctx, &o.info, name)
		if err != nil {
			return nil, s.problem(err)
		}
		found, err := subject.Judge(ctx, profile)
		if err != nil {
			return nil, s.problem(err)
		}
		r := report.Of(o.info.ID, o.info.Revision, found)
		if name == own && revision == 0 {
			if err := s.Store.NoteCheck(id, o.info.Revision, r.Counts["error"], r.Counts["warning"]); err != nil {
				return nil, s.problem(err)
			}
		}
		reports = append(reports, r)
	}
	return reports, nil
}

// lowestQuality is that of the coarsest layer that is shown.
func lowestQuality(m *api.LightmapState) string {
	lowest := len(bake.Qualities) - 1
	for _, source := range m.Sources {
		if at := slices.Index(bake.Qualities, bake.Quality(source.Quality)); at >= 0 {
			lowest = min(lowest, at)
		}
	}
	return string(bake.Qualities[lowest])
}
