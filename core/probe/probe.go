// Package probe captures the light that arrives at points in the air, for things
// that move: spherical harmonics of order 2 on grids, and mirror-like reflections
// of a place. It reads a baked level and a mixed lightmap, and knows nothing of
// how either was made.
package probe

import (
	"context"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/scene"
	"grotta/core/shot"
)

// SH is radiance over all directions as spherical harmonics up to order 2: nine
// coefficients in the order (0,0) (1,-1) (1,0) (1,1) (2,-2) ... (2,2), nits.
type SH [9]color.Linear

// basis is the real spherical harmonics at a unit direction (Ramamoorthi and
// Hanrahan, "An efficient representation for irradiance environment maps", 2001,
// equation 3).
func basis(d geom.Vec3) [9]float64 {
	x, y, z := d[0], d[1], d[2]
	return [9]float64{
		0.28209479177387814,
		0.4886025119029199 * y, 0.4886025119029199 * z, 0.4886025119029199 * x,
		1.0925484305920792 * x * y, 1.0925484305920792 * y * z, 0.31539156525252005 * (3*z*z - 1),
		1.0925484305920792 * x * z, 0.5462742152960396 * (x*x - y*y),
	}
}

// add puts radiance times a solid angle from a direction in.
func (s *SH) add(d geom.Vec3, light color.Linear) {
	for i, b := range basis(d) {
		s[i] = s[i].Add(light.Scale(b))
	}
}

// Irradiance on a surface facing n, in lux: the harmonics convolved with the
// cosine, whose coefficients are π, 2π/3 and π/4 (ibid., equation 8). Never less
// than zero.
func (s *SH) Irradiance(n geom.Vec3) color.Linear {
	weight := [9]float64{math.Pi, 2 * math.Pi / 3, 2 * math.Pi / 3, 2 * math.Pi / 3, math.Pi / 4, math.Pi / 4, math.Pi / 4, math.Pi / 4, math.Pi / 4}
	var e color.Linear
	for i, b := range basis(n) {
		e = e.Add(s[i].Scale(weight[i] * b))
	}
	for c := range e {
		e[c] = max(0, e[c])
	}
	return e
}

// Probe is the light at a point.
type Probe struct {
	Position level.Vec
	Inside   string  // entity that the point is inside of; such a probe is not used
	SH       SH      // nine coefficients of red, green and blue, nits
	Links    [3]bool // whether the next probe along x, y and z is in sight
}

// Grid is the probes of a box, x fastest, then y, then z.
type Grid struct {
	ID     string
	Min    level.Vec
	Step   level.Vec
	Count  [3]int
	Probes []Probe

	scene *scene.Scene
}

// rays is how many directions a probe looks in.
const rays = 1024

// Capture fills the grid of an entity, on all cores.
func Capture(ctx context.Context, p *bake.Prepared, lightmap *layer.Image, g *level.ProbeGrid) (*Grid, error) {
	grid := layOut(p, g)
	eye := shot.NewEye(p, lightmap)
	return grid, parallel.Each(ctx, len(grid.Probes), func(i int) {
		probe := &grid.Probes[i]
		at := geom.Vec3(probe.Position)
		if probe.Inside = p.Scene.Inside(at); probe.Inside == "" {
			probe.SH = At(p, eye, at, rays)
		}
		for axis := range 3 {
			next := at
			next[axis] += grid.Step[axis]
			probe.Links[axis] = probe.Inside == "" && !p.Scene.Blocked(at, next)
		}
	}, nil)
}

// layOut spreads probes evenly over a box, at most the spacing apart.
func layOut(p *bake.Prepared, g *level.ProbeGrid) *Grid {
	middle := p.Scene.World.Pose(&g.Entity).Position
	grid := &Grid{ID: g.ID, scene: p.Scene}
	for axis := range 3 {
		grid.Count[axis] = max(1, int(math.Ceil(g.Size[axis]/g.SpacingM-1e-9)))
		grid.Step[axis] = g.Size[axis] / float64(grid.Count[axis])
		grid.Min[axis] = middle[axis] - g.Size[axis]/2 + grid.Step[axis]/2
	}
	for z := range grid.Count[2] {
		for y := range grid.Count[1] {
			for x := range grid.Count[0] {
				grid.Probes = append(grid.Probes, Probe{Position: level.Vec{
					grid.Min[0] + float64(x)*grid.Step[0], grid.Min[1] + float64(y)*grid.Step[1], grid.Min[2] + float64(z)*grid.Step[2],
				}})
			}
		}
	}
	return grid
}

