package rest

import (
	"bytes"
	"context"
	"fmt"
	"image/jpeg"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/preset"
	"grotta/core/probe"
	"grotta/core/scatter"
	"grotta/core/shot"
	"grotta/service/store"
)

// This file makes the pictures of presets: a shot on a neutral stage, made once for each version.

const (
	presetWidth, presetHeight = 360, 225
	mostWaitingPictures       = 1000
)

func (s *server) registerPresetPicture(a huma.API, tag string) {
	op := operation("GET", "/presets/{owner}/{name}/picture", "get-preset-picture", "A picture of a preset on a neutral stage", tag)
	op.Description = "JPEG. It is made after a version was saved, or when it is first asked for."
	op.Responses = binaryResponse("image/jpeg")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		PresetPath
		Version     int    `query:"version" minimum:"0" doc:"The newest if left out."`
		IfNoneMatch string `header:"If-None-Match"`
	}) (*thumbnailOut, error) {
		asker := askerOf(ctx)
		info, picture, err := s.Store.PresetPicture(asker, in.Owner, in.Name, in.Version)
		if err != nil {
			return nil, s.problem(err)
		}
		out := &thumbnailOut{Status: 200, ContentType: "image/jpeg", ETag: strconv.Quote(info.Hash), CacheControl: "private, no-cache"}
		if in.IfNoneMatch == out.ETag {
			out.Status = 304
			return out, nil
		}
		if !info.Picture {
			return nil, newProblem(404, fmt.Sprintf("a preset of the kind %s cannot be shown on a stage", info.Kind))
		}
		if picture == nil {
			if picture, err = s.paintPreset(ctx, asker, info); err != nil {
				return nil, s.problem(err)
			}
		}
		out.Body = picture
		return out, nil
	})
}

// paintLater has the picture of a version made once nothing else waits.
func (s *server) paintLater(info api.PresetInfo) {
	if !info.Picture {
		return
	}
	select {
	case s.paint <- info:
	default: // it is made when it is asked for
	}
}

// paintAll makes the pictures that wait, one after the other.
func (s *server) paintAll(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case info := <-s.paint:
			id, err := s.Store.OwnerID(info.Owner)
			if err == nil {
				_, err = s.paintPreset(ctx, store.Asker{ID: id, Name: info.Owner}, info)
			}
			if err != nil && ctx.Err() == nil {
				s.Log.Warn("a preset has no picture", "preset", info.Owner+"/"+info.Name, "error", err)
			}
		}
	}
}

// paintPreset makes and keeps the picture of a version; it waits for its turn among what takes much
// computing.
func (s *server) paintPreset(ctx context.Context, asker store.Asker, info api.PresetInfo) ([]byte, error) {
	unlock, err := s.painting.Lock(ctx, info.Hash)
	if err != nil {
		return nil, err
	}
	defer unlock()
	_, picture, err := s.Store.PresetPicture(asker, info.Owner, info.Name, info.Version)
	if err != nil || picture != nil {
		return picture, err
	}
	_, p, err := s.Store.Preset(asker, info.Owner, info.Name, info.Version)
	if err != nil {
		return nil, err
	}
	leave, err := s.gate.Enter(ctx, asker.Name)
	if err != nil {
		return nil, err
	}
	defer leave()
	if picture, err = s.stagePicture(ctx, p); err != nil {
		return nil, err
	}
	return picture, s.Store.KeepPresetPicture(info.Owner, info.Name, info.Version, picture)
}

// stagePicture bakes a preset's stage at draft and takes the picture.
func (s *server) stagePicture(ctx context.Context, p *preset.Preset) ([]byte, error) {
	staged, err := p.Stage()
	if err != nil {
		return nil, err
	}
	prepared, err := bake.Prepare(staged.Level)
	if err != nil {
		return nil, err
	}
	image, err := s.Studio.MixNow(ctx, prepared, nil)
	if err != nil {
		return nil, err
	}
	air, _, err := s.Studio.Air(ctx, prepared, scatter.Ask{})
	if err != nil {
		return nil, err
	}
	o := shot.Options{Width: presetWidth, Height: presetHeight, Samples: 2, Air: air, Moving: probe.Moving(prepared, nil)}
	camera := shot.Of(prepared.Scene.World, staged.Level.Viewpoints[0])
	if staged.Meter {
		ev := shot.Meter(prepared, image, camera, o)
		o.ExposureEV = &ev
	}
	picture, err := shot.Render(ctx, prepared, image, camera, o, nil)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = jpeg.Encode(&b, picture, &jpeg.Options{Quality: thumbnailQuality})
	return b.Bytes(), err
}
