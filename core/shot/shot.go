// Package shot renders finished pictures from a viewpoint, on the processor
// alone: lightmap, sky, the air, then the look. The console's live view follows
// the same formulas (web/src/engine); a test compares the two.
package shot

import (
	"context"
	"image"
	"math"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/mirror"
	"grotta/core/parallel"
	"grotta/core/scatter"
	"grotta/core/scene"
	"grotta/core/sky"
)

// Camera is where a picture is taken from: it looks along its pose's -Z.
type Camera struct {
	Pose   geom.Pose
	FovDeg float64 // vertical
}

// Of is a viewpoint's camera.
func Of(world *level.World, v *level.Viewpoint) Camera {
	return Camera{world.Pose(&v.Entity), v.FovDeg}
}

// Overview is a camera that sees all of a level from above its corner, for
// levels that have no viewpoint.
func Overview(b geom.Bounds) Camera {
	if b.Empty() {
		b = geom.Bounds{Min: geom.Vec3{-1, -1, -1}, Max: geom.Vec3{1, 1, 1}}
	}
	middle := b.Min.Add(b.Max).Mul(0.5)
	radius := max(b.Max.Sub(b.Min).Len()/2, 0.5)
	from := middle.Add(geom.Vec3{0.75, 0.55, 1}.Normalize().Mul(radius * 1.9))
	return Camera{geom.Pose{Position: from, Rotation: geom.LookRotation(middle.Sub(from))}, 45}
}

// Options of a picture.
type Options struct {
	Width, Height int
	Samples       int // rays a pixel along each side: 2 gives 4 rays
	Unlit         bool
	NoLook        bool                                    // exposure alone
	NoAir         bool                                    // neither fog nor glows, beams and motes
	ExposureEV    *float64                                // in place of the level's
	Seconds       float64                                 // when motes and what sways are where they are
	LightMax      float64                                 // a platform's most light on a surface, times white; 0 is no limit
	Moving        func(at, normal geom.Vec3) color.Linear // as Eye has it
	Mirrors       *mirror.Set                             // made by Mirrors; nil makes them where a material mirrors
	Air           *air.Air                                // made ready by Air; nil makes it without keeping anything
}

// Limits of a picture.
const (
	MaxSide    = 4096
	MaxSamples = 4
)

// far is how far a camera sees, in metres.
const far = air.Far

// Air makes a level's air ready, with the light in its fog, and tells what that
// costs.
func Air(ctx context.Context, p *bake.Prepared, ask scatter.Ask) (*air.Air, []scatter.Cost, error) {
	a := UnlitAir(p.Scene.Level, p.Scene.World, p.Scene)
	costs, err := scatter.Light(ctx, p, a, ask)
	return a, costs, err
}

// UnlitAir is a level's air without the light of lamps in its fog, among the surfaces of a scene.
func UnlitAir(l *level.Level, w *level.World, s *scene.Scene) *air.Air {
	a := air.Of(l, w, sky.OfLevel(l))
	for i := range a.Motes {
		a.Motes[i].Stop(func(from, dir geom.Vec3, far float64) (float64, bool) {
			hit, ok := s.See(from, dir, far)
			return hit.Distance, ok
		})
	}
	return a
}

// Mirrors captures what a level's materials mirror, under a lightmap; nil where none does.
func Mirrors(ctx context.Context, p *bake.Prepared, lightmap *layer.Image, moving func(at, normal geom.Vec3) color.Linear) (*mirror.Set, error) {
	if !mirror.Any(p.Scene) {
		return nil, nil
	}
	eye := NewEye(p, lightmap)
	eye.Moving = moving
	return mirror.Capture(ctx, mirror.PlacesOf(p.Scene), eye.Radiance)
}

// Render draws a level as a camera sees it, under a lightmap mixed from its
// layers. Progress, if not nil, gets the rows done, from any goroutine.
func Render(ctx context.Context, p *bake.Prepared, lightmap *layer.Image, cam Camera, o Options, progress func(rows int)) (*image.NRGBA, error) {
	if o.Air == nil && !o.Unlit {
		var err error
		if o.Air, _, err = Air(ctx, p, scatter.Ask{}); err != nil {
			return nil, err
		}
	}
	if o.Mirrors == nil && !o.Unlit {
		var err error
		if o.Mirrors, err = Mirrors(ctx, p, lightmap, o.Moving); err != nil {
			return nil, err
		}
	}
	r := newRenderer(p, lightmap, cam, o)
	if o.Unlit {
		return r.unlit(), nil
	}
	frame, look := grade.NewFrame(o.Width, o.Height, r.camera.TanHalf), &r.setting.Look
	frame.Sun = r.sun()
	if err := r.makeFog(ctx); err != nil {
		return nil, err
	}
	if look.Enabled && look.Occlusion.Enabled {
		if err := parallel.Each(ctx, o.Height, func(y int) { r.depths(frame, y) }, nil); err != nil {
			return nil, err
		}
		r.occluded = grade.Occlude(frame, &look.Occlusion)
	}
	if err := parallel.Each(ctx, o.Height, func(y int) { r.row(frame, y) }, progress); err != nil {
		return nil, err
	}
	if !o.NoAir {
		r.specks(frame)
	}
	return grade.Develop(frame, look, r.setting.Gains), nil
}

