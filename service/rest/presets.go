package rest

import (
	"cmp"
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/preset"
)

// PresetPath is the part of a path that names a preset.
type PresetPath struct {
	Owner string `path:"owner"`
	Name  string `path:"name"`
}

type presetBody struct {
	api.PresetInfo
	Content *preset.Preset `json:"content"`
}

func (s *server) registerPresets(a huma.API) {
	const tag = "presets"
	huma.Register(a, operation("GET", "/presets", "list-presets", "Presets that are yours or shared with you", tag),
		func(ctx context.Context, _ *struct{}) (*out[list[api.PresetInfo]], error) {
			presets, err := s.Store.Presets(askerOf(ctx))
			return answerList(s, presets, err)
		})
	huma.Register(a, operation("POST", "/presets", "save-preset", "Save a version of a preset from a level", tag),
		func(ctx context.Context, in *struct{ Body api.NewPreset }) (*out[api.PresetInfo], error) {
			_, doc, err := s.Store.Level(askerOf(ctx), in.Body.Level)
			if err != nil {
				return nil, s.problem(err)
			}
			p := preset.FromMood(doc)
			if in.Body.Look {
				p = preset.FromLook(doc)
			}
			if in.Body.Rig != "" {
				if p, err = preset.FromRig(doc, in.Body.Rig); err != nil {
					return nil, s.problem(err)
				}
			}
			info, err := s.Store.SavePreset(askerOf(ctx), in.Body, p)
			return answer(s, info, err)
		})
	upload := operation("PUT", "/presets/{name}", "upload-preset", "Save a version of a preset from a file", tag)
	upload.Description = "The body is a preset (grotta-preset/1), as GET /presets/{owner}/{name} has it under content."
	upload.MaxBodyBytes = preset.MaxBytes + 1
	upload.SkipValidateBody = true
	huma.Register(a, upload, func(ctx context.Context, in *struct {
		Name    string `path:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[api.PresetInfo], error) {
		p, err := preset.Parse(in.RawBody)
		if err != nil {
			return nil, s.problem(err)
		}
		info, err := s.Store.SavePreset(askerOf(ctx), api.NewPreset{Name: in.Name}, p)
		return answer(s, info, err)
	})
	huma.Register(a, operation("GET", "/presets/{owner}/{name}", "get-preset", "Read a preset", tag),
		func(ctx context.Context, in *struct {
			PresetPath
			Version int `query:"version" minimum:"0" doc:"The newest if left out."`
		}) (*out[presetBody], error) {
			info, p, err := s.Store.Preset(askerOf(ctx), in.Owner, in.Name, in.Version)
			return answer(s, presetBody{info, p}, err)
		})
	huma.Register(a, operation("PUT", "/presets/{name}/shares", "share-preset", "Say with whom a preset of yours is shared", tag),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Body api.Share
		}) (*struct{}, error) {
			return nothing(s, s.Store.SharePreset(askerOf(ctx), in.Name, in.Body.With))
		})
	huma.Register(a, operation("DELETE", "/presets/{name}", "delete-preset", "Delete a preset of yours", tag),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.DeletePreset(askerOf(ctx), in.Name))
		})
	huma.Register(a, operation("POST", "/levels/{id}/presets", "apply-preset", "Put a preset into a level", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.ApplyPreset
		}) (*revisionOut, error) {
			return s.revised(ctx, in.ID, func() (api.Revision, error) {
				owner := cmp.Or(in.Body.Owner, askerOf(ctx).Name)
				return s.Store.ApplyPreset(ctx, askerOf(ctx), in.ID, owner, in.Body.Name, in.Body.Version, placeOf(&in.Body))
			})
		})
	would := operation("POST", "/levels/{id}/presets/changes", "preview-preset", "What a preset would change in a level", tag)
	would.Description = "Nothing is stored. Each thing and field that would be another, with both values."
	huma.Register(a, would, func(ctx context.Context, in *struct {
		LevelPath
		Body api.ApplyPreset
	}) (*out[list[level.Change]], error) {
		_, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		_, p, err := s.Store.Preset(askerOf(ctx), cmp.Or(in.Body.Owner, askerOf(ctx).Name), in.Body.Name, in.Body.Version)
		if err != nil {
			return nil, s.problem(err)
		}
		op, err := p.Apply(doc, placeOf(&in.Body))
		if err != nil {
			return nil, s.problem(err)
		}
		next, _, err := doc.ApplyContext(ctx, op)
		if err != nil {
			return nil, s.problem(err)
		}
		_, changes, err := doc.Difference(ctx, next)
		return answerList(s, changes, err)
	})
	s.registerPlatforms(a)
}

func placeOf(p *api.ApplyPreset) preset.Place {
	return preset.Place{At: p.At, Normal: p.Normal, Only: p.Only}
}

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
