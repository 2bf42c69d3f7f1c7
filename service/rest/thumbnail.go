package rest

import (
	"bytes"
	"context"
	"image/jpeg"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
)

const (
	thumbnailWidth, thumbnailHeight = 320, 180
	thumbnailQuality                = 82 // of JPEG, in percent
)

type thumbnailOut struct {
	Status       int
	ContentType  string `header:"Content-Type"`
	ETag         string `header:"ETag"`
	CacheControl string `header:"Cache-Control"`
	Body         []byte
}

func (s *server) registerThumbnail(a huma.API, tag string) {
	op := operation("GET", "/levels/{id}/thumbnail", "get-thumbnail", "A small picture of a level", tag)
	op.Description = "JPEG from the first viewpoint, lit as far as it is baked, else unlit. It is kept until the level or its bake changes."
	op.Responses = binaryResponse("image/jpeg")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		IfNoneMatch string `header:"If-None-Match"`
	}) (*thumbnailOut, error) {
		key, picture, err := s.Store.Thumbnail(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		out := &thumbnailOut{Status: http.StatusOK, ContentType: "image/jpeg", ETag: strconv.Quote(key), CacheControl: "private, no-cache"}
		if in.IfNoneMatch == out.ETag {
			out.Status = http.StatusNotModified
			return out, nil
		}
		if picture == nil {
			if picture, err = s.thumbnail(ctx, in.ID); err != nil {
				return nil, err
			}
			if err := s.Store.KeepThumbnail(in.ID, key, picture); err != nil {
				return nil, s.problem(err)
			}
		}
		out.Body = picture
		return out, nil
	})
}

// thumbnail takes the picture; it waits for its turn among what takes much computing.
func (s *server) thumbnail(ctx context.Context, id string) ([]byte, error) {
	leave, err := s.gate.Enter(ctx, askerOf(ctx).Name)
	if err != nil {
		return nil, s.problem(err)
	}
	defer leave()
	st, err := s.stage(ctx, id, api.Variant{NoBake: true}, nil)
	if err != nil {
		return nil, err
	}
	bare := st.light.Missing == len(st.level.prepared.Sources)
	picture, err := s.take(ctx, st, &api.NewShot{Width: thumbnailWidth, Height: thumbnailHeight, Samples: 1, Unlit: bare})
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, picture, &jpeg.Options{Quality: thumbnailQuality}); err != nil {
		return nil, s.problem(err)
	}
	return b.Bytes(), nil
}
