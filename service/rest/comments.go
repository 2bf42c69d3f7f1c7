package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
)

// This file keeps what people say about levels.

func (s *server) registerComments(a huma.API) {
	const tag = "comments"
	said := func(ctx context.Context, id string, err error) error {
		if err == nil {
			s.Baker.TellTalk(api.TalkEvent{Level: id, From: askerOf(ctx).Name})
		}
		return err
	}
	huma.Register(a, operation("GET", "/levels/{id}/comments", "list-comments", "List what was said about a level, the oldest first", tag),
		func(ctx context.Context, in *LevelPath) (*out[list[api.Comment]], error) {
			comments, err := s.Store.Comments(askerOf(ctx), in.ID)
			return answerList(s, comments, err)
		})
	huma.Register(a, operation("POST", "/levels/{id}/comments", "add-comment", "Say something about a level, a place or a thing of it", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.NewComment
		}) (*out[api.Comment], error) {
			c, err := s.Store.AddComment(askerOf(ctx), in.ID, in.Body)
			return answer(s, c, said(ctx, in.ID, err))
		})
	huma.Register(a, operation("PATCH", "/levels/{id}/comments/{comment}", "change-comment", "Change a comment, or settle or reopen its thread", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Comment string `path:"comment" maxLength:"64"`
			Body    api.CommentChange
		}) (*struct{}, error) {
			return nothing(s, said(ctx, in.ID, s.Store.ChangeComment(askerOf(ctx), in.ID, in.Comment, in.Body, s.Now())))
		})
	huma.Register(a, operation("DELETE", "/levels/{id}/comments/{comment}", "delete-comment", "Delete a comment, with its answers where it is the first", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Comment string `path:"comment" maxLength:"64"`
		}) (*struct{}, error) {
			return nothing(s, said(ctx, in.ID, s.Store.DeleteComment(askerOf(ctx), in.ID, in.Comment)))
		})
	huma.Register(a, operation("GET", "/levels/{id}/reviews", "list-reviews", "List the reviews of a level, the newest first", tag),
		func(ctx context.Context, in *LevelPath) (*out[list[api.Review]], error) {
			reviews, err := s.Store.Reviews(askerOf(ctx), in.ID)
			return answerList(s, reviews, err)
		})
	ask := heavy(operation("POST", "/levels/{id}/reviews", "ask-review", "Ask somebody to judge a revision", tag))
	ask.Description = "The checks run on it first; what they find stands beside the review."
	huma.Register(a, ask, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewReview
	}) (*out[api.Review], error) {
		report, err := s.checkAt(ctx, in.ID, in.Body.Revision)
		if err != nil {
			return nil, err
		}
		review, err := s.Store.AskReview(askerOf(ctx), in.ID, in.Body, report.Errors, report.Warnings)
		return answer(s, review, said(ctx, in.ID, err))
	})
	huma.Register(a, operation("PUT", "/levels/{id}/reviews/{review}", "answer-review", "Judge a revision that you were asked about", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Review string `path:"review" maxLength:"64"`
			Body   api.ReviewAnswer
		}) (*out[api.Review], error) {
			review, err := s.Store.AnswerReview(askerOf(ctx), in.ID, in.Review, in.Body, s.Now())
			return answer(s, review, said(ctx, in.ID, err))
		})
}
