package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/service/store"
)

// This file keeps variants of levels.

func (s *server) registerVariants(a huma.API, tag string) {
	huma.Register(a, operation("GET", "/levels/{id}/variants", "list-variants", "List the variants of a level", tag),
		func(ctx context.Context, in *LevelPath) (*out[list[api.VariantInfo]], error) {
			variants, err := s.Store.Variants(askerOf(ctx), in.ID)
			return answerList(s, variants, err)
		})
	create := operation("POST", "/levels/{id}/variants", "create-variant", "Make a variant of a level", tag)
	create.Description = "A level of its own that remembers its original; it belongs to the same owner and is shared with the same people."
	huma.Register(a, create, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewVariant
	}) (*out[api.VariantInfo], error) {
		made, err := s.Store.NewVariant(askerOf(ctx), in.ID, in.Body)
		return answer(s, made, err)
	})
	merge := operation("POST", "/levels/{id}/merge", "merge-variant", "Bring a variant and its original together", tag)
	merge.Description = "The id is the variant's. What one has changed since they last were one goes into the other, field by field, as one revision. Clashes hold unless they are named. The right to change the one that is changed is needed."
	huma.Register(a, merge, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewMerge
	}) (*out[api.MergedLevel], error) {
		done, err := s.Store.MergeVariant(ctx, askerOf(ctx), in.ID, in.Body)
		if err == nil && !in.Body.Dry {
			s.Baker.TellRevision(api.RevisionEvent{Level: done.Level, Revision: done.Revision, Author: askerOf(ctx).Name, Label: "Merge"})
			s.follow(askerOf(ctx), done.Level)
		}
		return answer(s, done, err)
	})
}

// follow brings what was changed in a level into the variants that follow it. What clashes stays as
// the variant has it.
func (s *server) follow(asker store.Asker, id string) {
	ids, err := s.Store.Following(id)
	if err != nil || len(ids) == 0 {
		return
	}
	go func() {
		for _, variant := range ids {
			done, err := s.Store.MergeVariant(s.Stop, asker, variant, api.NewMerge{Into: "variant"})
			if err != nil {
				s.Log.Warn("a variant did not follow its original", "variant", variant, "error", err)
				continue
			}
			s.Baker.TellRevision(api.RevisionEvent{Level: variant, Revision: done.Revision, Author: asker.Name, Label: "Follow the original"})
		}
	}()
}
