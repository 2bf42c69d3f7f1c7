// Package smooth averages indirect light and the light of the sky over neighbours in the
// same chart. A neighbour counts more, the more similar its surroundings are. Smoothing never
// reaches past the surfaces that a cell's own rays met, so no light leaks under a wall. What
// smoothing takes from the light of a source is given back where it is more than that source's
// noise. Each source is smoothed alone, so a mix of layers stays the sum of them. Direct light is
// not smoothed.
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
	First, Places int     // its first cell, and where its places begin
	Width, Height int     // places
	Step          int     // places from a cell to the next
	PerM          float64 // cells
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

// NearM is the harmonic mean of how far the rays went, in metres.
func (a *Surroundings) NearM() float32 { return a.nearM }

// Opens tells whether nothing stands between a cell and the one dx, dy cells away, by the
// cell's own rays.
func (a *Surroundings) Opens(dx, dy int) bool {
	return -a.clear(1) <= dx && dx <= a.clear(0) && -a.clear(3) <= dy && dy <= a.clear(2)
}

// clear is how many cells away nothing stands on a side.
func (a *Surroundings) clear(side int) int { return max(int(a.free[side])-1, 0) / 4 }

// clearFor is how far it has to be clear for a number of cells, in quarter cells. It is a quarter of a cell more than the
// way, as cells by a wall may lie beside their middles.
func clearFor(cells int) uint8 {
	if cells == 0 {
		return 0
	}
	return uint8(min(4*cells+1, 255))
}

// Passes is how many passes smooth a field. Each reads neighbours in the result of the one before.
const Passes = 3

// Light is that of the cells of a field, on its way through the passes.
type Light struct {
	Raw   rows.Table // before them
	Done  rows.Table // after the last; until then it has the result of the first
	twice rows.Table // after the second
}

// NewLight returns light of zeros.
func NewLight(cells, sources int) Light {
	return Light{rows.New(cells, sources), rows.New(cells, sources), rows.New(cells, sources)}
}

// Shift moves the cells from one row up to an end to the front.
func (l *Light) Shift(from, end int) {
	for _, t := range []*rows.Table{&l.Raw, &l.Done, &l.twice} {
		t.Shift(from, end)
	}
}

// Pass does one of the passes, from 1 on, for the cells from a up to b: a mean of neighbours, a second mean of wider
// steps (Dammertz et al., "Edge-avoiding à-trous wavelet transform", 2010), and giving back what they took from the
// light itself. It ends early with the context's error.
func (f *Field) Pass(ctx context.Context, pass, a, b int, l *Light) error {
	switch pass {
	case 1:
		return f.average(ctx, a, b, &l.Raw, &l.Done, 1)
	case 2:
		return f.average(ctx, a, b, &l.Done, &l.twice, 2)
	}
	return f.mend(ctx, a, b, &l.Raw, &l.twice, &l.Done)
}

// average writes the weighted mean of each cell's neighbours, which are step cells apart.
func (f *Field) average(ctx context.Context, a, b int, from, to *rows.Table, step int) error {
	taps := tapsOf(f.Reach, step)
	return f.each(ctx, a, b, func() func(on *Cells, i int) {
		var room [mostTaps]part
		return func(on *Cells, i int) { f.mean(on, i, from, to.Row(i-f.Base), taps, room[:0]) }
	})
}

