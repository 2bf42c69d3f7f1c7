package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
)

// This file keeps links that open something to whoever has them.

func (s *server) registerShareLinks(a huma.API) {
	const tag = "links"
	huma.Register(a, operation("GET", "/links", "list-share-links", "List the links that you have made, and who used them", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.ShareLink]], error) {
			links, err := s.Store.ShareLinks(askerOf(ctx))
			return answerList(s, links, err)
		})
	make := operation("POST", "/links", "create-share-link", "Make a link that opens a level or a preset, or lets somebody join", tag)
	make.Description = "Once it has expired nobody new can use it. Once it is withdrawn, who used it loses what it opened."
	huma.Register(a, make, func(ctx context.Context, in *struct{ Body api.NewShareLink }) (*out[api.ShareLink], error) {
		link, err := s.Store.NewShareLink(askerOf(ctx), in.Body, s.Now())
		return answer(s, link, err)
	})
	huma.Register(a, operation("DELETE", "/links/{link}", "withdraw-link", "Withdraw a link", tag),
		func(ctx context.Context, in *struct {
			Link string `path:"link" maxLength:"64"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.WithdrawLink(askerOf(ctx), in.Link))
		})
	huma.Register(a, operation("POST", "/links/open", "open-link", "See what a link opens", tag),
		func(ctx context.Context, in *struct{ Body api.OpenLink }) (*out[api.Opened], error) {
			opened, err := s.Store.OpenLink(askerOf(ctx), in.Body.Secret, s.Now())
			return answer(s, opened, err)
		})
	huma.Register(a, operation("POST", "/join", "join", "Make an account by an invitation", tag),
		func(_ context.Context, in *struct{ Body api.Join }) (*struct{}, error) {
			return nothing(s, s.Store.Join(in.Body, s.Now()))
		})
}
