package rest

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-gl/mathgl/mgl64"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/core/probe"
	"grotta/core/scatter"
	"grotta/core/shot"
)

// stage is a level lit and ready for pictures.
type stage struct {
	level   *opened
	image   *layer.Image
	light   api.PictureLight
	grids   []*probe.Grid // of light for what moves; none where nothing does
	options shot.Options
}

// stage opens a level as a variant has it. What has no light yet is baked at draft first,
// unless the variant says not to.
func (s *server) stage(ctx context.Context, id string, v api.Variant, seconds *float64) (*stage, error) {
	o, err := s.variant(ctx, id, &v)
	if err != nil {
		return nil, err
	}
	out := &stage{level: o}
	m, err := s.Studio.Lightmap(o.prepared, o.info.Revision)
	if err != nil {
		return nil, s.problem(err)
	}
	if v.NoBake {
		out.light.Missing = m.Stale
		out.image, err = s.Studio.Mix(o.prepared, m, seconds)
	} else {
		out.light.Drafted = m.Stale
		out.image, err = s.Studio.MixNow(ctx, o.prepared, seconds)
	}
	if err != nil {
		return nil, s.problem(err)
	}
	air, _, err := s.Studio.Air(ctx, o.prepared, scatter.Ask{Seconds: seconds, Bare: v.Air == "off"})
	if err != nil {
		return nil, s.problem(err)
	}
	if out.grids, err = moving(ctx, o.prepared, out.image); err != nil {
		return nil, s.problem(err)
	}
	out.options = shot.Options{Samples: 2, NoLook: v.Look == "off", NoAir: v.Air == "off", Air: air, Moving: probe.Moving(o.prepared, out.grids)}
	if seconds != nil {
		out.options.Seconds = *seconds
	}
	if v.Display != "" {
		profile, err := s.Store.Platform(askerOf(ctx), v.Display)
		if err != nil {
			return nil, s.problem(err)
		}
		out.options.LightMax = profile.Display.LightMax
	}
	return out, nil
}

// variant opens a level at a revision, with a preset or a mix applied for the moment.
func (s *server) variant(ctx context.Context, id string, v *api.Variant) (*opened, error) {
	if v.Revision == 0 && v.Preset == "" && v.Mix == "" && v.Edit == nil {
		return s.open(ctx, id)
	}
	info, doc, err := s.Store.Level(askerOf(ctx), id)
	if err != nil {
		return nil, s.problem(err)
	}
	if v.Revision != 0 {
		if doc, err = s.Store.LevelAt(ctx, askerOf(ctx), id, v.Revision); err != nil {
			return nil, s.problem(err)
		}
		info.Revision = v.Revision
	}
	p, err := s.Studio.Prepare(ctx, id, info.Revision, doc)
	if err != nil {
		return nil, s.problem(err)
	}
	for _, put := range []func(context.Context, *level.Level, *api.Variant) (level.Operation, error){s.presetOf, mixOf, editOf} {
		op, err := put(ctx, doc, v)
		if err != nil {
			return nil, err
		}
		if op.Op == "" || op.Op == level.OpBatch && len(op.Steps) == 0 {
			continue // nothing to put on
		}
		if doc, _, err = doc.ApplyContext(ctx, op); err != nil {
			return nil, s.problem(err)
		}
	}
	if p.Shares(doc) {
		p, err = p.Again(doc)
	} else {
		p, err = bake.Prepare(doc)
	}
	if err != nil {
		return nil, s.problem(err)
	}
	return &opened{info, doc, p}, nil
}

// editOf is the change of a variant; one without an action where it names none.
func editOf(_ context.Context, _ *level.Level, v *api.Variant) (level.Operation, error) {
	if v.Edit == nil {
		return level.Operation{}, nil
	}
	return *v.Edit, nil
}

// presetOf is what the preset of a variant changes; an operation without steps where it
// names none.
func (s *server) presetOf(ctx context.Context, doc *level.Level, v *api.Variant) (level.Operation, error) {
	var none level.Operation
	if v.Preset == "" {
		return none, nil
	}
	owner, name, version, err := api.ParsePreset(v.Preset, askerOf(ctx).Name)
	if err != nil {
		return none, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "body.preset", Message: err.Error()})
	}
	_, p, err := s.Store.Preset(askerOf(ctx), owner, name, version)
	if err != nil {
		return none, s.problem(fmt.Errorf("preset %s/%s: %w", owner, name, err))
	}
	var place preset.Place
	switch {
	case len(preset.PartsOf(p.Kind)) == 0:
		return none, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "body.preset", Message: "is a " + strings.ReplaceAll(p.Kind, "_", "-") + "; a mood, sky, look, environment or zone is needed"})
	case p.Kind == preset.Zone && len(doc.Zones) == 0:
		return none, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "body.preset", Message: "is a zone; the level has no zone that could take it"})
	case p.Kind == preset.Zone:
		place.Zones = []string{doc.Zones[0].ID}
	}
	op, _, err := p.Apply(doc, place)
	if err != nil {
		return none, s.problem(err)
	}
	return op, nil
}

