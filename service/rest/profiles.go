package rest

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/photometry"
	"grotta/service/store"
)

// This file tells how luminaires shine.

func (s *server) registerProfiles(a huma.API, tag string) {
	op := operation("GET", "/levels/{id}/profiles/{profile}", "get-profile", "How a profile shines by direction", tag)
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Profile string `path:"profile" maxLength:"64"`
	}) (*out[api.LuminaireShape], error) {
		_, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		p := doc.Profile(in.Profile).Shape()
		if p == nil {
			return nil, s.problem(fmt.Errorf("the level has no profile %q: %w", in.Profile, store.ErrNotFound))
		}
		return answer(s, describeProfile(p), nil)
	})
}

// describeProfile samples a profile along four planes, every five degrees.
func describeProfile(p *photometry.Profile) api.LuminaireShape {
	out := api.LuminaireShape{Peak: p.Peak, Lumens: p.Lumens(), Luminaire: p.Keywords["LUMINAIRE"], Maker: p.Keywords["MANUFAC"]}
	const step = 5
	for _, h := range []float64{0, 90, 180, 270} {
		plane := api.ShapePlane{HorizontalDeg: h}
		for v := 0; v <= 180; v += step {
			plane.Candela = append(plane.Candela, p.At(float64(v), h))
		}
		out.Planes = append(out.Planes, plane)
	}
	return out
}
