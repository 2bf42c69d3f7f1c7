package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/handover"
	"grotta/core/level"
)

// This file hands lights over to other editors, in their words, and takes them back.

func (s *server) registerHandOvers(a huma.API) {
	const tag = "hand-over"
	huma.Register(a, operation("GET", "/hand-overs", "list-hand-overs", "Ways to write a level for another editor", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.HandOver]], error) {
			all, err := s.Store.HandOvers(askerOf(ctx))
			return answerList(s, all, err)
		})
	file := operation("GET", "/hand-overs/file", "get-hand-over", "A hand-over file", tag)
	file.Description = "grotta-handover/1: YAML with comments for those that come with Grotta, else JSON. A copy under another name is a beginning for one's own."
	file.Responses = binaryResponse("application/yaml", "application/json")
	huma.Register(a, file, func(ctx context.Context, in *struct {
		Name string `query:"name" required:"true" maxLength:"200"`
	}) (*fileOut, error) {
		if text := handover.Source(in.Name); text != nil {
			return &fileOut{"application/yaml", "inline", text}, nil
		}
		f, err := s.Store.HandOver(askerOf(ctx), in.Name)
		if err != nil {
			return nil, s.problem(err)
		}
		text, err := level.Encode(f)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/json", "inline", text}, nil
	})
	add := operation("POST", "/hand-overs", "add-hand-over", "Save a hand-over file of your own", tag)
	add.Description = "The body is grotta-handover/1, YAML or JSON. It becomes the newest version of a preset of its name, and is shared and deleted as one."
	add.SkipValidateBody = true
	huma.Register(a, add, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[api.HandOver], error) {
		h, err := s.Store.AddHandOver(askerOf(ctx), in.RawBody)
		return answer(s, h, err)
	})
	write := heavy(operation("POST", "/levels/{id}/hand-over", "hand-over", "What lights a level, as text of another editor", tag))
	write.Description = "Nothing is stored. What the text cannot say is found by reading it back, and listed."
	huma.Register(a, write, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewHandOver
	}) (*out[api.HandedOver], error) {
		_, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		f, err := s.handOver(ctx, &in.Body)
		if err != nil {
			return nil, s.problem(err)
		}
		w, err := handover.Write(doc, f, in.Body.Only)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, handedOver(w, f), nil)
	})
	s.registerHandBack(a, tag)
}

// handOver is the hand-over that is asked for, saved or sent along.
func (s *server) handOver(ctx context.Context, want *api.NewHandOver) (*handover.File, error) {
	if want.File != "" {
		return handover.Parse([]byte(want.File))
	}
	return s.Store.HandOver(askerOf(ctx), want.To)
}

func handedOver(w *handover.Written, f *handover.File) api.HandedOver {
	out := api.HandedOver{Text: string(w.Text), Extension: f.Text.Extension, Things: w.Things, Differences: []api.HandOverDifference{},
		ExchangeReport: api.ExchangeReport{Left: append([]string{}, w.Left...), Notes: append([]string{}, w.Notes...)}}
	for _, d := range w.Differences {
		out.Differences = append(out.Differences, api.HandOverDifference(d))
	}
	return out
}

func (s *server) registerHandBack(a huma.API, tag string) {
	op := heavy(operation("POST", "/levels/{id}/hand-back", "hand-back", "Take text of another editor into a level", tag))
	op.Description = "Things are known by their id, else by their name within their kind. Of those only what differs is taken; others are added; nothing is removed. One revision, which can be undone."
	op.MaxBodyBytes = handover.MaxTextBytes
	op.SkipValidateBody = true
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		From    string `query:"from" required:"true" maxLength:"200" doc:"Name of the hand-over whose text it is."`
		Dry     bool   `query:"dry" doc:"Only say what it would change."`
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[api.HandedBack], error) {
		info, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		f, err := s.Store.HandOver(askerOf(ctx), in.From)
		if err != nil {
			return nil, s.problem(err)
		}
		back, err := handover.Read(in.RawBody, f, doc)
		if err != nil {
			return nil, s.problem(err)
		}
		answered := api.HandedBack{Revision: info.Revision, Added: append([]string{}, back.Added...), Changed: append([]string{}, back.Changed...), Same: back.Same, Passed: append([]string{}, back.Passed...)}
		if len(back.Operation.Steps) == 0 {
			return answer(s, answered, nil)
		}
		if in.Dry {
			answered.Operation = &back.Operation
		}
		if _, _, err := doc.ApplyContext(ctx, back.Operation); err != nil || in.Dry {
			return answer(s, answered, err)
		}
		rev, err := s.revised(ctx, in.ID, func() (api.Revision, error) {
			return s.Store.Apply(ctx, askerOf(ctx), in.ID, back.Operation, info.Revision)
		})
		if err != nil {
			return nil, err
		}
		answered.Revision = rev.Body.Number
		return answer(s, answered, nil)
	})
}
