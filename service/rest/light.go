package rest

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/source"
)

// opened is a level that is ready for questions about light.
type opened struct {
	info     api.LevelInfo
	doc      *level.Level
	prepared *bake.Prepared
}

func (s *server) open(ctx context.Context, id string) (*opened, error) {
	info, doc, err := s.Store.Level(askerOf(ctx), id)
	if err != nil {
		return nil, s.problem(err)
	}
	p, err := s.Studio.Prepare(ctx, id, info.Revision, doc)
	if err != nil {
		return nil, s.problem(err)
	}
	return &opened{info, doc, p}, nil
}

// lit opens a level and mixes its light; what is not baked is baked at draft.
func (s *server) lit(ctx context.Context, id string) (*opened, *layer.Image, error) {
	o, err := s.open(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	image, err := s.Studio.MixNow(ctx, o.prepared, nil)
	if err != nil {
		return nil, nil, s.problem(err)
	}
	return o, image, nil
}

func (s *server) registerLight(a huma.API) {
	const tag = "light"
	huma.Register(a, operation("GET", "/levels/{id}/lightmap", "get-lightmap", "What of a level is baked", tag),
		func(ctx context.Context, in *struct {
			LevelPath
			Hash bool `query:"hash" doc:"Also mix and hash the lightmap."`
		}) (*out[*api.LightmapState], error) {
			o, err := s.open(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			m, err := s.Studio.Lightmap(o.prepared, o.info.Revision)
			if err == nil && in.Hash && m.Stale == 0 {
				var image *layer.Image
				if image, err = s.Studio.Mix(o.prepared, m, nil); err == nil {
					m.Hash = image.Hash()
				}
			}
			return answer(s, m, err)
		})
	s.registerLayers(a, tag)
	preview := heavy(operation("POST", "/levels/{id}/preview", "preview-light", "The direct light of a source after a change that is not saved", tag))
	preview.Description = "For a hand that drags a light: nothing is stored. Little-endian: length of a JSON header (uint32), the header, padded to four bytes (the source's id, colour, strength and weight), then the layer as get-layer gives it, at draft, without bounces. The change must not move geometry; blocks that it adds cast no shadow yet."
	preview.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, preview, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewPreview
	}) (*fileOut, error) {
		return s.preview(ctx, in.ID, &in.Body)
	})
	mesh := operation("GET", "/levels/{id}/scene", "get-scene", "A level's triangles with lightmap coordinates", tag)
	mesh.Description = "Little-endian: length of a JSON header (uint32), the header, padded to four bytes; then float32 lists, one after the other: positions (3 a vertex), normals (3), lightmap coordinates in texels and page (3; page -1 where there is none, -2 where it is lit as something that moves), linear albedo (3), emission in nits (1), metres that a wind of 1 m/s takes it and seconds of a swing (2), place in its image, which of the header's images (-1 for none) and its alpha cutoff (4). Three vertices a triangle."
	mesh.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, mesh, func(ctx context.Context, in *LevelPath) (*fileOut, error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		data, err := sceneMesh(o.prepared)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", data}, nil
	})
	light := heavy(operation("GET", "/levels/{id}/moving-light", "get-moving-light", "The light on surfaces that move", tag))
	light.Description = "Little-endian float32: lux, red, green and blue, for each vertex of the scene on page -2, in its order; by the level's probes where it has some."
	light.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, light, func(ctx context.Context, in *LevelPath) (*fileOut, error) {
		st, err := s.stage(ctx, in.ID, api.Variant{Air: "off"}, nil)
		if err != nil {
			return nil, err
		}
		data, err := movingLight(ctx, st.level.prepared, st.image, st.grids)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", data}, nil
	})
	sky := operation("GET", "/levels/{id}/sky", "get-sky", "A level's sky by direction", tag)
	sky.Description = "Little-endian: width, height (uint32), then red, green, blue, 0 as half-floats: radiance for a luminance of 1, equirectangular, rows from the zenith down, the middle north."
	sky.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, sky, func(ctx context.Context, in *LevelPath) (*fileOut, error) {
		_, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", skyMap(doc)}, nil
	})
	s.registerLightmapFiles(a, tag)
	s.registerProfiles(a, tag)
	s.registerLedger(a, tag)
	s.registerLine(a, tag)
	s.registerShot(a, tag)
	s.registerThumbnail(a, tag)
	s.registerSheet(a, tag)
	s.registerAir(a, tag)
	s.registerCompare(a, tag)
	s.registerGrade(a, tag)
	s.registerDensity(a, tag)
	s.registerProbes(a, tag)
	s.registerMirrors(a, tag)
	s.registerChecks(a, tag)
	s.registerFit(a, tag)
}

