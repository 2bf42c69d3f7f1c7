package bake

import (
	"context"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/source"
)

// readyFans are the patterns of rays that patches and texels send, by their number.
var readyFans = map[int]*sampling.Fans{
	patchRays: sampling.NewFans(patchRays), Good.Rays(): sampling.NewFans(Good.Rays()), Final.Rays(): sampling.NewFans(Final.Rays()),
}

// Bounces tells whether the source's light bounces off surfaces. Ambient light does not:
// it stands for light that has already bounced.
func (p *Prepared) Bounces(s *source.Source) bool {
	return p.Scene.Level.Lightmap.Bounces && !s.IsAmbient() && s.BounceScale() > 0
}

// group is a range of charts that are gathered and packed together. So there is never a
// table of all texels in memory.
type group struct {
	from, to   int // of the charts
	first, end int // of the texels
	window     int // how many texels have rows at once
}

// groupTexels is about the most texels that a group has. Tests set a smaller number.
var groupTexels = 8192

// groupSize is about the number of texels of a group of this level: small enough for
// memory, large enough to keep all cores busy. A chart with more texels is a group of its
// own and is gathered in bands of about that many.
func (p *Prepared) groupSize() int {
	const parts, least = 64, 512
	return min(max(len(p.Texels.List)/parts, least), groupTexels)
}

// groups divides the charts into groups.
func (p *Prepared) groups() []group {
	var all []group
	size := p.groupSize()
	for from := range p.Layout.Charts {
		first, end := p.Texels.Of(from)
		if n := len(all); n > 0 && end-all[n-1].first <= size {
			all[n-1].to++
		} else {
			all = append(all, group{from: from, to: from + 1, first: first})
		}
		g := &all[len(all)-1]
		g.end = end
		width, _ := p.Layout.Charts[from].Inner()
		row := lightmap.BlockTexels * width
		g.window = min(g.size(), (size+row-1)/row*row+3*row)
	}
	return all
}

// size is how many texels a group has.
func (g *group) size() int { return g.end - g.first }

// blockRows are the first texels of the rows of blocks of a large chart, and the end. A
// group of more than one chart counts as one row.
func (p *Prepared) blockRows(g *group) []int {
	if g.size() <= p.groupSize() {
		return []int{0, g.size()}
	}
	var starts []int
	last := -1
	for i := range g.size() {
		_, y := p.placeOf(&p.Layout.Charts[g.from], g.first+i)
		if row := y / lightmap.BlockTexels; row > last {
			starts, last = append(starts, i), row
		}
	}
	return append(starts, g.size())
}

// gatherer computes the indirect light of some sources on texels, and the light of skies,
// one group of charts at a time.
type gatherer struct {
	p           *Prepared
	t           *transport
	sources     []*source.Source
	skies       []int // those among them that are a sky's
	sent        *halves
	q           Quality
	rows, spare table // a draft has no spare one
}

// newGatherer solves what the patches send each other.
func (p *Prepared) newGatherer(ctx context.Context, sources []*source.Source, direct []light, q Quality, groups []group, report func(float64)) (*gatherer, error) {
	if len(sources) == 0 {
		return &gatherer{}, nil
	}
	t, err := p.transport(ctx, report)
	if err != nil {
		return nil, err
	}
	sent, err := p.sent(ctx, t, q, sources, direct)
	if err != nil {
		return nil, err
	}
	g := &gatherer{p: p, t: t, sources: sources, sent: sent, q: q}
	for i, s := range sources {
		if s.IsSky() {
			g.skies = append(g.skies, i)
		}
	}
	most := 0
	for i := range groups {
		most = max(most, groups[i].window)
	}
	g.rows = newTable(most, len(sources))
	if q != Draft {
		g.spare = newTable(most, len(sources))
	}
	return g, nil
}

// stretch is consecutive texels of a group, with a row of light for each if there are
// sources.
type stretch struct {
	from, to int
	rows     table
}

