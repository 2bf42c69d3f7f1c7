package rest

import (
	"cmp"
	"context"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
)

// This file saves, finds, shares and applies presets.

// PresetPath is the part of a path that names a preset.
type PresetPath struct {
	Owner string `path:"owner" maxLength:"64"`
	Name  string `path:"name" maxLength:"64"`
}

// OwnPresetPath names one of the asker's presets.
type OwnPresetPath struct {
	Name string `path:"name" maxLength:"64"`
}

type presetBody struct {
	api.PresetInfo
	Content *preset.Preset `json:"content"`
}

func (s *server) registerPresets(a huma.API) {
	const tag = "presets"
	find := operation("GET", "/presets", "list-presets", "Find presets that are yours or shared with you", tag)
	find.Description = "A page of them. Words are looked up in an index; what else is given must hold too."
	huma.Register(a, find, func(ctx context.Context, in *api.PresetSearch) (*out[api.PresetPage], error) {
		page, err := s.Store.FindPresets(askerOf(ctx), *in)
		return answer(s, page, err)
	})
	huma.Register(a, operation("POST", "/presets", "save-preset", "Save a version of a preset from a level", tag),
		func(ctx context.Context, in *struct{ Body api.NewPreset }) (*out[api.PresetInfo], error) {
			if in.Body.Rig != "" && (in.Body.Kind == "" || in.Body.Kind == preset.Rig) {
				return linking(ctx, s, in.Body.Level, func() (api.PresetInfo, error) { return s.Store.SaveRig(ctx, askerOf(ctx), in.Body) })
			}
			_, doc, err := s.Store.Level(askerOf(ctx), in.Body.Level)
			if err != nil {
				return nil, s.problem(err)
			}
			p, err := lifted(doc, &in.Body)
			if err != nil {
				return nil, s.problem(err)
			}
			info, err := s.Store.SavePreset(askerOf(ctx), in.Body, p)
			return answer(s, info, err)
		})
	upload := operation("PUT", "/presets/{name}", "upload-preset", "Save a version of a preset from a file", tag)
	upload.Description = "The body is a preset (grotta-preset/1), as GET /presets/{owner}/{name} has it under content. What is not said about it stays as the version before has it."
	upload.MaxBodyBytes = preset.MaxBytes + 1
	upload.SkipValidateBody = true
	huma.Register(a, upload, func(ctx context.Context, in *struct {
		Name string `path:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
		api.PresetMeta
		RawBody []byte `contentType:"application/octet-stream"`
	}) (*out[api.PresetInfo], error) {
		p, err := preset.Parse(in.RawBody)
		if err != nil {
			return nil, s.problem(err)
		}
		info, err := s.Store.UploadPreset(askerOf(ctx), in.Name, in.PresetMeta, p)
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
	huma.Register(a, operation("GET", "/presets/{owner}/{name}/versions", "list-preset-versions", "List the versions of a preset, the newest first", tag),
		func(ctx context.Context, in *PresetPath) (*out[list[api.PresetInfo]], error) {
			versions, err := s.Store.PresetVersions(askerOf(ctx), in.Owner, in.Name)
			return answerList(s, versions, err)
		})
	huma.Register(a, operation("POST", "/presets/{owner}/{name}/fork", "fork-preset", "Make a preset of your own from another's", tag),
		func(ctx context.Context, in *struct {
			PresetPath
			Version int `query:"version" minimum:"0" doc:"The newest if left out."`
			Body    api.PresetName
		}) (*out[api.PresetInfo], error) {
			info, err := s.Store.ForkPreset(askerOf(ctx), in.Owner, in.Name, in.Version, in.Body.Name)
			return answer(s, info, err)
		})
	huma.Register(a, operation("PATCH", "/presets/{name}", "rename-preset", "Give a preset of yours another name", tag),
		func(ctx context.Context, in *struct {
			OwnPresetPath
			Body api.PresetName
		}) (*out[api.PresetInfo], error) {
			info, err := s.Store.RenamePreset(askerOf(ctx), in.Name, in.Body.Name)
			return answer(s, info, err)
		})
	huma.Register(a, operation("GET", "/preset-uses/{name}", "list-preset-uses", "Which levels took a preset of yours", tag),
		func(ctx context.Context, in *OwnPresetPath) (*out[api.PresetUses], error) {
			uses, err := s.Store.PresetUses(askerOf(ctx), in.Name)
			return answer(s, uses, err)
		})
	huma.Register(a, operation("PUT", "/presets/{name}/shares", "share-preset", "Say with whom a preset of yours is shared", tag),
		func(ctx context.Context, in *struct {
			OwnPresetPath
			Body api.Share
		}) (*struct{}, error) {
			return nothing(s, s.Store.SharePreset(askerOf(ctx), in.Name, in.Body))
		})
	huma.Register(a, operation("DELETE", "/presets/{name}", "delete-preset", "Delete a preset of yours", tag),
		func(ctx context.Context, in *OwnPresetPath) (*struct{}, error) {
			return nothing(s, s.Store.DeletePreset(askerOf(ctx), in.Name))
		})
	apply := operation("POST", "/levels/{id}/presets", "apply-preset", "Put a preset into a level", tag)
	apply.Description = "One revision. With If-Match, what somebody else changed since is not overwritten: that is a conflict. The service notes where each part came from; GET /levels/{id}/origins tells it."
	huma.Register(a, apply, func(ctx context.Context, in *struct {
		LevelPath
		IfMatch string `header:"If-Match"`
		Body    api.ApplyPreset
	}) (*revisionOut, error) {
		base, err := baseOf(in.IfMatch)
		if err != nil {
			return nil, err
		}
		return s.revised(ctx, in.ID, func() (api.Revision, error) {
			owner := cmp.Or(in.Body.Owner, askerOf(ctx).Name)
			return s.Store.ApplyPreset(ctx, askerOf(ctx), in.ID, owner, in.Body.Name, in.Body.Version, placeOf(&in.Body), base)
		})
	})
	s.registerWouldApply(a, tag)
	s.registerPresetPicture(a, tag)
	s.registerOrigins(a, tag)
	s.registerBundles(a, tag)
	s.registerPlatforms(a)
}

// lifted is the preset that is to be saved from a level.
func lifted(doc *level.Level, want *api.NewPreset) (*preset.Preset, error) {
	kind := want.Kind
	switch {
	case kind != "":
	case want.Zone != "":
		kind = preset.Zone
	case want.Look:
		kind = preset.Look
	default:
		kind = preset.Mood
	}
	switch kind {
	case preset.Rig:
		return preset.FromRig(doc, want.Rig)
	case preset.Zone:
		return preset.FromZone(doc, want.Zone)
	case preset.Look:
		return preset.FromLook(doc), nil
	case preset.Sky:
		return preset.FromSky(doc), nil
	case preset.Density:
		return preset.FromDensity(doc), nil
	case preset.Environment:
		return preset.FromEnvironment(doc), nil
	}
	return preset.FromMood(doc), nil
}

func (s *server) registerWouldApply(a huma.API, tag string) {
	would := operation("POST", "/levels/{id}/presets/changes", "preview-preset", "What a preset would change in a level", tag)
	would.Description = "Nothing is stored. Each thing and field that would be another, with both values."
	huma.Register(a, would, func(ctx context.Context, in *struct {
		LevelPath
		Body api.ApplyPreset
	}) (*out[list[level.Change]], error) {
		doc, op, err := s.presetOperation(ctx, in.ID, &in.Body)
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
	plan := operation("POST", "/levels/{id}/presets/operation", "plan-preset", "The operation that would put a preset into a level", tag)
	plan.Description = "Nothing is stored. With it the preset can be shown, or its light previewed, before it is taken."
	huma.Register(a, plan, func(ctx context.Context, in *struct {
		LevelPath
		Body api.ApplyPreset
	}) (*out[level.Operation], error) {
		_, op, err := s.presetOperation(ctx, in.ID, &in.Body)
		return answer(s, op, err)
	})
}

// presetOperation is what would put a preset into a level, and the level's document.
func (s *server) presetOperation(ctx context.Context, id string, in *api.ApplyPreset) (doc *level.Level, op level.Operation, err error) {
	_, doc, err = s.Store.Level(askerOf(ctx), id)
	if err != nil {
		return nil, op, err
	}
	_, p, err := s.Store.Preset(askerOf(ctx), cmp.Or(in.Owner, askerOf(ctx).Name), in.Name, in.Version)
	if err != nil {
		return nil, op, err
	}
	op, _, err = p.Apply(doc, placeOf(in))
	return doc, op, err
}

func placeOf(p *api.ApplyPreset) preset.Place {
	return preset.Place{At: p.At, Normal: p.Normal, Only: p.Only, Zones: p.Zones, More: p.Places}
}