// layer serves a layer only through a level that has it now, so that a key
// alone opens nothing.
// preview bakes the direct light of one source of a level as an operation would leave it.
func (s *server) preview(ctx context.Context, id string, in *api.NewPreview) (*fileOut, error) {
	o, err := s.open(ctx, id)
	if err != nil {
		return nil, err
	}
	next, _, err := o.doc.ApplyContext(ctx, in.Operation)
	if err != nil {
		return nil, s.problem(err)
	}
	if next.OnlyAdds(o.doc) { // what is added casts no shadow yet
		next = next.StandingIn(o.doc)
	}
	if !o.prepared.Shares(next) {
		return nil, newProblem(http.StatusConflict, "the change moves geometry; only lights have a preview")
	}
	p, err := o.prepared.Again(next)
	if err != nil {
		return nil, s.problem(err)
	}
	src := p.Source(in.Source)
	if src == nil {
		return nil, newProblem(http.StatusNotFound, fmt.Sprintf("no source is called %q", in.Source))
	}
	layers, err := p.Direct(ctx, []*source.Source{src}, bake.Draft)
	if err != nil {
		return nil, s.problem(err)
	}
	data, err := headed(api.PreviewHead{Geometry: p.Geometry(), ID: src.ID, Color: src.Color, Strength: src.Strength, Weight: src.Weight})
	if err != nil {
		return nil, s.problem(err)
	}
	return &fileOut{"application/octet-stream", "", append(data, layers[0].Raw()...)}, nil
}

func (s *server) registerLedger(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/ledger", "ask-point", "What light reaches a point, and from whom", tag))
	op.Description = "Computed by rays from the point itself, not read from the lightmap."
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Point  string `query:"point" required:"true" doc:"x,y,z in metres." example:"0,1,0"`
		Normal string `query:"normal" default:"0,1,0" doc:"x,y,z; need not be of unit length."`
	}) (*out[api.Ledger], error) {
		point, err := parseVec("point", in.Point)
		if err != nil {
			return nil, err
		}
		normal, err := parseVec("normal", in.Normal)
		if err != nil {
			return nil, err
		}
		if normal.Len() < 1e-9 {
			return nil, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "query.normal", Message: "has no length; a direction is needed, such as 0,1,0"})
		}
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		return answer(s, ledgerOf(o, ledger.Ask(o.prepared, point, normal)), nil)
	})
}

// mostPlaces is how many places of a line are asked at once.
const mostPlaces = 128

func (s *server) registerLine(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/line", "ask-line", "The light along a straight line", tag))
	op.Description = "As of a surface that faces the normal, at places evenly along the line; by rays from each place, not read from the lightmap. The standard error of bounced light is a few per cent in evenly lit rooms, and up to about a third beside small bright places."
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		From   string `query:"from" required:"true" doc:"x,y,z in metres." example:"0,1,0"`
		To     string `query:"to" required:"true" doc:"x,y,z in metres." example:"4,1,0"`
		Normal string `query:"normal" default:"0,1,0" doc:"x,y,z; need not be of unit length."`
		Places int    `query:"places" minimum:"2" maximum:"128" default:"48"`
	}) (*out[api.LightLine], error) {
		var at [3]geom.Vec3
		for i, q := range [][2]string{{"from", in.From}, {"to", in.To}, {"normal", in.Normal}} {
			v, err := parseVec(q[0], q[1])
			if err != nil {
				return nil, err
			}
			at[i] = v
		}
		if at[2].Len() < 1e-9 {
			return nil, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "query.normal", Message: "has no length; a direction is needed, such as 0,1,0"})
		}
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		spots, err := ledger.Line(ctx, o.prepared, at[0], at[1], at[2], min(in.Places, mostPlaces))
		return answer(s, api.LightLine{Level: o.info.ID, Revision: o.info.Revision, Spots: each(spots, func(l ledger.Spot) api.LinePlace {
			return api.LinePlace{AtM: l.AtM, Point: l.Point, Direct: api.Irradiance(l.Direct), Bounced: api.Irradiance(l.Bounced), Most: l.Most}
		})}, err)
	})
}

func parseVec(name, text string) (geom.Vec3, error) {
	parts := strings.Split(text, ",")
	var v geom.Vec3
	ok := len(parts) == 3
	for i := 0; ok && i < 3; i++ {
		x, err := strconv.ParseFloat(strings.TrimSpace(parts[i]), 64)
		v[i], ok = x, err == nil && math.Abs(x) <= level.MaxExtent // false for NaN
	}
	if !ok {
		return v, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{
			Location: "query." + name, Message: fmt.Sprintf("is %q; three finite numbers are needed, such as 1.5,0,-2", text),
		})
	}
	return v, nil
}

func or(value, fallback int) int {
	if value == 0 {
		return fallback
	}
	return value
}
