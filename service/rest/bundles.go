package rest

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bundle"
)

// This file writes presets to a file and reads them from one.

func (s *server) registerBundles(a huma.API, tag string) {
	write := operation("POST", "/bundles", "write-bundle", "Presets as one file", tag)
	write.Description = "A zip archive with a manifest and hashes (grotta-bundle/1), which any Grotta reads. A preset that holds an image without credit or licence is refused unless it is your own."
	write.Responses = binaryResponse("application/zip")
	huma.Register(a, write, func(ctx context.Context, in *struct {
		Body api.NewBundle
	}) (*fileOut, error) {
		data, err := s.Store.WriteBundle(askerOf(ctx), in.Body.Presets)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/zip", `attachment; filename="presets.zip"`, data}, nil
	})
	read := operation("POST", "/bundles/read", "read-bundle", "Take the presets of a bundle", tag)
	read.Description = "They become yours, as a new version where you have one of the name. Who made them, as the bundle says, is noted and not believed."
	read.MaxBodyBytes = bundle.MaxBytes + 1
	read.SkipValidateBody = true
	huma.Register(a, read, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[list[api.PresetInfo]], error) {
		infos, err := s.Store.ReadBundle(askerOf(ctx), in.RawBody)
		return answerList(s, infos, err)
	})
}