// mend gives back to smoothed cells what smoothing took from the light itself. That is alike in neighbours, as on top
// of a slope, where noise differs from one to the next. raw is the light before both passes, and to becomes smoothed
// light with what is given back (twicing; Tukey, "Exploratory Data Analysis", 1977).
func (f *Field) mend(ctx context.Context, a, b int, raw, smoothed, to *rows.Table) error {
	taps := tapsOf(f.Reach, 1)
	return f.each(ctx, a, b, func() func(on *Cells, i int) {
		var sum, squares []float32
		var room [mostTaps]part
		return func(on *Cells, i int) {
			row := to.Row(i - f.Base)
			copy(row, smoothed.Row(i-f.Base))
			if f.Around[i].nearM == 0 {
				return
			}
			if sum == nil {
				sum, squares = make([]float32, len(row)), make([]float32, len(row))
			}
			clear(sum)
			clear(squares)
			var weights moments
			add := func(p *part) {
				weights.add(p)
				half.AddOff(sum, squares, raw.Row(int(p.cell)-f.Base), smoothed.Row(int(p.cell)-f.Base), p.weight)
			}
			add(&part{cell: int32(i), weight: 1})
			parts := f.parts(on, i, taps, room[:0])
			for k := range parts {
				add(&parts[k])
			}
			weights.giveBack(row, sum, squares)
		}
	})
}

// noiseTimes is how many times the variance of its noise the square of what smoothing took has to be.
const noiseTimes = 4

// giveBack adds to each source of a row the weighted mean of what smoothing took, by the weighted sums of it and of
// its squares: less by a share that grows with the variance of that mean, and nothing where it may all be noise
// (the positive part of James and Stein's estimator; Efron and Morris, "Stein's paradox in statistics", 1977).
func (m *moments) giveBack(row, sum, squares []float32) {
	noise := noiseTimes * m.squares / (m.sum * m.sum)
	for c := 0; c+3 <= len(row); c += 3 {
		took, variance := float32(0), float32(0)
		for k := c; k < c+3; k++ {
			sum[k] /= m.sum
			took += sum[k] * sum[k]
			variance += squares[k]/m.sum - sum[k]*sum[k]
		}
		if took == 0 {
			continue
		}
		share := max(1-noise*max(variance, 0)/took, 0)
		for k := c; k < c+3; k++ {
			row[k] = max(row[k]+share*sum[k], 0)
		}
	}
}

// each visits the cells from a up to b, on all cores; each core has a visitor of its own for some of them.
func (f *Field) each(ctx context.Context, a, b int, visitor func() func(on *Cells, i int)) error {
	return parallel.Steps(ctx, b-a, 128, func(low, high int) {
		visit := visitor()
		on := sort.Search(len(f.Charts), func(i int) bool { return f.Charts[i].First > a+low }) - 1
		for i := a + low; i < a+high; i++ {
			for on+1 < len(f.Charts) && f.Charts[on+1].First <= i {
				on++
			}
			visit(&f.Charts[on], i)
		}
	}, nil)
}

// tap is a neighbour that a mean may include, by its offset.
type tap struct {
	dx, dy        int
	away2, weight float32 // the square of its distance
	sideX, sideY  uint8   // which of its own free ways lead back along u and v
	backX, backY  uint8   // how far each has to be clear, in quarter cells
}

// mostTaps is the most neighbours of a mean.
const mostTaps = 64

// tapsOf are the neighbours nearer than a reach, in steps.
func tapsOf(reach, step int) (taps []tap) {
	for v := -reach; v <= reach; v++ {
		for u := -reach; u <= reach; u++ {
			if u == 0 && v == 0 {
				continue
			}
			if away := math.Hypot(float64(u), float64(v)) / float64(reach); away < 1 {
				taps = append(taps, tapTo(u*step, v*step, float32(1-away)))
			}
		}
	}
	return taps
}

func tapTo(dx, dy int, weight float32) tap {
	t := tap{dx: dx, dy: dy, away2: float32(dx*dx + dy*dy), weight: weight, sideX: 1, sideY: 3}
	if dx < 0 {
		t.sideX = 0
	}
	if dy < 0 {
		t.sideY = 2
	}
	t.backX, t.backY = clearFor(max(dx, -dx)), clearFor(max(dy, -dy))
	return t
}

// A mean reaches as far as a share of the distance of things about the cell at most, as light curves
// over more than that (Ward, Rubinstein and Clear, "A ray tracing solution for diffuse
// interreflection", 1988), but as far as the field's first pass at least, which is as many cells as its noise needs.
const reachOfNear = 0.35

// part is a neighbour that a mean includes.
type part struct {
	cell           int32
	dx, dy, weight float32
}

