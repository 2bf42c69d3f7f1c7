package bake

import (
	"context"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
)

// smoothTexels is the widest that smoothing reaches, in texels either way.
const smoothTexels = 4

// field is a grid of values on every chart: of texels, or of patches.
type field struct {
	around []surroundings
	charts []int                                 // the first cell of each chart, and the end
	place  func(ci, i int) (x, y int)            // where in its chart a cell is
	at     func(ci, x, y int) int                // the cell there; less than 0 is none
	size   func(ci int) (w, h int, perM float64) // cells of a chart, and cells a metre
	reach  float64                               // cells
}

// surroundings is what the rays of a cell found of the things about it.
type surroundings struct {
	nearM float32  // the harmonic mean of how far they went; 0 where there is nothing to smooth
	free  [4]uint8 // how far it is clear along the chart's u, -u, v and -v, in quarter cells
}

// survey gathers surroundings, ray by ray.
type survey struct {
	u, v     geom.Vec3
	rays     int
	inverse  float64
	free     [4]float64 // metres
	surveyed bool
}

func (s *survey) add(dir geom.Vec3, distance float64) {
	if !s.surveyed {
		s.free, s.surveyed = [4]float64{openM, openM, openM, openM}, true
	}
	s.rays++
	s.inverse += 1 / math.Max(distance, 1e-3)
	along, across := dir.Dot(s.u), dir.Dot(s.v)
	side, least := 0, math.Abs(along)
	if math.Abs(across) > least {
		side, along, least = 2, across, math.Abs(across)
	}
	if along < 0 {
		side++
	}
	s.free[side] = math.Min(s.free[side], distance*least)
}

// done are the surroundings, for cells of so many a metre.
func (s *survey) done(perM float64) surroundings {
	out := surroundings{nearM: float32(float64(s.rays) / s.inverse)}
	for i, m := range s.free {
		out.free[i] = uint8(math.Min(4*m*perM, 255))
	}
	return out
}

// opens tells whether nothing stands between a cell and one dx, dy cells on, as
// far as its own rays know.
func (a *surroundings) opens(dx, dy int) bool {
	return 4*dx <= int(a.free[0]) && -4*dx <= int(a.free[1]) && 4*dy <= int(a.free[2]) && -4*dy <= int(a.free[3])
}

// smooth averages what came by bounces and from the sky over neighbours in the
// same chart. How far follows how near other things are, as in irradiance caching
// (Ward, Rubinstein and Clear, "A ray tracing solution for diffuse
// interreflection", 1988): light from far things changes slowly. It never reaches
// past what the cell's own rays met, so no light leaks under a wall. The weights do not depend on the light, so a sum of
// smoothed layers is the smoothed sum. Direct light is never touched.
//
// It goes twice, near and then in wider steps (Dammertz et al., "Edge-avoiding
// à-trous wavelet transform", 2010), a chart at a time, so that only one chart has
// to be kept as it was.
func (f *field) smooth(ctx context.Context, values table) error {
	return inParallel(ctx, len(f.charts)-1, 1, func(ci, _ int) {
		first, end := f.charts[ci], f.charts[ci+1]
		chart := table{values.v[first*values.columns : end*values.columns], values.columns}
		was := table{slices.Clone(chart.v), values.columns}
		f.pass(ci, first, &was, &chart, 1)
		copy(was.v, chart.v)
		f.pass(ci, first, &was, &chart, 2)
	}, nil)
}

// leastRadius is what even a corner is smoothed by, in cells, along it: across it
// surroundings differ, and nothing mixes.
const leastRadius = 3

// pass writes the mean of each cell's neighbours, step cells apart.
func (f *field) pass(ci, first int, from, to *table, step int) {
	w, h, perM := f.size(ci)
	for k := range len(to.v) / to.columns {
		i := first + k
		own := &f.around[i]
		if own.nearM == 0 {
			continue
		}
		radius := math.Max(math.Min(0.5*float64(own.nearM)*perM, f.reach*float64(step)), leastRadius*float64(step))
		x0, y0 := f.place(ci, i)
		total, reach, row := float32(0), int(radius)/step*step, to.row(k)
		clear(row)
		for dy := -reach; dy <= reach; dy += step {
			for dx := -reach; dx <= reach; dx += step {
				x, y := x0+dx, y0+dy
				if x < 0 || y < 0 || x >= w || y >= h {
					continue
				}
				j, d := f.at(ci, x, y), math.Sqrt(float64(dx*dx+dy*dy))
				if j < 0 || d >= radius {
					continue
				}
				other := &f.around[j]
				if other.nearM == 0 || !own.opens(dx, dy) || !other.opens(-dx, -dy) {
					continue
				}
				ratio := min(other.nearM/own.nearM, own.nearM/other.nearM) // alike surroundings
				weight := float32(1-d/radius) * ratio * ratio
				total += weight
				half.AddTimes(row, from.row(j-first), weight)
			}
		}
		for c := range row {
			row[c] /= total
		}
	}
}

// texelField is the lit texels.
func (p *Prepared) texelField(around []surroundings) *field {
	size := p.Layout.PageSize
	at := make([]int32, p.Layout.Pages*size*size)
	for i := range at {
		at[i] = -1
	}
	for i := range p.Texels.List {
		at[p.Texels.List[i].Index] = int32(i)
	}
	const pad = lightmap.PaddingTexels
	return &field{
		around: around, reach: smoothTexels, charts: p.Texels.TexelsOf,
		place: func(ci, i int) (int, int) {
			x, y := p.Layout.Place(p.Texels.List[i].Index)
			return x - p.Layout.Charts[ci].X - pad, y - p.Layout.Charts[ci].Y - pad
		},
		at: func(ci, x, y int) int {
			c := &p.Layout.Charts[ci]
			return int(at[(c.Page*size+c.Y+pad+y)*size+c.X+pad+x])
		},
		size: func(ci int) (int, int, float64) {
			c := &p.Layout.Charts[ci]
			return c.Width - 2*pad, c.Height - 2*pad, c.Density
		},
	}
}

// patchField is the patches of a transport.
func (p *Prepared) patchField(t *transport) *field {
	charts := make([]int, len(t.grids)+1)
	for i := range t.grids {
		charts[i] = t.grids[i].first
	}
	charts[len(t.grids)] = t.patches()
	return &field{
		around: t.around, reach: smoothTexels / patchTexels, charts: charts,
		place: func(ci, i int) (int, int) {
			k := i - t.grids[ci].first
			return k % t.grids[ci].width, k / t.grids[ci].width
		},
		at: func(ci, x, y int) int { return t.grids[ci].first + y*t.grids[ci].width + x },
		size: func(ci int) (int, int, float64) {
			g := &t.grids[ci]
			return g.width, g.height, p.Layout.Charts[ci].Density / float64(g.side)
		},
	}
}