// mixOf is what the mix of a variant changes.
func mixOf(_ context.Context, doc *level.Level, v *api.Variant) (level.Operation, error) {
	if v.Mix == "" {
		return level.Operation{}, nil
	}
	mix := doc.Mix(v.Mix)
	if mix == nil {
		return level.Operation{}, newProblem(404, fmt.Sprintf("the level has no mix %q", v.Mix))
	}
	return mix.Operation(doc), nil
}

// mirror captures what the level's materials mirror, once for all pictures of the stage.
func (st *stage) mirror(ctx context.Context) (err error) {
	if st.options.Mirrors == nil {
		st.options.Mirrors, err = shot.Mirrors(ctx, st.level.prepared, st.image, st.options.Moving)
	}
	return err
}

// take is a picture of a stage as a shot wants it.
func (s *server) take(ctx context.Context, st *stage, in *api.NewShot) (*image.NRGBA, error) {
	camera, err := s.camera(st.level, in)
	if err != nil {
		return nil, err
	}
	if !in.Unlit {
		if err := st.mirror(ctx); err != nil {
			return nil, s.problem(err)
		}
	}
	o := st.options
	o.Width, o.Height, o.Samples, o.Unlit = or(in.Width, 1280), or(in.Height, 720), or(in.Samples, 2), in.Unlit
	if in.Meter {
		ev := shot.Meter(st.level.prepared, st.image, camera, o)
		o.ExposureEV = &ev
	}
	picture, err := shot.Render(ctx, st.level.prepared, st.image, camera, o, s.shotProgress(st.level.info.ID, in.Watch, o.Height))
	if err != nil {
		return nil, s.problem(err)
	}
	return picture, nil
}

// shotProgress tells how many rows of a picture are done, a hundred times at most;
// nil where nobody watches.
func (s *server) shotProgress(levelID, watch string, rows int) func(done int) {
	if watch == "" {
		return nil
	}
	every := max(rows/100, 1)
	return func(done int) {
		if done%every == 0 || done == rows {
			s.Baker.TellShot(api.ShotEvent{Level: levelID, Watch: watch, Done: float64(done) / float64(rows)})
		}
	}
}

func (s *server) registerShot(a huma.API, tag string) {
	op := heavy(operation("POST", "/levels/{id}/shots", "take-shot", "A picture from a viewpoint", tag))
	op.Description = "PNG. Sources without light are baked at draft first. The header X-Grotta-Drafted says how many were, and X-Grotta-Missing how many are dark in it, which happens only with no_bake."
	op.Responses = binaryResponse("image/png")
	huma.Register(a, op, func(ctx context.Context, in *struct {
		LevelPath
		Body api.NewShot
	}) (*pictureOut, error) {
		st, err := s.stage(ctx, in.ID, in.Body.Variant, in.Body.TimeS)
		if err != nil {
			return nil, err
		}
		picture, err := s.take(ctx, st, &in.Body)
		if err != nil {
			return nil, err
		}
		data, err := encodePNG(picture)
		if err != nil {
			return nil, s.problem(err)
		}
		return &pictureOut{"image/png", st.light.Drafted, st.light.Missing, data}, nil
	})
}

// pictureOut is a PNG with what light it was made with.
type pictureOut struct {
	ContentType string `header:"Content-Type"`
	Drafted     int    `header:"X-Grotta-Drafted"`
	Missing     int    `header:"X-Grotta-Missing"`
	Body        []byte
}

func encodePNG(picture image.Image) ([]byte, error) {
	var b bytes.Buffer
	err := png.Encode(&b, picture)
	return b.Bytes(), err
}

func (s *server) camera(o *opened, in *api.NewShot) (shot.Camera, error) {
	switch {
	case in.Camera != nil:
		c := in.Camera
		q := mgl64.Quat{W: c.Rotation[3], V: geom.Vec3{c.Rotation[0], c.Rotation[1], c.Rotation[2]}}
		if q.Len() < 1e-9 {
			return shot.Camera{}, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "body.camera.rotation", Message: "has no length; a unit quaternion is needed"})
		}
		return shot.Camera{Pose: geom.Pose{Position: geom.Vec3(c.Position), Rotation: q.Normalize()}, FovDeg: c.FovDeg}, nil
	case in.Path != "":
		for _, p := range o.doc.Paths {
			if p.ID == in.Path && len(p.Keys) > 0 {
				seconds := 0.0
				if in.TimeS != nil {
					seconds = *in.TimeS
				}
				return shot.Along(o.prepared.Scene.World, p, seconds), nil
			}
		}
		return shot.Camera{}, newProblem(404, fmt.Sprintf("the level has no path %q with a key", in.Path))
	case in.Viewpoint != "":
		v := o.doc.Viewpoint(in.Viewpoint)
		if v == nil {
			var ids []string
			for _, v := range o.doc.Viewpoints {
				ids = append(ids, v.ID)
			}
			return shot.Camera{}, newProblem(404, fmt.Sprintf("the level has no viewpoint %q; it has %s", in.Viewpoint, strings.Join(ids, ", ")))
		}
		return shot.Of(o.prepared.Scene.World, v), nil
	case len(o.doc.Viewpoints) > 0:
		return shot.Of(o.prepared.Scene.World, o.doc.Viewpoints[0]), nil
	}
	return shot.Overview(o.prepared.Scene.Bounds), nil
}
