// Package gather brings the light that patches send, and that of skies, to texels: by rays of
// their own or, for a draft, by those of their patches. It works through groups of charts, so
// there is never a table of all texels in memory.
package gather

import (
	"context"
	"slices"
	"sync"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/radiosity"
	"grotta/core/rows"
	"grotta/core/sampling"
	"grotta/core/smooth"
	"grotta/core/trace"
)

// Group is a range of charts that are gathered and packed together.
type Group struct {
	From, To   int // of the charts
	First, End int // of the texels
	window     int // how many texels have rows at once, at most
}

// groupTexels is about the most texels that a group has. Tests set a smaller number.
var groupTexels = 8192

// groupSize is about the number of texels of a group of this level: small enough for
// memory, large enough to keep all cores busy. A chart with more texels is a group of its
// own and is gathered in bands of about that many.
func groupSize(m *lightmap.Map) int {
	const parts, least = 64, 512
	return min(max(len(m.Texels.List)/parts, least), groupTexels)
}

// Groups divides the charts into groups.
func Groups(m *lightmap.Map) []Group {
	var all []Group
	size := groupSize(m)
	for from := range m.Layout.Charts {
		first, end := m.Texels.Of(from)
		if n := len(all); n > 0 && end-all[n-1].First <= size {
			all[n-1].To++
		} else {
			all = append(all, Group{From: from, To: from + 1, First: first})
		}
		g := &all[len(all)-1]
		g.End = end
		width, _ := m.Layout.Charts[from].Inner()
		row := lightmap.BlockTexels * width
		g.window = min(g.size(), max(size, row)+(smooth.Passes+1)*row)
	}
	return all
}

// patches is how many patches a group has.
func (g *Group) patches(links *radiosity.Links) int {
	return links.Grid(g.To-1).End - links.Grid(g.From).First
}

// size is how many texels a group has.
func (g *Group) size() int { return g.End - g.First }

// blockRows are the first texels of the rows of blocks of a large chart, and the end. A
// group of more than one chart counts as one row.
func (g *Group) blockRows(m *lightmap.Map) []int {
	if g.size() <= groupSize(m) {
		return []int{0, g.size()}
	}
	var starts []int
	last := -1
	for i := range g.size() {
		_, y := m.PlaceOf(&m.Layout.Charts[g.From], g.First+i)
		if row := y / lightmap.BlockTexels; row > last {
			starts, last = append(starts, i), row
		}
	}
	return append(starts, g.size())
}

// stretchFrom is the end of the rows of blocks from one on that have so many texels at most, but at least one row.
func stretchFrom(starts []int, row, size int) (end int) {
	for end = row + 1; end < len(starts)-1 && starts[end+1]-starts[row] <= size; end++ {
	}
	return end
}

// Effort is how light is gathered.
type Effort struct {
	Rays       int                  // that each texel sends, mostRays at most
	Fans       *sampling.Fans       // their patterns; nil to use the patches' rays instead
	ToBright   radiosity.BrightRays // rays more, to the bright patches of each source
	ToOpenings int                  // the square root of the rays more that it sends into each facet of the hemisphere with an opening to the sky
	ToRims     int                  // the same into each facet beside those
	Tolerance  float64              // the share of all light that the last bounces may leave out
	Smoothing  int                  // the reach of the first smoothing pass, in texels, or in patches without Fans
}

// Gatherer computes the indirect light of some sources on texels, and the light of skies,
// one group of charts at a time.
type Gatherer struct {
	m        *lightmap.Map
	links    *radiosity.Links
	emitters []radiosity.Emitter
	skies    []int // those among them that are a sky's
	open     []int // those that light much of what is in the open
	sent     *radiosity.Sent
	effort   Effort
	light    smooth.Light // with Fans
	rooms    sync.Pool    // without Fans: of *draftRoom
}

// draftRoom is what a group without Fans needs: light of its patches, and of a stretch of its texels.
type draftRoom struct {
	patches smooth.Light
	texels  rows.Table
	rows    [2]int // of each of the two
}

// roomFor is room for a group, which is put back into rooms after it.
func (g *Gatherer) roomFor(charts *Group) *draftRoom {
	r, ok := g.rooms.Get().(*draftRoom)
	if !ok {
		r = &draftRoom{}
	}
	if n := charts.patches(g.links); n > r.rows[0] {
		r.patches, r.rows[0] = smooth.NewLight(n, len(g.emitters)), n
	}
	if n := charts.window; n > r.rows[1] {
		r.texels, r.rows[1] = rows.New(n, len(g.emitters)), n
	}
	return r
}

