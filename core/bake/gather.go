package bake

import (
	"context"
	"math"
	"math/bits"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
)

// isSmooth tells whether a source's direct light comes by the rays of the gather:
// the sky's does, unless it has to be sampled by its brightness.
func (s *Source) isSmooth() bool {
	return s.shape.Kind == SkyKind && !(s.shape.Patch < 0 && s.sky.Sampled())
}

// bounces tells whether surfaces send the source's light on. Ambient stands for
// light that has been about already.
func (p *Prepared) bounces(s *Source) bool {
	return p.Scene.Level.Lightmap.Bounces && s.shape.Kind != AmbientKind && s.shape.BounceScale > 0
}

// indirectLight is what comes to each lit texel by bounces, and from smooth skies,
// of sources that have either: by column for each chunk of texels.
func (p *Prepared) indirectLight(ctx context.Context, sources []*Source, direct []light, q Quality, stage func(from, to float64) func(float64)) (columns, error) {
	if len(sources) == 0 || len(p.Texels.List) == 0 {
		return columns{}, nil
	}
	t, steps, err := p.transport(ctx, q, stage(0.4, 0.55))
	if err != nil {
		return columns{}, err
	}
	on := newTable(t.patches(), len(sources)) // direct light on patches
	if err := p.meanOnPatches(ctx, t, direct, &on); err != nil {
		return columns{}, err
	}
	for i, s := range sources {
		if s.isSmooth() {
			if err := p.skyOnPatches(ctx, t, s, &on, 3*i); err != nil {
				return columns{}, err
			}
		}
	}
	sent, spare, err := t.solve(ctx, on, steps)
	if err != nil {
		return columns{}, err
	}
	for i, s := range sources {
		scale := float32(s.shape.BounceScale)
		if !p.bounces(s) {
			scale = 0
		}
		for at := 3 * i; scale != 1 && at < len(sent.v); at += sent.columns {
			for c := range 3 {
				sent.v[at+c] *= scale
			}
		}
	}
	if q == Draft {
		return p.gatherCoarse(ctx, t, sources, sent, on, spare)
	}
	on, spare = table{}, table{} // let go of before the large table is made
	fine, err := p.gatherFine(ctx, t, sources, sent, q.Rays(), stage(0.55, 0.95))
	if err != nil {
		return columns{}, err
	}
	return fine.byColumn(ctx)
}

// meanOnPatches puts the mean of lights on the texels of each patch into an empty
// table: all of them together, while a patch's row is at hand.
func (p *Prepared) meanOnPatches(ctx context.Context, t *transport, lights []light, on *table) error {
	return inParallel(ctx, len(t.grids), 1, func(ci, _ int) {
		g, end := &t.grids[ci], p.Texels.TexelsOf[ci+1]
		counts := make([]float32, g.width*g.height)
		for from := p.Texels.TexelsOf[ci]; from < end; from = from/chunk*chunk + chunk {
			to := min(from/chunk*chunk+chunk, end)
			for s := range lights {
				if lights[s].v[from/chunk] == nil {
					continue
				}
				for i := from; i < to; i++ {
					v, row := lights[s].at(i), on.row(int(t.patchOf[i]))[3*s:][:3]
					row[0], row[1], row[2] = row[0]+v[0], row[1]+v[1], row[2]+v[2]
				}
			}
			for i := from; i < to; i++ {
				counts[int(t.patchOf[i])-g.first]++
			}
		}
		for k, n := range counts {
			if n > 1 {
				row := on.row(g.first + k)
				for c := range row {
					row[c] /= n
				}
			}
		}
	}, nil)
}

// skyOnPatches puts a smooth sky's light on each patch, by the rays of the links,
// into three columns of a table.
func (p *Prepared) skyOnPatches(ctx context.Context, t *transport, s *Source, on *table, column int) error {
	return inParallel(ctx, t.patches(), 256, func(from, to int) {
		for k := from; k < to; k++ {
			if t.sky[k] == 0 {
				continue
			}
			var sum color.Linear
			rays, about := raysOf(&p.Texels.List[t.first[k]])
			for left := t.sky[k]; left != 0; left &= left - 1 {
				sum = sum.Add(s.skyRadiance(about.turn(&rays[bits.TrailingZeros32(left)])))
			}
			row := on.row(k)[column : column+3]
			for c := range row {
				row[c] = float32(sum[c] * math.Pi / patchRays)
			}
		}
	}, nil)
}

const gatherSeed = 0x67617468