// each gathers the texels of a group and calls visit for every finished stretch, in
// order. The rows are valid until visit returns. report gets the number of gathered texels.
//
// A large chart is gathered in bands of rows of blocks. Smoothing a row needs the next
// row, so each of the two passes is one row behind.
func (g *gatherer) each(ctx context.Context, charts *group, report func(done int), visit func(stretch) error) error {
	if len(g.sources) == 0 {
		return visit(stretch{to: charts.size()})
	}
	if g.q == Draft {
		return g.coarse(ctx, charts, visit)
	}
	starts, f := g.p.blockRows(charts), g.p.texelField(charts, g.q)
	end, behind := len(starts)-1, 1
	if !g.p.Scene.Level.Lightmap.Denoise {
		behind = 0
	}
	size := g.p.groupSize()
	once, twice := 0, 0 // rows that each pass has done
	for from, to := 0, 0; from < end; from = to {
		for to++; to < end && starts[to+1]-starts[from] <= size; to++ {
		}
		nextOnce, nextTwice := max(to-behind, 0), max(to-2*behind, 0)
		if to == end {
			nextOnce, nextTwice = end, end
		}
		if err := g.fine(ctx, charts, f, starts[from], starts[to], report); err != nil {
			return err
		}
		if behind > 0 {
			if err := f.pass(ctx, starts[once], starts[nextOnce], &g.rows, &g.spare, 1); err != nil {
				return err
			}
			if err := f.pass(ctx, starts[twice], starts[nextTwice], &g.spare, &g.rows, 2); err != nil {
				return err
			}
		}
		if err := visit(stretch{starts[twice], starts[nextTwice], g.rows.after(starts[twice] - f.base)}); err != nil {
			return err
		}
		once, twice = nextOnce, nextTwice
		kept := starts[max(twice-behind, 0)]
		g.rows.shift(kept-f.base, starts[to]-f.base)
		g.spare.shift(kept-f.base, starts[to]-f.base)
		f.base = kept
	}
	return nil
}

const gatherSeed = 0x67617468

// mostRays is the most rays that a texel sends.
const mostRays = 256

// fine sends rays from some texels of a group and reads the light of the patches that
// they meet, for all sources at once.
func (g *gatherer) fine(ctx context.Context, charts *group, f *field, first, end int, report func(done int)) error {
	all, rays := g.p.Texels.List[charts.first+first:charts.first+end], g.q.Rays()
	return parallel.Steps(ctx, len(all), block, func(from, to int) {
		texels := all[from:to]
		var found [block]survey
		var met [block][mostRays]uint32 // patches of a texel's rays
		var count [block]int
		open := make([]color.Linear, len(texels)*len(g.skies)) // what comes to it from each sky
		for i := range texels {
			found[i].u, found[i].v = g.p.Layout.Charts[g.p.chartOf(charts.first+first+from+i)].Axes()
		}
		sent := volley{p: g.p, t: g.t, met: func(i int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3) {
			found[i].add(dir, distance, normal)
			if target < linkDark {
				met[i][count[i]] = target
				count[i]++
			} else if target == linkSky {
				for k, s := range g.skies {
					sum := &open[i*len(g.skies)+k]
					*sum = sum.Add(g.sources[s].EvenSky(dir))
				}
			}
		}}
		g.p.eachRay(texels, rays, func(i int, dir geom.Vec3) { sent.send(i, &texels[i], dir) })
		sent.land()
		for i := range texels {
			cell := first + from + i
			row := g.rows.row(cell - f.base)
			f.around[cell] = found[i].done(g.p.Layout.Charts[g.p.chartOf(charts.first+cell)].Density)
			g.sent.mean(row, met[i][:count[i]], rays)
			for k, s := range g.skies {
				for c := range 3 {
					row[3*s+c] += float32(open[i*len(g.skies)+k][c] * math.Pi / float64(rays))
				}
			}
		}
	}, func(done int) { report(first + done) })
}

// block is the number of texels that send their rays together. sectors are parts of the
// hemisphere whose rays have similar directions.
const (
	block   = 16
	sectors = 16
)

