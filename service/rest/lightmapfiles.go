package rest

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/exchange"
	"grotta/core/layer"
	"grotta/core/picture"
	"grotta/core/probe"
	"grotta/core/source"
)

// This file hands the baked light out.

func (s *server) registerLightmapFiles(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/lightmap/files", "export-lightmap", "The baked light as files", tag))
	op.Description = "An archive (.zip): level.glb, whose second texture coordinates lie on the pages; the pages; and manifest.json (grotta-lightmap/1), which says what a value is in lux, where each surface lies, and what was left out. What is not baked is made at draft first; the manifest has the coarsest quality."
	op.Responses = binaryResponse("application/zip")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Pages      string  `query:"pages" enum:"exr,hdr,png" default:"exr" doc:"exr: OpenEXR, half-float; hdr: Radiance HDR; png: eight bits, see encoding."`
		Encoding   string  `query:"encoding" enum:"linear,srgb,rgbm" default:"rgbm" doc:"png: how eight bits hold light. rgbm: color times alpha times range."`
		RangeLux   float64 `query:"range_lux" minimum:"0" maximum:"1e9" doc:"png: the light that is white; the brightest texel if left out. What is brighter is cut, and counted."`
		Layers     bool    `query:"layers" doc:"Also the pages of each source by itself; their sum is the lightmap."`
		Directions bool    `query:"directions" doc:"exr: also how light changes as normals turn, for surfaces with normal maps and for things beside them. It is computed for this answer and takes as long as four bakes at good quality."`
	}) (*fileOut, error) {
		if in.Directions && in.Pages != "exr" {
			return nil, newProblem(http.StatusUnprocessableEntity, "directions have values below 0, which pages as "+in.Pages+" cannot hold; ask for exr")
		}
		o, image, err := s.lit(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		how := exchange.Pages{As: in.Pages, Encoding: in.Encoding, RangeLux: in.RangeLux, Layers: in.Layers, Directions: in.Directions}
		if err := how.Fit(o.prepared.Layout, len(o.prepared.Sources)); err != nil {
			return nil, s.problem(err)
		}
		m, err := s.Studio.Lightmap(o.prepared, o.info.Revision)
		if err != nil {
			return nil, s.problem(err)
		}
		baked := &exchange.Baked{Map: o.prepared.Map, Sources: o.prepared.Sources, Image: image, Quality: coarsest(m)}
		baked.Layer = func(i int) (*layer.Image, error) {
			if m.Sources[i].Layer == "" {
				return nil, nil
			}
			l, err := s.Studio.Layer(m.Sources[i].Layer)
			if err != nil {
				return nil, err
			}
			return exchange.SourceImage(o.prepared.Map, &o.prepared.Sources[i], l), nil
		}
		if in.Directions {
			if err := addSlopes(ctx, o.prepared, baked, bake.Quality(baked.Quality)); err != nil {
				return nil, s.problem(err)
			}
		}
		if baked.Files, err = filesBeside(ctx, o, image); err != nil {
			return nil, s.problem(err)
		}
		var b bytes.Buffer
		if _, err := exchange.WriteBaked(ctx, &b, o.doc, baked, how); err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/zip", fmt.Sprintf("attachment; filename=%q", fileName(o.info.Name)+"-lightmap.zip"), b.Bytes()}, nil
	})
}

// addSlopes bakes how the light of each source changes as normals turn.
func addSlopes(ctx context.Context, p *bake.Prepared, to *exchange.Baked, q bake.Quality) error {
	lit := p.Lit()
	layers, err := p.BakeLeaning(ctx, lit, q, nil)
	if err != nil {
		return err
	}
	sources := make([]source.Source, len(lit))
	for i, s := range lit {
		sources[i] = *s
	}
	whole := exchange.Slope(p.SlopeOf(sources, layers))
	to.Slope = &whole
	to.LayerSlope = func(i int) *exchange.Slope {
		k := slices.IndexFunc(lit, func(s *source.Source) bool { return s.ID == p.Sources[i].ID })
		if k < 0 {
			return nil
		}
		var one bake.Leaning
		for side := range one {
			one[side] = layers[side][k : k+1]
		}
		own := exchange.Slope(p.SlopeOf(sources[k:k+1], one))
		return &own
	}
	return nil
}

// coarsest is the lowest quality that a layer of a lightmap has; none where nothing is baked.
func coarsest(m *api.LightmapState) string {
	for _, q := range bake.Qualities { // from draft up
		if slices.ContainsFunc(m.Sources, func(s api.Source) bool { return s.Layer != "" && s.Quality == string(q) }) {
			return string(q)
		}
	}
	return ""
}

// probeConvention says what the numbers of probes.json are.
const probeConvention = "Radiance in nits as real spherical harmonics to order 2 in the level's axes (x east, y up, z south), in the order 1, y, z, x, xy, yz, 3z²-1, xz, x²-y² with the constants 0.282095, 0.488603, 0.488603, 0.488603, 1.092548, 1.092548, 0.315392, 1.092548, 0.546274; each coefficient is red, green, blue. Irradiance multiplies the three bands by π, 2π/3 and π/4. Probes go along x first, then y, then z; one that is inside of a thing is not used."

// filesBeside are a level's probes and reflections as files: the light for things that move, and
// what mirrors show.
func filesBeside(ctx context.Context, o *opened, image *layer.Image) ([]exchange.File, error) {
	var files []exchange.File
	grids, err := capture(ctx, o.prepared, image)
	if err != nil {
		return nil, err
	}
	if len(grids) > 0 {
		text, err := Indent(map[string]any{"format": "grotta-probes/1", "convention": probeConvention, "grids": each(grids, gridOf)})
		if err != nil {
			return nil, err
		}
		files = append(files, exchange.File{Name: "probes.json", What: "light in the air by probes; its convention stands in it", Data: text})
	}
	for _, r := range o.doc.Reflections {
		if !r.Enabled {
			continue
		}
		got, err := probe.CaptureCube(ctx, o.prepared, image, r)
		if err != nil {
			return nil, err
		}
		files = append(files, exchange.File{Name: "reflections/" + r.ID + ".hdr", What: "faces +x, -x, +y, -y, +z, -z in nits, and below them the same for rougher mirrors, each of half the side", Data: picture.EncodeHDR(got.Picture())})
	}
	return files, nil
}