// draftsAtOnce is how many groups are gathered at once without Fans: the end of each stage of one, for which only some
// cores have work left, is then filled by the other.
const draftsAtOnce = 2

// AtOnce is how many groups Each may gather at once.
func (g *Gatherer) AtOnce() int {
	if g != nil && g.effort.Fans != nil {
		return 1 // they share their room
	}
	return draftsAtOnce
}

// New solves what the patches send each other. It ends early with the context's error.
func New(ctx context.Context, m *lightmap.Map, links *radiosity.Links, emitters []radiosity.Emitter, groups []Group, e Effort) (*Gatherer, error) {
	sent, err := links.Sent(ctx, emitters, e.Tolerance, e.Fans == nil)
	if err != nil {
		return nil, err
	}
	g := &Gatherer{m: m, links: links, emitters: emitters, sent: sent, effort: e}
	for i, e := range emitters {
		if e.Source.IsSky() {
			g.skies = append(g.skies, i)
		}
		if sent.LightsOpen(i) {
			g.open = append(g.open, i)
		}
	}
	if e.Fans != nil {
		g.light = smooth.NewLight(window(groups), len(emitters))
	}
	return g, nil
}

// Stretch is consecutive texels of a group, with a row of light for each, unless nothing is
// gathered. It has whole rows of blocks of a chart that has more than one stretch.
type Stretch struct {
	From, To int
	Rows     rows.Table
}

// Each gathers the texels of a group and calls visit for every finished stretch, in
// order. The rows are valid until visit returns. report gets the number of gathered texels.
// A nil Gatherer gathers nothing and visits the whole group. AtOnce groups may be gathered at once.
//
// A large chart is gathered in bands of rows of blocks. Smoothing a row needs the next
// row, so each pass is one row behind the one before.
func (g *Gatherer) Each(ctx context.Context, charts *Group, report func(done int), visit func(Stretch) error) error {
	if g == nil {
		return visit(Stretch{To: charts.size()})
	}
	if g.effort.Fans == nil {
		return g.coarse(ctx, charts, visit)
	}
	starts, f := charts.blockRows(g.m), charts.texelField(g.m, g.effort.Smoothing)
	passes, last := 0, &g.light.Raw
	if g.m.Scene.Level.Lightmap.Denoise {
		passes, last = smooth.Passes, &g.light.Done
	}
	size, end := groupSize(g.m), len(starts)-1
	var done [smooth.Passes + 1]int // rows of blocks, gathered and after each pass
	for done[0] < end {
		to, visited := stretchFrom(starts, done[0], size), done[passes]
		if err := g.fine(ctx, charts, f, starts[done[0]], starts[to], report); err != nil {
			return err
		}
		done[0] = to
		for pass := 1; pass <= passes; pass++ {
			next := max(to-pass, 0)
			if to == end {
				next = end
			}
			if err := f.Pass(ctx, pass, starts[done[pass]], starts[next], &g.light); err != nil {
				return err
			}
			done[pass] = next
		}
		if err := visit(Stretch{starts[visited], starts[done[passes]], last.After(starts[visited] - f.Base)}); err != nil {
			return err
		}
		kept := starts[max(done[passes]-min(passes, 1), 0)]
		g.light.Shift(kept-f.Base, starts[to]-f.Base)
		f.Base = kept
	}
	return nil
}

const gatherSeed = 0x67617468

// mostRays is the most rays that a texel sends.
const mostRays = 256

