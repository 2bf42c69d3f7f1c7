// Package smooth averages indirect light and the light of the sky over neighbours in the
// same chart. A neighbour counts more, the more similar its surroundings are. Smoothing never
// reaches past the surfaces that a cell's own rays met, so no light leaks under a wall. The
// weights do not depend on the light, so the sum of smoothed layers is the smoothed sum.
// Direct light is not smoothed.
package smooth

import (
	"context"
	"math"
	"sort"

	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/parallel"
	"grotta/core/rows"
)

// Field is cells with values, in a grid on every chart: texels, or patches.
type Field struct {
	Charts []Cells        // in the order of their cells
	Place  []int32        // of each cell: where in its chart its first texel is, by rows
	CellAt []int32        // of each place, chart after chart: its cell, or -1
	Around []Surroundings // of each cell
	Reach  int            // of the first pass, in cells
	Base   int            // the cell of the tables' first row
}

// Cells are the grid of one chart.
type Cells struct {
	First, Places int // its first cell, and where its places begin
	Width, Height int // places
	Step          int // places from a cell to the next
}

// Surroundings describes the distances that the rays of a cell found around it.
type Surroundings struct {
	nearM float32  // the harmonic mean of how far they went; 0 where there is nothing to smooth
	free  [4]uint8 // how far it is clear along the chart's u, -u, v and -v, in quarter cells
}

// OpenM is the distance, in metres, that a ray which leaves the level counts as.
const OpenM = 1000

// Survey gathers surroundings, ray by ray.
type Survey struct {
	U, V     geom.Vec3 // the axes of the cell's chart
	rays     int
	inverse  float64
	free     [4]float64 // metres
	surveyed bool
}

// Add takes a ray and the surface that it met, by a normal of any length; a ray that met
// nothing has none. A surface stands in the way along a side only if its plane crosses that
// side. A wall parallel to the side does not.
func (s *Survey) Add(dir geom.Vec3, distance float64, normal geom.Vec3) {
	if !s.surveyed {
		s.free, s.surveyed = [4]float64{OpenM, OpenM, OpenM, OpenM}, true
	}
	s.rays++
	s.inverse += 1 / max(distance, 1e-3)
	side, along, axis := 0, dir.Dot(s.U), s.U
	if across := dir.Dot(s.V); math.Abs(across) > math.Abs(along) {
		side, along, axis = 2, across, s.V
	}
	crossing := distance * dir.Dot(normal) / axis.Dot(normal)
	if along < 0 {
		side, crossing = side+1, -crossing
	}
	if crossing > 0 {
		s.free[side] = min(s.free[side], crossing)
	}
}

// Done returns the surroundings. perM is the number of cells per metre.
func (s *Survey) Done(perM float64) Surroundings {
	out := Surroundings{nearM: float32(float64(s.rays) / s.inverse)}
	for i, m := range s.free {
		out.free[i] = uint8(min(4*m*perM, 255))
	}
	return out
}

// Opens tells whether nothing stands between a cell and the one dx, dy cells away, by the
// cell's own rays.
func (a *Surroundings) Opens(dx, dy int) bool {
	return 4*dx <= int(a.free[0]) && -4*dx <= int(a.free[1]) && 4*dy <= int(a.free[2]) && -4*dy <= int(a.free[3])
}

// Pass writes the weighted mean of each cell's neighbours, which are step cells apart, for the
// cells from a up to b. A field is smoothed by two passes, the second with wider steps, from
// one table to another and back (Dammertz et al., "Edge-avoiding à-trous wavelet transform",
// 2010). It ends early with the context's error.
func (f *Field) Pass(ctx context.Context, a, b int, from, to *rows.Table, step int) error {
	taps := tapsOf(f.Reach, step)
	return parallel.Steps(ctx, b-a, 128, func(low, high int) {
		on := sort.Search(len(f.Charts), func(i int) bool { return f.Charts[i].First > a+low }) - 1
		for i := a + low; i < a+high; i++ {
			for on+1 < len(f.Charts) && f.Charts[on+1].First <= i {
				on++
			}
			f.mean(&f.Charts[on], i, from, to.Row(i-f.Base), taps)
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
func (f *Field) mean(on *Cells, i int, from *rows.Table, row []float32, taps []tap) {
	own := &f.Around[i]
	if own.nearM == 0 {
		copy(row, from.Row(i-f.Base))
		return
	}
	x0, y0 := int(f.Place[i])%on.Width, int(f.Place[i])/on.Width
	total := float32(0)
	clear(row)
	for _, t := range taps {
		x, y := x0+t.dx*on.Step, y0+t.dy*on.Step
		if x < 0 || y < 0 || x >= on.Width || y >= on.Height {
			continue
		}
		j := f.CellAt[on.Places+y*on.Width+x]
		if j < 0 {
			continue
		}
		other := &f.Around[j]
		if other.nearM == 0 || !own.Opens(t.dx, t.dy) || !other.Opens(-t.dx, -t.dy) {
			continue
		}
		ratio := min(other.nearM/own.nearM, own.nearM/other.nearM) // alike surroundings
		weight := t.weight * ratio * ratio
		total += weight
		half.AddTimes(row, from.Row(int(j)-f.Base), weight)
	}
	for c := range row {
		row[c] /= total
	}
}