type renderer struct {
	eye      *Eye
	cam      Camera
	o        Options
	air      *air.Air
	setting  air.Setting
	camera   air.Camera
	ceiling  float64
	fog      *fogGrid
	reaches  []reach   // of each glow
	occluded []float32 // share of light that each pixel keeps; nil for all
}

// reach is where a glow may show.
type reach struct {
	toward geom.Vec3
	cos    float64
}

// view is a ray through a place of the picture, in pixels.
type view struct {
	x, y float64
	dir  geom.Vec3
}

func (r *renderer) view(x, y float64) *view { return &view{x, y, r.direction(x, y)} }

func newRenderer(p *bake.Prepared, lightmap *layer.Image, cam Camera, o Options) *renderer {
	r := &renderer{eye: NewEye(p, lightmap), cam: cam, o: o, air: o.Air}
	r.camera = air.Camera{
		Eye: cam.Pose.Position, TanHalf: math.Tan(cam.FovDeg / 2 * math.Pi / 180),
		Right: cam.Pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), Up: cam.Pose.Rotation.Rotate(geom.Vec3{0, 1, 0}),
	}
	r.eye.Moving, r.eye.Mirrors = o.Moving, o.Mirrors
	r.eye.scene = p.Scene.Swayed(r.eye.wind, o.Seconds)
	r.eye.seconds, r.eye.pixel = o.Seconds, 2*r.camera.TanHalf/float64(o.Height)
	if o.Unlit {
		return r
	}
	r.setting = r.air.At(p.Scene.Level, cam.Pose.Position)
	if o.NoLook {
		r.setting.Look.Enabled = false
	}
	if o.ExposureEV != nil {
		r.setting.Look.ExposureEV = *o.ExposureEV
	}
	white := grade.White(r.setting.Look.ExposureEV)
	r.ceiling = grade.Ceiling * white
	r.eye.LightMax = o.LightMax * white
	r.eye.discs = r.air.Discs
	if o.Mirrors != nil {
		r.eye.showsLamps(white / 1000)
	}
	for i := range r.air.Glows {
		toward, cos := r.air.Glows[i].Reach(&r.camera)
		r.reaches = append(r.reaches, reach{toward, cos - 1e-9})
	}
	return r
}

// middleGrey is what the mean of a metered picture comes to, of white.
const middleGrey = 0.18

// leastNits is the darkest that a meter tells from darker.
const leastNits = 1e-4

// Meter is the exposure, in EV, at which the logarithmic mean of what a camera
// sees comes to middle grey (as a reflected-light meter does, ISO 2720). Where there is neither a
// surface nor any light, nothing is measured; where that is everywhere, the level's exposure holds.
// Of the options it takes what changes light.
func Meter(p *bake.Prepared, lightmap *layer.Image, cam Camera, o Options) float64 {
	o.Width, o.Height, o.Unlit, o.ExposureEV, o.LightMax = 64, 40, false, nil, 0
	if o.Air == nil {
		o.Air = air.Of(p.Scene.Level, p.Scene.World, sky.OfLevel(p.Scene.Level))
	}
	r := newRenderer(p, lightmap, cam, o)
	r.ceiling = math.Inf(1)
	sum, seen := 0.0, 0
	for y := range o.Height {
		for x := range o.Width {
			v := r.view(float64(x)+0.5, float64(y)+0.5)
			light, distance := r.eye.look(r.camera.Eye, v.dir)
			nits := r.through(light, v, distance).Luminance()
			if distance >= far && nits < leastNits {
				continue
			}
			seen++
			sum += math.Log(max(nits, leastNits))
		}
	}
	if seen == 0 {
		return p.Scene.Level.Look.ExposureEV
	}
	return math.Log2(math.Exp(sum/float64(seen)) / (middleGrey * grade.White(0)))
}

