package rest

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/planner"
	"grotta/core/scatter"
	"grotta/core/shot"
	"grotta/core/sky"
	"grotta/core/source"
)

func (s *server) registerSheet(a huma.API, tag string) {
	op := heavy(operation("POST", "/levels/{id}/sheets", "make-sheet", "A contact sheet", tag))
	op.Description = "PNG, with the headers of a shot. A day has the sun, sky and haze of a cloudless one, each picture exposed by itself; what they need and is not there is baked at draft."
	op.Responses = binaryResponse("image/png")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewSheet
	}) (*pictureOut, error) {
		st, err := s.stage(ctx, in.ID, in.Body.Variant, nil)
		if err != nil {
			return nil, err
		}
		sheet := &sheet{server: s, stage: st, want: in.Body}
		st.options.Width, st.options.Height = or(in.Body.Width, 400), or(in.Body.Height, 250)
		if err := st.mirror(ctx); err != nil {
			return nil, s.problem(err)
		}
		cells, err := map[string]func(context.Context) ([]shot.Cell, error){
			"views": sheet.views, "lights": sheet.lights, "rigs": sheet.rigs, "day": sheet.day,
		}[in.Body.Kind](ctx)
		if err != nil {
			return nil, err
		}
		data, err := encodePNG(shot.Sheet(cells, or(in.Body.Columns, 3)))
		if err != nil {
			return nil, s.problem(err)
		}
		return &pictureOut{"image/png", st.light.Drafted, st.light.Missing, data}, nil
	})
}

type sheet struct {
	server *server
	stage  *stage
	want   api.NewSheet
}

func (s *sheet) cell(ctx context.Context, p *bake.Prepared, m *layer.Image, c shot.Camera, o shot.Options, label string) (shot.Cell, error) {
	picture, err := shot.Render(ctx, p, m, c, o, nil)
	return shot.Cell{Picture: picture, Label: label}, err
}

func (s *sheet) views(ctx context.Context) ([]shot.Cell, error) {
	if len(s.stage.level.doc.Viewpoints) == 0 {
		return nil, newProblem(422, "the level has no viewpoints; add one, or ask for a shot")
	}
	var cells []shot.Cell
	for _, v := range s.stage.level.doc.Viewpoints {
		c, err := s.cell(ctx, s.stage.level.prepared, s.stage.image, shot.Of(s.stage.level.prepared.Scene.World, v), s.stage.options, cmp.Or(v.Name, v.ID))
		if err != nil {
			return nil, s.server.problem(err)
		}
		cells = append(cells, c)
	}
	return cells, nil
}

// lights shows each light alone, exposed by itself.
func (s *sheet) lights(ctx context.Context) ([]shot.Cell, error) {
	groups, err := s.alone(func(src *api.Source) string {
		if src.Kind == source.AmbientKind || src.Kind == source.SkyFillKind || src.Group != "" {
			return ""
		}
		return fmt.Sprintf("%s (%s)", src.Name, src.Kind)
	})
	if err != nil {
		return nil, err
	}
	return s.solo(ctx, groups, true)
}

// rigs shows what each rig lights alone, all at the exposure of the brightest, so
// that fixtures can be compared.
func (s *sheet) rigs(ctx context.Context) ([]shot.Cell, error) {
	groups, err := s.alone(func(src *api.Source) string {
		light := s.stage.level.doc.Light(src.ID)
		if light == nil || light.Rig == "" {
			return ""
		}
		return cmp.Or(s.stage.level.doc.RigByID(light.Rig).Name, light.Rig)
	})
	if err != nil {
		return nil, err
	}
	return s.solo(ctx, groups, false)
}

// lit is a lightmap of some sources alone.
type lit struct {
	label   string
	sources []source.Source
	layers  []*layer.Layer
}

// alone groups the baked sources of the level by their labels; "" leaves one out.
func (s *sheet) alone(label func(*api.Source) string) ([]*lit, error) {
	m, err := s.server.Studio.Lightmap(s.stage.level.prepared, s.stage.level.info.Revision)
	if err != nil {
		return nil, s.server.problem(err)
	}
	var groups []*lit
	for i := range m.Sources {
		src := &m.Sources[i]
		name := label(src)
		if name == "" || src.Layer == "" || src.Strength == 0 {
			continue
		}
		layer, err := s.server.Studio.Layer(src.Layer)
		if err != nil {
			return nil, s.server.problem(err)
		}
		one := s.stage.level.prepared.Sources[i]
		one.Weight = one.Color.Scale(one.Strength)
		at := slices.IndexFunc(groups, func(g *lit) bool { return g.label == name })
		if at < 0 {
			at, groups = len(groups), append(groups, &lit{label: name})
		}
		groups[at].sources, groups[at].layers = append(groups[at].sources, one), append(groups[at].layers, layer)
	}
	if len(groups) == 0 {
		return nil, newProblem(409, "no such light is baked yet; bake the level first")
	}
	return groups, nil
}