// fine sends rays from some texels of a group and reads the light of the patches that
// they meet, for all sources at once.
func (g *Gatherer) fine(ctx context.Context, charts *Group, f *smooth.Field, first, end int, report func(done int)) error {
	rays, starts := g.effort.Rays, blocks(g.m, charts.First+first, charts.First+end)
	return parallel.Each(ctx, len(starts)-1, func(b int) {
		texels, at := g.m.Texels.List[starts[b]:starts[b+1]], starts[b]-charts.First // of the group
		var found [block]smooth.Survey
		var met [block][mostRays]uint32 // patches of a texel's rays
		var count [block]int
		var about [block]sampling.Frame
		list := escapeLists.Get().(*[]escape)
		defer escapeLists.Put(list)
		escapes := (*list)[:0]
		var landings [block][]radiosity.Landing // of rays that end near, where light changes
		for i := range texels {
			about[i] = sampling.FrameOf(texels[i].Shading(g.m.Scene))
			found[i].U, found[i].V = g.m.Layout.Charts[g.m.ChartOf(starts[b])].Axes()
		}
		sent := radiosity.Volley{Links: g.links, Met: func(i int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3) {
			found[i].Add(dir, distance, normal)
			if target < radiosity.Dark {
				met[i][count[i]] = target
				count[i]++
				if g.sent.LandsNear(target, distance) {
					landings[i] = append(landings[i], g.sent.LandingOf(&texels[i], dir, target, distance, normal))
				}
			}
			if len(g.skies)+len(g.open) > 0 && g.isOut(target) {
				escapes = append(escapes, escape{uint8(i), about[i].FacetOf(dir), dir, target})
			}
		}}
		leans := g.m.Scene.IsLeaning()
		eachOfBlock(g.m, texels, rays, g.effort.Fans, func(i int, dir geom.Vec3) {
			if leans && dir.Dot(texels[i].Normal(g.m.Scene)) <= 0 {
				return // into the surface: nothing comes from there
			}
			sent.Send(i, &texels[i], dir)
		})
		sent.Land()
		var room []float32
		sky := make([]color.Linear, len(texels)*len(g.skies)) // on each texel, from each
		var seen [block]seenOut
		g.lookOut(texels, escapes, sky, seen[:])
		*list = escapes
		var on [block]radiosity.OnTexel
		for i := range texels {
			cell := at + i
			row := g.light.Raw.Row(cell - f.Base)
			f.Around[cell] = found[i].Done(g.m.Layout.Charts[g.m.ChartOf(starts[b])].Density)
			g.sent.Mean(row, met[i][:count[i]], rays)
			on[i] = radiosity.OnTexel{Texel: &texels[i], Met: met[i][:count[i]], Row: row}
		}
		g.sent.AddBright(g.m.Scene, on[:len(texels)], g.effort.ToBright, rays)
		for i := range texels {
			cell, row := at+i, on[i].Row
			g.sent.AddUneven(row, landings[i], rays)
			g.addOpen(row, &seen[i], &room)
			for k, s := range g.skies {
				for c := range 3 {
					row[3*s+c] += float32(sky[i*len(g.skies)+k][c])
				}
			}
			g.scale(row, g.m.UnderWater(charts.First+cell))
			if patch, share := g.links.Behind(charts.First + cell); share > 0 {
				g.through(row, patch, share, &room)
			}
		}
	}, func(done int) { report(starts[done] - charts.First) })
}

// scale multiplies the light of each source in a row by a share of each channel.
func (g *Gatherer) scale(row []float32, share color.Linear) {
	if share == color.White {
		return
	}
	for i := range g.emitters {
		for c := range 3 {
			row[3*i+c] *= float32(share[c])
		}
	}
}

// through lets light through to a row: a share of what it has gives way to what comes to the patch on
// the other side. There is none if the patch is -1. room is a row to use, made with the first call.
func (g *Gatherer) through(row []float32, patch int, share float32, room *[]float32) {
	for i := range row {
		row[i] *= 1 - share
	}
	if patch < 0 {
		return
	}
	if *room == nil {
		*room = make([]float32, len(row))
	}
	other := *room
	clear(other)
	var list [radiosity.Rays]uint32
	met := g.links.MetBy(patch, list[:0])
	g.sent.Mean(other, met, radiosity.Rays)
	if g.effort.Fans == nil {
		g.sent.AddBrightOnPatch(other, patch)
	} else {
		one := radiosity.OnTexel{Texel: &g.m.Texels.List[g.links.FirstTexel(patch)], Met: met, Row: other}
		g.sent.AddBright(g.m.Scene, []radiosity.OnTexel{one}, g.effort.ToBright, radiosity.Rays)
	}
	for _, s := range g.skies {
		g.links.AddSky(g.emitters[s].Source, patch, other[3*s:])
	}
	half.AddTimes(row, other, share)
}

// block is how many texels send their rays together, at most. sectors are parts of the hemisphere whose rays have similar
// directions.
const (
	block   = radiosity.Together
	sectors = 16
)

// blocks are the first texels of the blocks from a texel on to another, and the end. A block is of one chart and of one
// row of its squares, so blocks are the same however the charts are grouped, and whatever else the level has.
func blocks(m *lightmap.Map, first, end int) []int {
	var starts []int
	chart, row := -1, 0
	for i := first; i < end; i++ {
		of := m.ChartOf(i)
		_, y := m.PlaceOf(&m.Layout.Charts[of], i)
		if y /= lightmap.BlockTexels; of != chart || y != row || i-starts[len(starts)-1] == block {
			starts = append(starts, i)
		}
		chart, row = of, y
	}
	return append(starts, end)
}

