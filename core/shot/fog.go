package shot

import (
	"context"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/parallel"
)

// fogGrid is the fog volumes' share of a picture: rays through a coarse raster
// over it, each followed to the end of the fog. A pixel reads four of them at its
// own depth; fog is smooth across the picture, and what stands in it is not.
type fogGrid struct {
	step          float64 // pixels between two rays
	width, height int
	rays          []air.Passage
	met           []bool // whether the ray meets any fog
}

// fogColumns is about how many rays there are across a picture.
const fogColumns = 240

func (r *renderer) makeFog(ctx context.Context) error {
	if len(r.air.Volumes) == 0 || r.o.NoAir {
		return nil
	}
	step := max(1, float64(r.o.Width)/fogColumns)
	g := &fogGrid{step: step, width: int(float64(r.o.Width)/step) + 2, height: int(float64(r.o.Height)/step) + 2}
	g.rays, g.met = make([]air.Passage, g.width*g.height), make([]bool, g.width*g.height)
	err := parallel.Each(ctx, g.height, func(y int) {
		for x := range g.width {
			i := y*g.width + x
			g.met[i] = r.air.March(&r.setting, r.camera.Eye, r.direction(float64(x)*step, float64(y)*step), far, &g.rays[i])
		}
	}, nil)
	r.fog = g
	return err
}

// volumes is what fog volumes do to a ray through a place of the picture: from
// the grid, or where there is none by following the ray.
func (r *renderer) volumes(v *view, distance float64) (through float64, added color.Linear) {
	switch {
	case len(r.air.Volumes) == 0:
		return 1, added
	case r.fog == nil:
		return r.air.VolumesAlong(&r.setting, r.camera.Eye, v.dir, distance)
	}
	g := r.fog
	fx, fy := min(max(v.x/g.step, 0), float64(g.width-1)), min(max(v.y/g.step, 0), float64(g.height-1))
	x, y := min(int(fx), g.width-2), min(int(fy), g.height-2)
	tx, ty := fx-float64(x), fy-float64(y)
	for corner, weight := range [4]float64{(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty} {
		i := (y+corner>>1)*g.width + x + corner&1
		if !g.met[i] {
			through += weight
			continue
		}
		t, a := g.rays[i].At(distance)
		through, added = through+weight*t, added.Add(a.Scale(weight))
	}
	return through, added
}

// hidden is the share of light from a distance that all fog takes.
func (r *renderer) hidden(v *view, distance float64) float64 {
	share, _ := r.setting.Veil(r.camera.Eye, v.dir, distance)
	if len(r.air.Volumes) > 0 {
		through, _ := r.volumes(v, distance)
		share = 1 - (1-share)*through
	}
	return share
}
