package bake

import (
	"context"
	"math"
	"sort"

	"grotta/core/geom"
	"grotta/core/half"
)

// smoothing is the reach of the first pass, in texels, or in patches for drafts. The second
// pass reaches twice as far. More rays leave less noise, so the reach is smaller.
func (q Quality) smoothing() int {
	if q == Good {
		return 3
	}
	return 2
}

// field is cells with values, in a grid on every chart: texels, or patches.
type field struct {
	charts []cells        // in the order of their cells
	place  []int32        // of each cell: where in its chart its first texel is, by rows
	cellAt []int32        // of each place, chart after chart: its cell, or -1
	around []surroundings // of each cell
	reach  int            // of the first pass, in cells
	base   int            // the cell of the tables' first row
}

// cells are the grid of one chart.
type cells struct {
	first, places int // its first cell, and where its places begin
	width, height int // places
	step          int // places from a cell to the next
}

// surroundings describes the distances that the rays of a cell found around it.
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

// add takes a ray and the surface that it met, by a normal of any length; a ray that met
// nothing has none. A surface stands in the way along a side only if its plane crosses that
// side. A wall parallel to the side does not.
func (s *survey) add(dir geom.Vec3, distance float64, normal geom.Vec3) {
	if !s.surveyed {
		s.free, s.surveyed = [4]float64{openM, openM, openM, openM}, true
	}
	s.rays++
	s.inverse += 1 / max(distance, 1e-3)
	side, along, axis := 0, dir.Dot(s.u), s.u
	if across := dir.Dot(s.v); math.Abs(across) > math.Abs(along) {
		side, along, axis = 2, across, s.v
	}
	crossing := distance * dir.Dot(normal) / axis.Dot(normal)
	if along < 0 {
		side, crossing = side+1, -crossing
	}
	if crossing > 0 {
		s.free[side] = min(s.free[side], crossing)
	}
}

// done returns the surroundings. density is the number of cells per metre.
func (s *survey) done(perM float64) surroundings {
	out := surroundings{nearM: float32(float64(s.rays) / s.inverse)}
	for i, m := range s.free {
		out.free[i] = uint8(min(4*m*perM, 255))
	}
	return out
}

// opens tells whether nothing stands between a cell and the one dx, dy cells away, by the
// cell's own rays.
func (a *surroundings) opens(dx, dy int) bool {
	return 4*dx <= int(a.free[0]) && -4*dx <= int(a.free[1]) && 4*dy <= int(a.free[2]) && -4*dy <= int(a.free[3])
}

// Smoothing averages indirect light and the light of the sky over neighbours in the same
// chart. A neighbour counts more, the more similar its surroundings are. Smoothing never
// reaches past the surfaces that a cell's own rays met, so no light leaks under a wall. The
// weights do not depend on the light, so the sum of smoothed layers is the smoothed sum.
// Direct light is not smoothed.
//
// There are two passes, the second with wider steps (Dammertz et al., "Edge-avoiding
// à-trous wavelet transform", 2010), from one table to another and back. pass does one of
// them for the cells from a up to b: it writes the weighted mean of each cell's neighbours,
// which are step cells apart.
func (f *field) pass(ctx context.Context, a, b int, from, to *table, step int) error {
	taps := tapsOf(f.reach, step)
	return inParallel(ctx, b-a, 128, func(low, high int) {
		on := sort.Search(len(f.charts), func(i int) bool { return f.charts[i].first > a+low }) - 1
		for i := a + low; i < a+high; i++ {
			for on+1 < len(f.charts) && f.charts[on+1].first <= i {
				on++
			}
			f.mean(&f.charts[on], i, from, to.row(i-f.base), taps)
		}
	}, nil)
}

// tap is a neighbour that a mean may include, by its offset.
type tap struct {
	dx, dy int
	weight float32
}

// tapsOf are the neighbours nearer than a reach, in steps.
func tapsOf(reach, step int) (taps []tap) {
	for v := -reach; v <= reach; v++ {
		for u := -reach; u <= reach; u++ {
			if away := math.Hypot(float64(u), float64(v)) / float64(reach); away < 1 {
				taps = append(taps, tap{u * step, v * step, float32(1 - away)})
			}
		}
	}
	return taps
}

// mean writes the weighted mean of one cell.
func (f *field) mean(on *cells, i int, from *table, row []float32, taps []tap) {
	own := &f.around[i]
	if own.nearM == 0 {
		copy(row, from.row(i-f.base))
		return
	}
	x0, y0 := int(f.place[i])%on.width, int(f.place[i])/on.width
	total := float32(0)
	clear(row)
	for _, t := range taps {
		x, y := x0+t.dx*on.step, y0+t.dy*on.step
		if x < 0 || y < 0 || x >= on.width || y >= on.height {
			continue
		}
		j := f.cellAt[on.places+y*on.width+x]
		if j < 0 {
			continue
		}
		other := &f.around[j]
		if other.nearM == 0 || !own.opens(t.dx, t.dy) || !other.opens(-t.dx, -t.dy) {
			continue
		}
		ratio := min(other.nearM/own.nearM, own.nearM/other.nearM) // alike surroundings
		weight := t.weight * ratio * ratio
		total += weight
		half.AddTimes(row, from.row(int(j)-f.base), weight)
	}
	for c := range row {
		row[c] /= total
	}
}

// texelField is the texels of a group.
func (p *Prepared) texelField(g *group, q Quality) *field {
	f := &field{around: make([]surroundings, g.size()), reach: q.smoothing(), place: make([]int32, g.size())}
	f.cellAt = make([]int32, 0, p.placesOf(g))
	for ci := g.from; ci < g.to; ci++ {
		first, end := p.Texels.Of(ci)
		if first == end {
			continue
		}
		c := &p.Layout.Charts[ci]
		width, height := c.Size()
		s := cells{first - g.first, len(f.cellAt), width, height, 1}
		f.charts = append(f.charts, s)
		for range width * height {
			f.cellAt = append(f.cellAt, -1)
		}
		for i := s.first; i < end-g.first; i++ {
			x, y := p.Layout.PlaceIn(c, p.Texels.List[g.first+i].Index)
			f.place[i] = int32(y*width + x)
			f.cellAt[s.places+int(f.place[i])] = int32(i)
		}
	}
	return f
}

// placesOf is how many places the charts of a group have that have texels.
func (p *Prepared) placesOf(g *group) (sum int) {
	for ci := g.from; ci < g.to; ci++ {
		if p.Texels.Has(ci) {
			width, height := p.Layout.Charts[ci].Size()
			sum += width * height
		}
	}
	return sum
}

// patchField is the patches of a group, from first to end.
func (p *Prepared) patchField(t *transport, g *group, first, end int) *field {
	f := &field{around: t.around[first:end], place: make([]int32, end-first), reach: Draft.smoothing()}
	for ci := g.from; ci < g.to; ci++ {
		if !p.Texels.Has(ci) {
			continue
		}
		grid := t.grid(ci)
		f.charts = append(f.charts, cells{grid.first - first, len(f.cellAt), grid.width, grid.height, grid.side})
		for y := range grid.height {
			for x := range grid.width {
				patch, _ := t.patchAt(grid, x, y)
				f.cellAt = append(f.cellAt, patch-int32(first))
			}
		}
		for patch := grid.first; patch < grid.end; patch++ {
			x, y := p.placeOf(&p.Layout.Charts[ci], int(t.first[patch]))
			f.place[patch-first] = int32(y*grid.width + x)
		}
	}
	return f
}