// gatherFine sends each texel's own rays and reads what the patches they meet
// send back, for every source at once.
func (p *Prepared) gatherFine(ctx context.Context, t *transport, sources []*Source, sent table, rays int, report func(float64)) (table, error) {
	out := p.texelTable(len(sources))
	around := make([]surroundings, len(p.Texels.List))
	var skies []int
	for i, s := range sources {
		if s.isSmooth() {
			skies = append(skies, i)
		}
	}
	err := inParallel(ctx, len(p.Texels.List), block, func(from, to int) {
		texels := p.Texels.List[from:to]
		var found [block]survey
		met := make([][]uint32, len(texels))                 // patches of a texel's rays
		open := make([]color.Linear, len(texels)*len(skies)) // what comes to it from each sky
		for i := range texels {
			c := &p.Layout.Charts[p.Layout.ChartOf[texels[i].Surface]]
			found[i], met[i] = survey{u: c.U, v: c.V}, make([]uint32, 0, rays)
		}
		eachRay(texels, rays, func(i int, dir geom.Vec3) {
			link, distance := p.gatherRay(t, &texels[i], dir)
			found[i].add(dir, distance)
			if link < linkDark {
				met[i] = append(met[i], link)
			} else if link == linkSky {
				for k, s := range skies {
					sum := &open[i*len(skies)+k]
					*sum = sum.Add(sources[s].skyRadiance(dir))
				}
			}
		})
		for i := range texels {
			row := out.row(from + i)
			around[from+i] = found[i].done(p.Layout.Charts[p.Layout.ChartOf[texels[i].Surface]].Density)
			half.SumRows(row, sent.v, met[i])
			for k, s := range skies {
				for c := range 3 {
					row[3*s+c] += float32(open[i*len(skies)+k][c] * math.Pi)
				}
			}
			for c := range row {
				row[c] /= float32(rays)
			}
		}
	}, report)
	if err != nil || !p.Scene.Level.Lightmap.Denoise {
		return out, err
	}
	return out, p.texelField(around).smooth(ctx, out)
}

// block is how many texels send their rays together, and sectors are parts of a fan
// whose rays run alike.
const (
	block   = 16
	sectors = 16
)

// eachRay calls visit for every ray of a block of texels over their hemispheres,
// texel by texel in a sector before the next one: rays that follow each other are
// near and run alike, which is traced faster.
func eachRay(texels []lightmap.Texel, rays int, visit func(i int, dir geom.Vec3)) {
	var about [block]frame
	var fan [block][]geom.Vec3
	for i := range texels {
		about[i], fan[i] = frameOf(texels[i].Normal), fanOf(rays, turn(gatherSeed, texels[i].Index))
	}
	for sector := range sectors {
		for i := range texels {
			for k := sector * rays / sectors; k < (sector+1)*rays/sectors; k++ {
				visit(i, about[i].turn(&fan[i][k]))
			}
		}
	}
}

// gatherCoarse reads the patches themselves, bilinearly: no more rays. on is the
// direct light on them, of which smooth skies need their part; got is for any use.
func (p *Prepared) gatherCoarse(ctx context.Context, t *transport, sources []*Source, sent, on, got table) (columns, error) {
	err := inParallel(ctx, t.patches(), 1024, func(from, to int) {
		for k := from; k < to; k++ {
			row, own := got.row(k), on.row(k)
			t.gathered(k, &sent, row)
			for i, s := range sources {
				if s.isSmooth() {
					for c := 3 * i; c < 3*i+3; c++ {
						row[c] += own[c]
					}
				}
			}
		}
	}, nil)
	if err == nil && p.Scene.Level.Lightmap.Denoise {
		err = p.patchField(t).smooth(ctx, got)
	}
	if err != nil {
		return columns{}, err
	}
	out := p.texelTable(len(sources))
	err = inParallel(ctx, len(p.Texels.List), 512, func(from, to int) {
		for i := from; i < to; i++ {
			patches, weights := p.around(t, i)
			for k, patch := range patches {
				half.AddTimes(out.row(i), got.row(int(patch)), weights[k])
			}
		}
	}, nil)
	if err != nil {
		return columns{}, err
	}
	return out.byColumn(ctx)
}

// texelTable has a row for each lit texel, and for whole chunks of them.
func (p *Prepared) texelTable(sources int) table { return newTable(len(p.bounds)*chunk, sources) }

// columns is a table of texels turned about, a chunk at a time: what a source has
// of a chunk lies together, as packing reads it.
type columns struct {
	v     []float32
	count int
}

// byColumn turns a table about in its place.
func (t *table) byColumn(ctx context.Context) (columns, error) {
	size := chunk * t.columns
	return columns{t.v, t.columns}, inParallel(ctx, len(t.v)/size, 64, func(from, to int) {
		was := make([]float32, size)
		for k := from; k < to; k++ {
			now := t.v[k*size : (k+1)*size]
			copy(was, now)
			for i := range chunk {
				for c, v := range was[i*t.columns : (i+1)*t.columns] {
					now[c*chunk+i] = v
				}
			}
		}
	}, nil)
}

// of are the values of a column in a chunk.
func (l *columns) of(chunkAt, column int) *[chunk]float32 {
	return (*[chunk]float32)(l.v[(chunkAt*l.count+column)*chunk:])
}

// around is the four patches round a texel, and their bilinear weights.
func (p *Prepared) around(t *transport, i int) (patches [4]int32, weights [4]float32) {
	texel := &p.Texels.List[i]
	ci := p.Layout.ChartOf[texel.Surface]
	c, g := &p.Layout.Charts[ci], &t.grids[ci]
	x, y := p.Layout.Place(texel.Index)
	side := float64(g.side)
	px, py := (float64(x-c.X-lightmap.PaddingTexels)+0.5)/side-0.5, (float64(y-c.Y-lightmap.PaddingTexels)+0.5)/side-0.5
	fx, fy := math.Floor(px), math.Floor(py)
	tx, ty := float32(px-fx), float32(py-fy)
	for k := range 4 {
		dx, dy := k&1, k>>1
		patches[k] = g.patchAt((fx+float64(dx)+0.5)*side, (fy+float64(dy)+0.5)*side)
		wx, wy := 1-tx, 1-ty
		if dx == 1 {
			wx = tx
		}
		if dy == 1 {
			wy = ty
		}
		weights[k] = wx * wy
	}
	return patches, weights
}