// sun is where the sun, or else the moon, stands for the camera; nil for none.
func (r *renderer) sun() *geom.Vec3 {
	if r.air.Sun == nil {
		return nil
	}
	at := r.cam.Pose.Rotation.Inverse().Rotate(*r.air.Sun)
	return &at
}

// depths is the distance to what is seen in the middle of each pixel of a row.
func (r *renderer) depths(frame *grade.Frame, y int) {
	for x := range r.o.Width {
		distance := far
		if hit, ok := r.eye.scene.See(r.camera.Eye, r.direction(float64(x)+0.5, float64(y)+0.5), far); ok {
			distance = hit.Distance
		}
		frame.Depth[y*r.o.Width+x] = float32(distance)
	}
}

func (r *renderer) row(frame *grade.Frame, y int) {
	n := r.o.Samples
	for x := range r.o.Width {
		var sum color.Linear
		keep := 1.0
		if r.occluded != nil {
			keep = float64(r.occluded[y*r.o.Width+x])
		}
		for i := range n * n {
			v := r.view(float64(x)+(float64(i%n)+0.5)/float64(n), float64(y)+(float64(i/n)+0.5)/float64(n))
			light, distance := r.eye.look(r.camera.Eye, v.dir)
			if distance < far {
				light = light.Scale(keep)
			}
			if i == 0 && r.occluded == nil {
				frame.Depth[y*r.o.Width+x] = float32(distance)
			}
			sum = sum.Add(r.through(light, v, distance))
		}
		frame.Set(x, y, sum.Scale(1/float64(n*n)))
	}
}

// through is what of a radiance arrives through the air, and what the air adds.
func (r *renderer) through(light color.Linear, v *view, distance float64) color.Linear {
	for c := range light {
		light[c] = min(light[c], r.ceiling)
	}
	if r.o.NoAir {
		return light
	}
	share, nits := r.setting.Veil(r.camera.Eye, v.dir, distance)
	through, added := r.volumes(v, distance)
	light = light.Scale(1 - share).Add(nits).Scale(through).Add(added)
	for i := range r.air.Beams {
		if nits, depth := r.air.Beams[i].Along(r.camera.Eye, v.dir, distance); nits != (color.Linear{}) {
			light = light.Add(nits.Scale(1 - r.hidden(v, depth)))
		}
	}
	for i := range r.reaches {
		if g := &r.reaches[i]; v.dir.Dot(g.toward) < g.cos {
			continue
		}
		if nits, depth := r.air.Glows[i].Along(&r.camera, v.dir, distance); nits != (color.Linear{}) {
			light = light.Add(nits.Scale(1 - r.hidden(v, depth)))
		}
	}
	return light
}

// direction of the ray through a point of the picture, in pixels from its top
// left corner.
func (r *renderer) direction(x, y float64) geom.Vec3 {
	w, h := float64(r.o.Width), float64(r.o.Height)
	return r.cam.Pose.Rotation.Rotate(geom.Vec3{
		(2*x/w - 1) * r.camera.TanHalf * w / h,
		(1 - 2*y/h) * r.camera.TanHalf,
		-1,
	}).Normalize()
}

// unlit draws albedo, shaded by the way a surface faces.
func (r *renderer) unlit() *image.NRGBA {
	out, n := image.NewNRGBA(image.Rect(0, 0, r.o.Width, r.o.Height)), r.o.Samples
	parallel.All(r.o.Height, func(y int) {
		for x := range r.o.Width {
			var sum color.Linear
			for i := range n * n {
				sum = sum.Add(r.albedo(r.direction(float64(x)+(float64(i%n)+0.5)/float64(n), float64(y)+(float64(i/n)+0.5)/float64(n))))
			}
			at := out.PixOffset(x, y)
			for c := range 3 {
				out.Pix[at+c] = uint8(color.EncodeSRGB(sum[c]/float64(n*n))*255 + 0.5)
			}
			out.Pix[at+3] = 255
		}
	})
	return out
}

func (r *renderer) albedo(dir geom.Vec3) color.Linear {
	hit, ok := r.eye.scene.See(r.camera.Eye, dir, far)
	if !ok {
		return color.Linear{0.03, 0.03, 0.03}
	}
	n := r.eye.p.Scene.Normal(&r.eye.p.Scene.Surfaces[hit.Surface])
	// A fixed share by the way a face lies tells faces apart where there is no light.
	return r.eye.p.Scene.AlbedoAt(hit.Triangle, hit.Point, hit.U, hit.V).Scale(0.72 + 0.22*n[1] + 0.06*n[0])
}