// EachRay calls visit for every ray of all texels, in the order in which Each sends them.
func EachRay(m *lightmap.Map, rays int, fans *sampling.Fans, visit func(trace.Ray)) {
	starts := blocks(m, 0, len(m.Texels.List))
	for b := range starts[1:] {
		texels := m.Texels.List[starts[b]:starts[b+1]]
		eachOfBlock(m, texels, rays, fans, func(i int, dir geom.Vec3) { visit(radiosity.RayAlong(&texels[i], dir)) })
	}
}

// eachOfBlock calls visit for every ray of a block of texels. It goes sector by sector, and
// within a sector texel by texel: consecutive rays then start near each other and have
// similar directions, which is faster to trace.
func eachOfBlock(m *lightmap.Map, texels []lightmap.Texel, rays int, fans *sampling.Fans, visit func(i int, dir geom.Vec3)) {
	var about [block]sampling.Frame
	var fan [block][]geom.Vec3
	for i := range texels {
		about[i], fan[i] = sampling.FrameOf(texels[i].Shading(m.Scene)), fans.Of(sampling.TurnAt(gatherSeed, texels[i].Origin))
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
func (g *Gatherer) coarse(ctx context.Context, charts *Group, visit func(Stretch) error) error {
	on := g.roomFor(charts)
	defer g.rooms.Put(on)
	first, end := g.links.Grid(charts.From).First, g.links.Grid(charts.To-1).End
	got := &on.patches.Raw
	err := parallel.Steps(ctx, end-first, 256, func(from, to int) {
		var met [radiosity.Rays]uint32
		var room []float32
		for k := from; k < to; k++ {
			row := got.Row(k)
			g.sent.Mean(row, g.links.MetBy(first+k, met[:0]), radiosity.Rays)
			g.sent.AddBrightOnPatch(row, first+k)
			g.scale(row, g.links.UnderWater(first+k))
			for _, s := range g.skies {
				g.links.AddSky(g.emitters[s].Source, first+k, row[3*s:])
			}
			if patch, share := g.links.Behind(g.links.FirstTexel(first + k)); share > 0 {
				g.through(row, patch, share, &room)
			}
		}
	}, nil)
	if err == nil && g.m.Scene.Level.Lightmap.Denoise {
		f := charts.patchField(g.m, g.links, g.effort.Smoothing)
		for pass := 1; pass <= smooth.Passes && err == nil; pass++ {
			err = f.Pass(ctx, pass, 0, end-first, &on.patches)
		}
		got = &on.patches.Done
	}
	if err != nil {
		return err
	}
	starts := charts.blockRows(g.m)
	for row, end := 0, 0; row < len(starts)-1; row = end {
		end = stretchFrom(starts, row, groupSize(g.m))
		from, to := starts[row], starts[end]
		if err := parallel.Steps(ctx, to-from, 512, func(a, b int) {
			last, c, grid := -1, (*lightmap.Chart)(nil), radiosity.Grid{}
			for i := a; i < b; i++ {
				light, texel := on.texels.Row(i), charts.First+from+i
				clear(light)
				if chart := g.m.ChartOf(texel); chart != last {
					last, c, grid = chart, &g.m.Layout.Charts[chart], g.links.Grid(chart)
				}
				x, y := g.m.PlaceOf(c, texel)
				patches, weights := g.links.PatchesRound(&grid, x, y)
				for k, patch := range patches {
					half.AddTimes(light, got.Row(int(patch)-first), weights[k])
				}
			}
		}, nil); err != nil {
			return err
		}
		if err := visit(Stretch{from, to, on.texels}); err != nil {
			return err
		}
	}
	return nil
}

// MemoryBytes estimates the memory of the tables of light for a number of sources.
func (e *Effort) MemoryBytes(groups []Group, sources int) int {
	const tables, valueBytes = 3, 4 // of a smooth.Light
	row := valueBytes * rows.Columns(sources)
	if e.Fans != nil {
		return tables * row * window(groups)
	}
	const patchTexels = 4             // where nothing parts a patch
	var largest [draftsAtOnce + 1]int // rows of the largest groups; the last is thrown out
	for i := range groups {
		largest[draftsAtOnce] = groups[i].window + tables*groups[i].size()/patchTexels
		slices.SortFunc(largest[:], func(a, b int) int { return b - a })
	}
	rooms := 0
	for _, n := range largest[:draftsAtOnce] {
		rooms += n
	}
	return row * rooms
}

// window is the most texels of a group that have rows at once.
func window(groups []Group) (most int) {
	for i := range groups {
		most = max(most, groups[i].window)
	}
	return most
}