// solo draws each group under its own light: without air and sky.
func (s *sheet) solo(ctx context.Context, groups []*lit, each bool) ([]shot.Cell, error) {
	camera, err := s.server.camera(s.stage.level, &api.NewShot{Viewpoint: s.want.Viewpoint})
	if err != nil {
		return nil, err
	}
	dark := *s.stage.level.prepared.Scene.Level
	dark.Environment.Sky.Luminance = 0
	only, err := s.stage.level.prepared.Again(&dark)
	if err != nil {
		return nil, s.server.problem(err)
	}
	images, exposures := make([]*layer.Image, len(groups)), make([]float64, len(groups))
	o := s.stage.options
	o.NoAir, o.Mirrors = true, nil // what mirrors shows each light by itself
	for i, g := range groups {
		images[i] = layer.Mix(g.layers[0].PageSize, g.layers[0].Pages, g.sources, g.layers)
		exposures[i] = shot.Meter(only, images[i], camera, o) + 2 // most of such a picture is black
	}
	brightest := slices.Max(exposures)
	var cells []shot.Cell
	for i, g := range groups {
		ev := brightest
		if each {
			ev = exposures[i]
		}
		o.ExposureEV = &ev
		c, err := s.cell(ctx, only, images[i], camera, o, g.label)
		if err != nil {
			return nil, s.server.problem(err)
		}
		cells = append(cells, c)
	}
	return cells, nil
}

// dayTimes are what a day shows where nothing else is asked.
var dayTimes = []string{"04:00", "06:00", "08:00", "10:00", "12:00", "14:00", "16:00", "18:00", "20:00"}

func (s *sheet) day(ctx context.Context) ([]shot.Cell, error) {
	camera, err := s.server.camera(s.stage.level, &api.NewShot{Viewpoint: s.want.Viewpoint})
	if err != nil {
		return nil, err
	}
	times := s.want.Times
	if len(times) == 0 {
		times = dayTimes
	}
	p := s.stage.level.prepared
	var cells []shot.Cell
	for i, at := range times {
		doc, label, err := atTime(s.stage.level.doc, at)
		if err != nil {
			return nil, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: fmt.Sprintf("body.times[%d]", i), Message: err.Error()})
		}
		if p, err = p.Again(doc); err != nil {
			return nil, s.server.problem(err)
		}
		image, err := s.server.Studio.MixNow(ctx, p, nil)
		if err != nil {
			return nil, s.server.problem(err)
		}
		o := s.stage.options
		if o.Air, _, err = s.server.Studio.Air(ctx, p, scatter.Ask{}); err != nil {
			return nil, s.server.problem(err)
		}
		if o.Mirrors, err = shot.Mirrors(ctx, p, image, o.Moving); err != nil {
			return nil, s.server.problem(err)
		}
		ev := shot.Meter(p, image, camera, o)
		o.ExposureEV = &ev
		c, err := s.cell(ctx, p, image, camera, o, fmt.Sprintf("%s  EV %.1f", label, ev))
		if err != nil {
			return nil, s.server.problem(err)
		}
		cells = append(cells, c)
	}
	return cells, nil
}

// atTime is a level with its sun as it stands at a time: a clock on the sun's own
// day, or a full date and time.
func atTime(l *level.Level, at string) (*level.Level, string, error) {
	next := *l
	sun := level.Default[level.Sun]()
	if l.Environment.Sun != nil {
		sun = *l.Environment.Sun
	}
	place := level.Default[level.Place]()
	if sun.Place != nil {
		place = *sun.Place
	}
	label := strings.TrimSuffix(at, "Z")
	if clock, err := time.Parse("15:04", label); err == nil {
		place.At = place.At[:11] + clock.Format("15:04:00Z")
	} else {
		place.At = at
		if _, err := place.Time(); err != nil {
			return nil, "", fmt.Errorf("is %q; a time is written 05:00 or 2026-06-21T05:00Z, UTC", at)
		}
	}
	sun.Place, sun.Enabled = &place, true
	next.Environment.Sun = &sun
	daylight(&next)
	return &next, label + " UTC", next.Validate()
}

// daylight gives a level the sun, sky and haze of a cloudless day at its sun's
// altitude: a day is judged by its light, whatever evening the level keeps.
func daylight(l *level.Level) {
	_, altitude := sky.Angles(l.Environment.Sun.Toward())
	sunLux, skyLux := sky.Daylight(altitude)
	e := &l.Environment
	e.Sun.Lux, e.Sun.Color, e.Sun.Kelvin = sunLux, "", 2000+3500*min(max(altitude, 0)/30, 1)
	e.Sky.Kind, e.Sky.Color, e.Sky.GroundColor, e.Sky.Image, e.Sky.Lights = level.SkyClear, "#bcd0f0", "#5c5f58", "", true
	s := sky.OfLevel(l)
	e.Sky.Luminance = skyLux / s.Horizontal().Luminance()
	h := &l.Fog.Haze
	h.Color, h.Luminance, h.Max = "#ffffff", e.Sky.Luminance*s.Radiance(level.Direction(90, 2)).Luminance(), h.Max/3
}

func (s *server) registerDensity(a huma.API, tag string) {
	huma.Register(a, heavy(operation("POST", "/levels/{id}/density", "plan-density", "Plan the density of every surface for a budget of texels", tag)),
		func(ctx context.Context, in *struct {
			LevelPath
			Body api.Budget
		}) (*out[*api.Plan], error) {
			o, err := s.open(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			image, err := s.Studio.MixNow(ctx, o.prepared, nil)
			if err != nil {
				return nil, s.problem(err)
			}
			if len(in.Body.Steps) == 0 && o.doc.Platform != "" {
				if profile, err := s.Store.Platform(askerOf(ctx), o.doc.Platform); err == nil {
					in.Body.Steps = profile.Limits.Densities
				}
			}
			plan, err := planner.Make(o.prepared, image, planner.Budget(in.Body))
			if err != nil {
				return nil, s.problem(err)
			}
			return answer(s, planOf(plan), nil)
		})
}
