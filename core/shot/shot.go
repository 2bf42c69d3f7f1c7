// Package shot renders finished pictures from a viewpoint, on the processor
// alone: lightmap, sky, haze, glows, then the look. The console's live view
// follows the same formulas (web/src/bench/view); a test compares the two.
package shot

import (
	"context"
	"image"
	"math"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
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
	radius := math.Max(b.Max.Sub(b.Min).Len()/2, 0.5)
	from := middle.Add(geom.Vec3{0.75, 0.55, 1}.Normalize().Mul(radius * 1.9))
	return Camera{geom.Pose{Position: from, Rotation: geom.LookRotation(middle.Sub(from))}, 45}
}

// Options of a picture.
type Options struct {
	Width, Height int
	Samples       int // rays a pixel along each side: 2 gives 4 rays
	Unlit         bool
	ExposureEV    *float64                                // in place of the level's
	Moving        func(at, normal geom.Vec3) color.Linear // as Eye has it
}

// Limits of a picture.
const (
	MaxSide    = 4096
	MaxSamples = 4
)

// far is how far a camera sees, in metres.
const far = 1e6

// Render draws a level as a camera sees it, under a lightmap mixed from its
// layers. Progress, if not nil, gets the rows done, from any goroutine.
func Render(ctx context.Context, p *bake.Prepared, lightmap *bake.Image, cam Camera, o Options, progress func(rows int)) (*image.NRGBA, error) {
	r := &renderer{eye: NewEye(p, lightmap), cam: cam, o: o, glows: visibleGlows(p)}
	r.tanHalf = math.Tan(cam.FovDeg / 2 * math.Pi / 180)
	r.eye.Moving = o.Moving
	r.look = p.Scene.Level.Look
	if o.ExposureEV != nil {
		r.look.ExposureEV = *o.ExposureEV
	}
	out := image.NewNRGBA(image.Rect(0, 0, o.Width, o.Height))
	var next, done atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			for {
				y := int(next.Add(1)) - 1
				if y >= o.Height {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				r.row(out, y)
				if d := done.Add(1); progress != nil {
					progress(int(d))
				}
			}
		})
	}
	return out, group.Wait()
}

type renderer struct {
	eye     *Eye
	cam     Camera
	o       Options
	glows   []glow
	look    level.Look
	tanHalf float64
}

// middleGrey is what the mean of a metered picture comes to, of white.
const middleGrey = 0.18

// Meter is the exposure, in EV, at which the logarithmic mean of what a camera
// sees comes to middle grey (as a reflected-light meter does, ISO 2720).
func Meter(p *bake.Prepared, lightmap *bake.Image, cam Camera) float64 {
	const width, height = 64, 40
	r := &renderer{eye: NewEye(p, lightmap), cam: cam, o: Options{Width: width, Height: height}, glows: visibleGlows(p)}
	r.tanHalf = math.Tan(cam.FovDeg / 2 * math.Pi / 180)
	sum := 0.0
	for y := range height {
		for x := range width {
			sum += math.Log(math.Max(r.radiance(float64(x)+0.5, float64(y)+0.5).Luminance(), 1e-4))
		}
	}
	return math.Log2(math.Exp(sum/(width*height)) / (middleGrey * White(0)))
}

func (r *renderer) row(out *image.NRGBA, y int) {
	n := r.o.Samples
	for x := range r.o.Width {
		var sum color.Linear
		for i := range n * n {
			sx := float64(x) + (float64(i%n)+0.5)/float64(n)
			sy := float64(y) + (float64(i/n)+0.5)/float64(n)
			// Each ray goes through the look by itself: edges of lamps stay smooth.
			sum = sum.Add(Display(&r.look, r.radiance(sx, sy), r.o.Unlit))
		}
		mean := sum.Scale(1 / float64(n*n))
		at := out.PixOffset(x, y)
		for c := range 3 {
			out.Pix[at+c] = uint8(color.EncodeSRGB(mean[c])*255 + 0.5)
		}
		out.Pix[at+3] = 255
	}
}

// direction of the ray through a point of the picture, in pixels from its top
// left corner.
func (r *renderer) direction(x, y float64) geom.Vec3 {
	w, h := float64(r.o.Width), float64(r.o.Height)
	return r.cam.Pose.Rotation.Rotate(geom.Vec3{
		(2*x/w - 1) * r.tanHalf * w / h,
		(1 - 2*y/h) * r.tanHalf,
		-1,
	}).Normalize()
}

// radiance is what comes along a ray, in nits; for an unlit picture, albedo.
func (r *renderer) radiance(x, y float64) color.Linear {
	dir, from := r.direction(x, y), r.cam.Pose.Position
	l := r.eye.p.Scene.Level
	if r.o.Unlit {
		hit, ok := r.eye.p.Scene.See(from, dir, far)
		if !ok {
			return color.Linear{0.03, 0.03, 0.03}
		}
		return r.eye.p.Scene.AlbedoAt(hit.Triangle, hit.Point, hit.U, hit.V).Scale(unlitShade(r.eye.p.Scene.Surfaces[hit.Surface].Normal))
	}
	light, distance := r.eye.look(from, dir)
	light = air.Through(&l.Fog.Haze, light, distance)
	for i := range r.glows {
		light = light.Add(r.glows[i].along(&l.Fog.Haze, from, dir, distance))
	}
	return light
}

// unlitShade tells faces apart where there is no light: a fixed share by the
// way they face.
func unlitShade(n geom.Vec3) float64 {
	return 0.72 + 0.22*n[1] + 0.06*n[0]
}

type glow struct {
	middle   geom.Vec3
	radius   float64
	radiance color.Linear
}

func visibleGlows(p *bake.Prepared) []glow {
	var all []glow
	for _, g := range p.Scene.Level.Glows {
		if c := p.Scene.Level.GlowRadiance(g); c != (color.Linear{}) {
			all = append(all, glow{p.Scene.World.Pose(&g.Entity).Position, g.SizeM / 2, c})
		}
	}
	return all
}

// along is what a glow adds to a ray. It faces the camera, so what counts is how
// near the ray passes by its middle. It fades where geometry cuts through it,
// over the last of its radius, so that no edge shows.
func (g *glow) along(h *level.Haze, from, dir geom.Vec3, distance float64) color.Linear {
	to := g.middle.Sub(from)
	depth := to.Dot(dir)
	if depth <= 0 {
		return color.Linear{}
	}
	share := to.Sub(dir.Mul(depth)).Len() / g.radius
	if share >= 1 {
		return color.Linear{}
	}
	soft := math.Min(1, math.Max(0, (distance-depth)/g.radius+1)) // 0 a radius behind a surface, 1 in front of it
	return g.radiance.Scale(air.GlowFalloff(share) * soft * (1 - air.HazeShare(h, depth)))
}
