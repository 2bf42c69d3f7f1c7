package shot

import (
	"image"
	"math"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/parallel"
)

// Plate is what a camera sees without the air: of each pixel the radiance and how far it comes. The air over it can be
// changed at little cost, which tells what a glow or a fog volume is worth in a picture.
type Plate struct {
	cam           Camera
	width, height int
	light         []color.Linear // nits
	distance      []float64
}

// NewPlate looks once into each pixel. Light is what falls on a surface at a place, in lux.
func NewPlate(p *bake.Prepared, cam Camera, width, height int, light func(at, normal geom.Vec3) color.Linear) *Plate {
	pl := &Plate{cam, width, height, make([]color.Linear, width*height), make([]float64, width*height)}
	r := newRenderer(p, nil, cam, Options{Width: width, Height: height, Unlit: true, Moving: light})
	parallel.All(height, func(y int) {
		for x := range width {
			i := y*width + x
			pl.light[i], pl.distance[i] = r.eye.look(cam.Pose.Position, r.direction(float64(x)+0.5, float64(y)+0.5))
		}
	})
	return pl
}

// Picture is the plate under a level's air and look. The level has the geometry of the one that the plate is of.
func (pl *Plate) Picture(p *bake.Prepared, a *air.Air) *image.NRGBA {
	r := newRenderer(p, nil, pl.cam, Options{Width: pl.width, Height: pl.height, Air: a})
	frame := grade.NewFrame(pl.width, pl.height, r.camera.TanHalf)
	frame.Sun = r.sun()
	parallel.All(pl.height, func(y int) {
		for x := range pl.width {
			i := y*pl.width + x
			frame.Depth[i] = float32(min(pl.distance[i], math.MaxFloat32))
			frame.Set(x, y, r.through(pl.light[i], r.view(float64(x)+0.5, float64(y)+0.5), pl.distance[i]))
		}
	})
	r.specks(frame)
	return grade.Develop(frame, &r.setting.Look, r.setting.Gains)
}
