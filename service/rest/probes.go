package rest

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/mirror"
	"grotta/core/picture"
	"grotta/core/probe"
)

func (s *server) registerProbes(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/probes", "capture-probes", "Capture the light in a level's probe grids", tag))
	op.Description = "By the lightmap as it is baked; what is not baked is baked at draft. With a point, also which probes serve it."
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Point string `query:"point" doc:"x,y,z in metres."`
	}) (*out[api.Probes], error) {
		o, image, err := s.lit(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		grids, err := capture(ctx, o.prepared, image)
		if err != nil {
			return nil, s.problem(err)
		}
		body := api.Probes{Level: o.info.ID, Revision: o.info.Revision, Grids: each(grids, gridOf)}
		if in.Point != "" {
			at, err := parseVec("point", in.Point)
			if err != nil {
				return nil, err
			}
			places := mirror.PlacesOf(o.prepared.Scene)
			if i := mirror.Serving(len(places), func(i int) *mirror.Place { return &places[i] }, at); i >= 0 {
				body.Reflection = places[i].ID
			}
			for _, g := range grids {
				if g.Holds(at) && len(body.Serving) == 0 {
					body.ServedBy, body.Serving = g.ID, each(g.Serving(at), partOf)
				}
			}
		}
		return answer(s, body, nil)
	})
	cube := heavy(operation("GET", "/levels/{id}/reflections/{reflection}", "capture-reflection", "Capture what is seen from a reflection's place", tag))
	cube.Description = "A Radiance HDR image: the faces +x, -x, +y, -y, +z, -z side by side, and below them the same for rougher mirrors, each of half the side, prefiltered."
	cube.Responses = binaryResponse("image/vnd.radiance")
	huma.Register(a, cube, func(ctx context.Context, in *struct {
		LevelPath
		Reflection string `path:"reflection" maxLength:"64"`
	}) (*fileOut, error) {
		o, image, err := s.lit(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		r := o.doc.Reflection(in.Reflection)
		if r == nil {
			return nil, newProblem(404, fmt.Sprintf("the level has no reflection %q", in.Reflection))
		}
		got, err := probe.CaptureCube(ctx, o.prepared, image, r)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"image/vnd.radiance", "", picture.EncodeHDR(got.Picture())}, nil
	})
}

// capture fills every grid of a level that is on.
func capture(ctx context.Context, p *bake.Prepared, image *layer.Image) ([]*probe.Grid, error) {
	grids := []*probe.Grid{}
	for _, g := range p.Scene.Level.Probes {
		if !g.Enabled {
			continue
		}
		got, err := probe.Capture(ctx, p, image, g)
		if err != nil {
			return nil, fmt.Errorf("probes %s: %w", g.ID, err)
		}
		grids = append(grids, got)
	}
	return grids, nil
}

// moving lights surfaces that move, where a level has any.
func moving(ctx context.Context, p *bake.Prepared, image *layer.Image) ([]*probe.Grid, error) {
	for i := range p.Scene.Surfaces {
		if p.Scene.Surfaces[i].Finish().Material.Lighting == "dynamic" {
			return capture(ctx, p, image)
		}
	}
	return nil, nil
}
