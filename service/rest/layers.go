package rest

import (
	"context"
	"errors"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/service/store"
)

// This file hands out baked layers, one or many at a time.

// mostLayerBytes is how much light one answer has, at least of one layer.
const mostLayerBytes = 32 << 20

func (s *server) registerLayers(a huma.API, tag string) {
	one := operation("GET", "/levels/{id}/layers/{key}", "get-layer", "A baked layer's half-floats", tag)
	one.Description = "Little-endian: page size, pages (uint32), exponent, tiles (int32); then for each tile its page, x, y, 0 (uint16) and 32 x 32 x 3 half-floats, to be multiplied by 2^exponent: lux for unit white strength."
	one.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, one, func(ctx context.Context, in *struct {
		LevelPath
		Key string `path:"key" pattern:"^[0-9a-f]{64}$"`
	}) (*fileOut, error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		for i := range o.prepared.Sources {
			if isLayerOf(o.prepared, o.prepared.Sources[i].ID, in.Key) {
				l, err := s.Studio.Layer(in.Key)
				if err != nil {
					return nil, s.problem(err)
				}
				return &fileOut{"application/octet-stream", "", l.Raw()}, nil
			}
		}
		return nil, newProblem(404, "the level has no such layer at its newest revision")
	})
	many := operation("POST", "/levels/{id}/layers", "get-layers", "Many baked layers at once", tag)
	many.Description = "Little-endian: length of a JSON header (uint32), the header, padded to four bytes; then the layers that it lists, one after the other, each as get-layer gives it. What would make the answer larger than 32 MiB stands in `later`; what is not baked, or not of the newest revision, is left out."
	many.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, many, func(ctx context.Context, in *struct {
		LevelPath
		Body api.WantedLayers
	}) (*fileOut, error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		head := api.LayersHead{Layers: []api.LayerPart{}, Later: []string{}}
		var light []byte
		for _, want := range in.Body.Layers {
			if !isLayerOf(o.prepared, want.Source, want.Key) {
				continue
			}
			if len(light) > 0 && len(light) >= mostLayerBytes {
				head.Later = append(head.Later, want.Source)
				continue
			}
			l, err := s.Studio.Layer(want.Key)
			if errors.Is(err, store.ErrNotFound) {
				continue
			}
			if err != nil {
				return nil, s.problem(err)
			}
			raw := l.Raw()
			light = append(light, raw...)
			head.Layers = append(head.Layers, api.LayerPart{Source: want.Source, Key: want.Key, Bytes: len(raw)})
		}
		data, err := headed(head)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", append(data, light...)}, nil
	})
}

// isLayerOf tells whether a layer is of a source as it is now, at any quality.
func isLayerOf(p *bake.Prepared, source, key string) bool {
	src := p.Source(source)
	return src != nil && slices.ContainsFunc(bake.Qualities, func(q bake.Quality) bool { return p.Key(src, q) == key })
}
