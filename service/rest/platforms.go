package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/platform"
)

// This file keeps profiles of platforms.

func (s *server) registerPlatforms(a huma.API) {
	const tag = "platforms"
	huma.Register(a, operation("GET", "/platforms", "list-platforms", "Platforms that levels can be checked against", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.Platform]], error) {
			platforms, err := s.Store.Platforms(askerOf(ctx))
			return answerList(s, platforms, err)
		})
	file := operation("GET", "/platforms/{name}/file", "get-platform-file", "The text of a platform's profile", tag)
	file.Description = "grotta-platform/1, YAML as it was written. A copy under another name is a beginning for one's own."
	file.Responses = binaryResponse("application/yaml")
	huma.Register(a, file, func(ctx context.Context, in *struct {
		Name string `path:"name"`
	}) (*fileOut, error) {
		text, err := s.Store.PlatformText(askerOf(ctx), in.Name)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/yaml", "inline", text}, nil
	})
	add := operation("POST", "/platforms", "add-platform", "Add a platform of your own", tag)
	add.Description = "The body is a profile (grotta-platform/1), YAML or JSON."
	add.SkipValidateBody = true
	huma.Register(a, add, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[*platform.Profile], error) {
		p, err := s.Store.AddPlatform(askerOf(ctx), in.RawBody)
		return answer(s, p, err)
	})
	huma.Register(a, operation("DELETE", "/platforms/{name}", "remove-platform", "Remove a platform of your own", tag),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.RemovePlatform(askerOf(ctx), in.Name))
		})
}
