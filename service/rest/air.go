package rest

import (
	"bytes"
	"context"
	"encoding/binary"
	"image"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/air"
	"grotta/core/compare"
	"grotta/core/grade"
	"grotta/core/half"
	"grotta/core/level"
	"grotta/core/scatter"
	"grotta/core/shot"
)

// Distances of sight that an air is described by, for things of these sizes.
var sightSizesM = []float64{0.1, 0.5, 2, 10}

func (s *server) registerAir(a huma.API, tag string) {
	huma.Register(a, operation("GET", "/levels/{id}/air", "get-air", "A level's air as plain numbers, how far one sees in it, and what it costs", tag),
		func(ctx context.Context, in *LevelPath) (*out[api.AirReport], error) {
			o, err := s.open(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			air, costs, err := s.Studio.Air(ctx, o.prepared, scatter.Ask{})
			if err != nil {
				return nil, s.problem(err)
			}
			return answer(s, o.airReport(air, costs), nil)
		})
	would := operation("POST", "/levels/{id}/air/preview", "preview-air", "A level's air after a change that is not saved", tag)
	would.Description = "For a hand that drags a glow or fog: nothing is stored, and light in fog is not computed, so there are no costs. What falls stops at the surfaces of the level as it is."
	huma.Register(a, would, func(ctx context.Context, in *struct {
		LevelPath
		Body api.TriedChange
	}) (*out[api.AirReport], error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		next, _, err := o.doc.ApplyContext(ctx, in.Body.Operation)
		if err != nil {
			return nil, s.problem(err)
		}
		return answer(s, o.airReport(shot.UnlitAir(next, next.World(), o.prepared.Scene), nil), nil)
	})
	op := operation("GET", "/levels/{id}/fog", "get-fog", "The light in a level's fog volumes", tag)
	op.Description = "Little-endian: width, height, depth (uint32) of the whole; for each volume of the air, in order, its first layer, and its cells across, up and along (uint32; 0 where it is not lit); a float32 that values are to be multiplied by. Then half-floats, four a cell: red, green, blue, 0 in lux; and again as much: x, y, z of the luminance's direction, 0."
	op.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Source string `query:"source" maxLength:"64" doc:"Id of the one source whose share is wanted."`
	}) (*fileOut, error) {
		o, err := s.open(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		air, _, err := s.Studio.Air(ctx, o.prepared, scatter.Ask{Only: in.Source})
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", packFog(air)}, nil
	})
}

func (o *opened) airReport(a *air.Air, costs []scatter.Cost) api.AirReport {
	body := api.AirReport{Level: o.info.ID, Revision: o.info.Revision, Air: *a, Costs: each(costs, costOf), Sight: []api.Sight{}}
	for i := range a.Settings {
		set := &a.Settings[i]
		for _, size := range sightSizesM {
			body.Sight = append(body.Sight, api.Sight{Zone: set.Zone, SizeM: size, VanishM: set.VanishM(size, eyeHeightM, maxSightM)})
		}
	}
	return body
}

const (
	eyeHeightM = 1.7
	maxSightM  = 20_000
)

// fullHalf is what the greatest value comes to: near the end of half-floats, so
// that the small ones keep their precision.
const fullHalf = 60000

// packFog stacks the fields of all volumes into one block of cells.
func packFog(a *air.Air) []byte {
	var size [3]int
	places := make([][4]uint32, len(a.Volumes))
	most := float32(1e-6)
	for i := range a.Volumes {
		f := a.Volumes[i].Field
		if f == nil {
			continue
		}
		places[i] = [4]uint32{uint32(size[2]), uint32(f.Cells[0]), uint32(f.Cells[1]), uint32(f.Cells[2])}
		size[0], size[1], size[2] = max(size[0], f.Cells[0]), max(size[1], f.Cells[1]), size[2]+f.Cells[2]
		for _, v := range f.Values {
			most = max(most, v, -v)
		}
	}
	size = [3]int{max(size[0], 2), max(size[1], 1), max(size[2], 1)}
	values := make([]float32, 8*size[0]*size[1]*size[2])
	second := len(values) / 2
	for i := range a.Volumes {
		f := a.Volumes[i].Field
		if f == nil {
			continue
		}
		for k := 0; k < len(f.Values); k += 6 {
			cell := k / 6
			x, y, z := cell%f.Cells[0], cell/f.Cells[0]%f.Cells[1], cell/f.Cells[0]/f.Cells[1]+int(places[i][0])
			at := 4 * (x + size[0]*(y+size[1]*z))
			copy(values[at:at+3], f.Values[k:k+3])
			copy(values[second+at:second+at+3], f.Values[k+3:k+6])
		}
	}
	packed := make([]uint16, len(values))
	half.Encode(packed, values, fullHalf/most)
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, [3]uint32{uint32(size[0]), uint32(size[1]), uint32(size[2])})
	binary.Write(&b, binary.LittleEndian, places)
	binary.Write(&b, binary.LittleEndian, most/fullHalf)
	binary.Write(&b, binary.LittleEndian, packed)
	return b.Bytes()
}