// eachRay calls visit for every ray of a block of texels. It goes sector by sector, and
// within a sector texel by texel: consecutive rays then start near each other and have
// similar directions, which is faster to trace.
func (p *Prepared) eachRay(texels []lightmap.Texel, rays int, visit func(i int, dir geom.Vec3)) {
	var about [block]sampling.Frame
	var fan [block][]geom.Vec3
	for i := range texels {
		about[i], fan[i] = sampling.FrameOf(texels[i].Normal(p.Scene)), readyFans[rays].Of(sampling.TurnAt(gatherSeed, texels[i].Origin))
	}
	for sector := range sectors {
		for i := range texels {
			for k := sector * rays / sectors; k < (sector+1)*rays/sectors; k++ {
				visit(i, about[i].Toward(&fan[i][k]))
			}
		}
	}
}

// coarse gathers by the links of the group's patches and interpolates them bilinearly.
// It is used for drafts, whose texels send no rays.
func (g *gatherer) coarse(ctx context.Context, charts *group, visit func(stretch) error) error {
	first, end := int(g.t.patchesOf[charts.from]), int(g.t.patchesOf[charts.to])
	got, spare := newTable(end-first, len(g.sources)), newTable(end-first, len(g.sources))
	err := inParallel(ctx, end-first, 256, func(from, to int) {
		var met [patchRays]uint32
		for k := from; k < to; k++ {
			row := got.row(k)
			g.sent.mean(row, g.t.metBy(first+k, met[:0]), patchRays)
			for _, s := range g.skies {
				g.p.addSky(g.t, g.sources[s], first+k, row[3*s:])
			}
		}
	}, nil)
	if err == nil && g.p.Scene.Level.Lightmap.Denoise {
		f := g.p.patchField(g.t, charts, first, end)
		if err = f.pass(ctx, 0, end-first, &got, &spare, 1); err == nil {
			err = f.pass(ctx, 0, end-first, &spare, &got, 2)
		}
	}
	if err != nil {
		return err
	}
	for from, step := 0, g.p.groupSize(); from < charts.size(); from += step {
		to := min(from+step, charts.size())
		if err := inParallel(ctx, to-from, 512, func(a, b int) {
			on, c, grid := -1, (*lightmap.Chart)(nil), grid{}
			for i := a; i < b; i++ {
				row, texel := g.rows.row(i), charts.first+from+i
				clear(row)
				if chart := g.p.chartOf(texel); chart != on {
					on, c, grid = chart, &g.p.Layout.Charts[chart], g.t.grid(chart)
				}
				x, y := g.p.placeOf(c, texel)
				patches, weights := g.t.patchesRound(grid, x, y)
				for k, patch := range patches {
					half.AddTimes(row, got.row(int(patch)-first), weights[k])
				}
			}
		}, nil); err != nil {
			return err
		}
		if err := visit(stretch{from, to, g.rows}); err != nil {
			return err
		}
	}
	return nil
}

// chartOf is the chart that a texel is on.
func (p *Prepared) chartOf(texel int) int {
	return int(p.Layout.ChartOf[p.Texels.List[texel].Surface(p.Scene)])
}

// patchesRound returns the patches of the four squares around a place of a chart and
// their bilinear weights. Where a square has several patches, the one nearest to the place
// counts. Where a square is hidden from the place or missing, the place's own patch counts.
func (t *transport) patchesRound(g grid, x, y int) (patches [4]int32, weights [4]float32) {
	px, py := (float64(x)+0.5)/float64(g.side)-0.5, (float64(y)+0.5)/float64(g.side)-0.5
	fx, fy := math.Floor(px), math.Floor(py)
	tx, ty := float32(px-fx), float32(py-fy)
	own, _ := t.patchAt(g, x, y)
	for k := range 4 {
		dx, dy := int(fx)+k&1-x/g.side, int(fy)+k>>1-y/g.side // from the texel's own square
		x0, y0 := (x/g.side+dx)*g.side, (y/g.side+dy)*g.side
		patches[k] = own
		if x0 >= 0 && x0 < g.width && y0 >= 0 && y0 < g.height {
			other, _ := t.patchAt(g, min(max(x, x0), x0+g.side-1), min(max(y, y0), y0+g.side-1))
			if t.around[own].opens(dx, dy) && t.around[other].opens(-dx, -dy) {
				patches[k] = other
			}
		}
		wx, wy := 1-tx, 1-ty
		if k&1 == 1 {
			wx = tx
		}
		if k>>1 == 1 {
			wy = ty
		}
		weights[k] = wx * wy
	}
	return patches, weights
}
