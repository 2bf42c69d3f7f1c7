package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
)

type BakePath struct {
	ID string `path:"id" doc:"Id of a bake."`
}

func (s *server) registerBakes(a huma.API) {
	const tag = "bakes"
	s.registerWorkers(a, tag)
	huma.Register(a, operation("POST", "/levels/{id}/bakes", "start-bake", "Bake a level", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.NewBake
		}) (*out[api.Bake], error) {
			info, doc, err := s.Store.Level(askerOf(ctx), in.ID)
			if err != nil {
				return nil, s.problem(err)
			}
			q := bake.Quality(in.Body.Quality)
			if q == "" {
				q = bake.Good
			}
			status, err := s.Baker.Submit(ctx, askerOf(ctx), in.ID, info.Revision, doc, q)
			return answer(s, status, err)
		})
	huma.Register(a, heavy(operation("GET", "/levels/{id}/bakes/plan", "plan-bake", "What a bake would do, and why", tag)),
		func(ctx context.Context, in *struct {
			LevelPath
			Quality string `query:"quality" enum:"draft,good,final" default:"good"`
		}) (*out[api.BakePlan], error) {
			o, err := s.open(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			stale, kept, err := s.Studio.Explain(ctx, in.ID, o.prepared, bake.Quality(in.Quality))
			return answer(s, api.BakePlan{Level: in.ID, Revision: o.info.Revision, Quality: in.Quality, Layers: len(o.prepared.Sources), Stale: each(stale, staleOf), Kept: each(kept, keptOf)}, err)
		})
	huma.Register(a, operation("GET", "/levels/{id}/bakes", "list-bakes", "A level's bakes, newest first", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Limit int `query:"limit" minimum:"1" maximum:"200" default:"20"`
		}) (*out[list[api.Bake]], error) {
			bakes, err := s.Store.Bakes(askerOf(ctx), in.ID, in.Limit)
			for i := range bakes {
				bakes[i] = s.Baker.Status(bakes[i])
			}
			return answerList(s, bakes, err)
		})
	huma.Register(a, operation("GET", "/bakes/{id}", "get-bake", "How a bake goes", tag),
		func(ctx context.Context, in *BakePath) (*out[api.Bake], error) {
			status, err := s.Store.Bake(askerOf(ctx), in.ID)
			return answer(s, s.Baker.Status(status), err)
		})
	huma.Register(a, operation("GET", "/bakes", "list-own-bakes", "The bakes that one started, newest first; of an admin everybody's", tag),
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"200" default:"50"`
		}) (*out[list[api.BakeLine]], error) {
			lines, err := s.Store.RecentBakes(askerOf(ctx), in.Limit)
			for i := range lines {
				lines[i].Bake = s.Baker.Status(lines[i].Bake)
			}
			return answerList(s, lines, err)
		})
	huma.Register(a, operation("POST", "/bakes/{id}/cancel", "cancel-bake", "Stop a bake", tag),
		func(ctx context.Context, in *BakePath) (*out[api.Bake], error) {
			if _, err := s.Store.Bake(askerOf(ctx), in.ID); err != nil {
				return nil, s.problem(err)
			}
			status, err := s.Baker.Cancel(in.ID)
			return answer(s, status, err)
		})
	huma.Register(a, operation("POST", "/bakes/{id}/first", "move-bake-up", "Do a bake before all others", tag),
		func(ctx context.Context, in *BakePath) (*out[api.Bake], error) {
			if err := s.Baker.MoveUp(ctx, in.ID); err != nil {
				return nil, s.problem(err)
			}
			status, err := s.Store.Bake(askerOf(ctx), in.ID)
			return answer(s, s.Baker.Status(status), err)
		})
}