func (s *server) registerCompare(a huma.API, tag string) {
	op := heavy(operation("POST", "/levels/{id}/comparisons", "compare-pictures", "Two pictures from one viewpoint, and how they differ", tag))
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewComparison
	}) (*out[api.Comparison], error) {
		want := in.Body
		var pictures [2]*image.NRGBA
		var lights [2]api.PictureLight
		for i, side := range []api.Side{want.A, want.B} {
			id := side.Level
			if id == "" {
				id = in.ID
			}
			st, err := s.stage(ctx, id, side.Variant, want.TimeS)
			if err != nil {
				return nil, err
			}
			lights[i] = st.light
			frame := api.NewShot{Viewpoint: want.Viewpoint, Camera: want.Camera, Width: or(want.Width, 640), Height: or(want.Height, 400), TimeS: want.TimeS}
			if pictures[i], err = s.take(ctx, st, &frame); err != nil {
				return nil, err
			}
		}
		result, err := compare.Pictures(pictures[0], pictures[1])
		if err != nil {
			return nil, s.problem(err)
		}
		body := api.Comparison{Difference: differenceOf(result), A: lights[0], B: lights[1]}
		switch want.Form {
		case "", "side":
			body.Picture, err = encodePNG(compare.Side(pictures[0], pictures[1]))
		case "divider":
			body.Picture, err = encodePNG(compare.Divide(pictures[0], pictures[1], 0.5))
		case "difference":
			body.Picture, err = encodePNG(compare.FalseColor(result))
		}
		return answer(s, body, err)
	})
}

// registerGrade reads and writes the grade of a level as the XML of the ASC CDL.
func (s *server) registerGrade(a huma.API, tag string) {
	op := operation("GET", "/levels/{id}/grade.cc", "get-grade", "A level's grade as an ASC CDL ColorCorrection", tag)
	op.Responses = binaryResponse("application/xml")
	huma.Register(a, op, func(ctx context.Context, in *LevelPath) (*fileOut, error) {
		_, doc, err := s.Store.Level(askerOf(ctx), in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		text, err := grade.WriteCDL(&doc.Look.Grade, in.ID)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/xml", "", text}, nil
	})
	put := operation("PUT", "/levels/{id}/grade.cc", "set-grade", "Take a level's grade from an ASC CDL document", tag)
	huma.Register(a, put, func(ctx context.Context, in *struct {
		LevelPath
		RawBody []byte `contentType:"application/xml"`
	}) (*revisionOut, error) {
		g, err := grade.ReadCDL(in.RawBody)
		if err != nil {
			return nil, newProblem(422, "the CDL cannot be taken: "+err.Error())
		}
		return s.revised(ctx, in.ID, func() (api.Revision, error) {
			op := level.Set("", map[string]any{
				"look.grade.slope": numbers(g.Slope), "look.grade.offset": numbers(g.Offset), "look.grade.power": numbers(g.Power),
				"look.grade.saturation": g.Saturation, "look.grade.enabled": true,
			})
			op.Label = "Take the grade from a CDL"
			return s.Store.Apply(ctx, askerOf(ctx), in.ID, op, 0)
		})
	})
}

func numbers(v level.Vec) []any { return []any{v[0], v[1], v[2]} }