// mean writes the weighted mean of one cell. The weights are leant so that the neighbours' middle is
// the cell itself, as far as none gets less than nothing: the mean then keeps a slope of the light,
// also along the edge of a chart (local linear regression; Fan, "Local linear regression smoothers and
// their minimax efficiencies", 1993).
func (f *Field) mean(on *Cells, i int, from *rows.Table, row []float32, taps []tap, room []part) {
	copy(row, from.Row(i-f.Base))
	if f.Around[i].nearM == 0 {
		return
	}
	parts := f.parts(on, i, taps, room)
	var m moments
	m.add(&part{weight: 1})
	for k := range parts {
		m.add(&parts[k])
	}
	leanX, leanY := m.lean(parts)
	total := float32(1)
	for k := range parts {
		p := &parts[k]
		weight := p.weight * (1 + leanX*p.dx + leanY*p.dy)
		total += weight
		half.AddTimes(row, from.Row(int(p.cell)-f.Base), weight)
	}
	for c := range row {
		row[c] /= total
	}
}

// parts adds the neighbours that count for a cell to a list: those within reach between which and it nothing stands,
// the more the more alike their surroundings are.
func (f *Field) parts(on *Cells, i int, taps []tap, parts []part) []part {
	own := &f.Around[i]
	x0, y0 := int(f.Place[i])%on.Width, int(f.Place[i])/on.Width
	left, right := min(own.clear(1), x0/on.Step), min(own.clear(0), (on.Width-1-x0)/on.Step)
	up, down := min(own.clear(3), y0/on.Step), min(own.clear(2), (on.Height-1-y0)/on.Step)
	reach := max(float32(reachOfNear*on.PerM)*own.nearM, float32(f.Reach)) // in cells
	reach2, fall, cells := reach*reach, 1/(reach*reach), f.CellAt[on.Places:]
	for k := range taps {
		t := &taps[k]
		if t.away2 >= reach2 || t.dx < -left || t.dx > right || t.dy < -up || t.dy > down {
			continue
		}
		cell := cells[(y0+t.dy*on.Step)*on.Width+x0+t.dx*on.Step]
		if cell < 0 {
			continue
		}
		other := &f.Around[cell]
		if other.nearM == 0 || other.free[t.sideX] < t.backX || other.free[t.sideY] < t.backY {
			continue
		}
		alike := min(other.nearM, own.nearM) / max(other.nearM, own.nearM)
		parts = append(parts, part{cell, float32(t.dx), float32(t.dy), t.weight * (1 - t.away2*fall) * (alike * alike)})
	}
	return parts
}

// moments are those of the weights of some cells, by where they lie, and the sums of the weights and of their squares.
type moments struct{ sum, squares, x, y, xx, xy, yy float32 }

func (m *moments) add(p *part) {
	m.sum, m.squares = m.sum+p.weight, m.squares+p.weight*p.weight
	m.x, m.y = m.x+p.weight*p.dx, m.y+p.weight*p.dy
	m.xx, m.xy, m.yy = m.xx+p.weight*p.dx*p.dx, m.xy+p.weight*p.dx*p.dy, m.yy+p.weight*p.dy*p.dy
}

// lean is how weights have to grow along x and y so that their middle is the cell, as far as none gets
// less than nothing.
func (m *moments) lean(parts []part) (x, y float32) {
	const flat = 1e-3 // all lie on a line, or on the cell
	if det := m.xx*m.yy - m.xy*m.xy; det > flat*m.xx*m.yy {
		x, y = (m.xy*m.y-m.yy*m.x)/det, (m.xy*m.x-m.xx*m.y)/det
	} else if m.xx+m.yy > 0 {
		length := m.xx + m.yy
		x, y = -m.x/length, -m.y/length
	}
	share := float32(1)
	for k := range parts {
		if grows := x*parts[k].dx + y*parts[k].dy; grows*share < -1 {
			share = -1 / grows
		}
	}
	return share * x, share * y
}