// At is the light at a point: what surfaces and sky send by so many even rays,
// and what every light sends by itself.
func At(p *bake.Prepared, eye *shot.Eye, at geom.Vec3, rays int) SH {
	var sh SH
	solid := 4 * math.Pi / float64(rays)
	for i := range rays { // a sunflower spiral over the sphere (Vogel, 1979)
		y := 1 - 2*(float64(i)+0.5)/float64(rays)
		sin, cos := math.Sincos(float64(i) * 2.399963229728653)
		r := math.Sqrt(1 - y*y)
		d := geom.Vec3{r * cos, y, r * sin}
		sh.add(d, eye.Radiance(at, d).Scale(solid))
	}
	for _, a := range p.Arrivals(at) {
		sh.add(a.Toward, a.Light)
	}
	return sh
}

// Sample is the light at any point of the grid's box: of the eight probes round it
// those in its sight, trilinearly. False where none is.
func (g *Grid) Sample(at geom.Vec3) (SH, bool) {
	var sum SH
	total := 0.0
	g.around(at, func(k int, w float64) {
		for i := range sum {
			sum[i] = sum[i].Add(g.Probes[k].SH[i].Scale(w))
		}
		total += w
	})
	if total == 0 {
		return SH{}, false
	}
	for i := range sum {
		sum[i] = sum[i].Scale(1 / total)
	}
	return sum, true
}

// around visits the probes round a point that are in its sight, each with its
// trilinear weight.
func (g *Grid) around(at geom.Vec3, visit func(i int, weight float64)) {
	var base [3]int
	var t [3]float64
	for axis := range 3 {
		x := (at[axis] - g.Min[axis]) / g.Step[axis]
		x = min(max(x, 0), float64(g.Count[axis]-1))
		base[axis] = min(int(x), max(g.Count[axis]-2, 0))
		t[axis] = x - float64(base[axis])
	}
	for k := range 8 {
		w := 1.0
		var c [3]int
		for axis := range 3 {
			step := k >> axis & 1
			c[axis] = min(base[axis]+step, g.Count[axis]-1)
			if step == 1 {
				w *= t[axis]
			} else {
				w *= 1 - t[axis]
			}
		}
		i := (c[2]*g.Count[1]+c[1])*g.Count[0] + c[0]
		if w < 1e-9 || g.Probes[i].Inside != "" || g.scene.Blocked(at, geom.Vec3(g.Probes[i].Position)) {
			continue
		}
		visit(i, w)
	}
}

// Moving is the light on a moving surface by the first of some grids that holds
// the point and has a probe in its sight, with the ambient there; nil where there
// are no grids.
func Moving(p *bake.Prepared, grids []*Grid) func(at, normal geom.Vec3) color.Linear {
	if len(grids) == 0 {
		return nil
	}
	return func(at, normal geom.Vec3) color.Linear {
		off := at.Add(normal.Mul(scene.OffsetM))
		for _, g := range grids {
			if !g.Holds(at) {
				continue
			}
			if sh, ok := g.Sample(off); ok {
				return sh.Irradiance(normal).Add(p.Ambient(off))
			}
		}
		return p.Ambient(off)
	}
}

// Holds tells whether a point is in the grid's box.
func (g *Grid) Holds(at geom.Vec3) bool {
	for axis := range 3 {
		low := g.Min[axis] - g.Step[axis]/2
		if at[axis] < low || at[axis] > low+g.Step[axis]*float64(g.Count[axis]) {
			return false
		}
	}
	return true
}

// Serving are the probes that light a point, with their weights; the answer to
// which one serves what.
func (g *Grid) Serving(at geom.Vec3) []Part {
	var all []Part
	total := 0.0
	g.around(at, func(i int, w float64) {
		all = append(all, Part{i, g.Probes[i].Position, w})
		total += w
	})
	for i := range all {
		all[i].Weight /= total
	}
	return all
}

// Part is one probe's part in the light of a point.
type Part struct {
	Index    int
	Position level.Vec
	Weight   float64
}

// Auto are grids for the zones of a level that have none: one for each of their
// boxes, at most a spacing apart.
func Auto(l *level.Level, spacing float64) []*level.ProbeGrid {
	var grids []*level.ProbeGrid
	named := *l // grows by the grids, so that each gets an id of its own
	for _, z := range l.Zones {
		for _, b := range z.Boxes {
			g := level.Default[level.ProbeGrid]()
			g.ID = named.FreshID("probes-" + z.ID)
			g.Zone, g.SpacingM = z.ID, spacing
			covered := false
			for axis := range 3 {
				g.Size[axis] = b.Max[axis] - b.Min[axis]
				g.Transform.Position[axis] = (b.Max[axis] + b.Min[axis]) / 2
			}
			for _, have := range l.Probes {
				covered = covered || have.Zone == z.ID
			}
			if !covered {
				grids = append(grids, &g)
				named.Probes = append(slices.Clip(named.Probes), &g)
			}
		}
	}
	return grids
}
