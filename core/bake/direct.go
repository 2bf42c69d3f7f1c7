package bake

import (
	"context"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/half"
	"grotta/core/layer"
	"grotta/core/sampling"
	"grotta/core/source"
)

// light is a source's direct light on the lit texels, in chunks. It has one channel if the
// light is white and three if something tints it.
type light [3][]*packedChunk // nil where it is dark

// packedChunk holds the values of a chunk as half-floats, scaled by a power of two so that
// the greatest is just under 2^15.
type packedChunk struct {
	scale float32
	half  [chunk]uint16
}

// chunkLight is the light on a chunk's texels, by channel.
type chunkLight [3][chunk]float32

// isDark tells whether a chunk gets no light.
func (l *light) isDark(k int) bool { return l[0][k] == nil }

// areDark tells whether the chunks from one to another, inclusive, get no light.
func (l *light) areDark(first, last int) bool {
	for k := first; k <= last; k++ {
		if !l.isDark(k) {
			return false
		}
	}
	return true
}

// read returns the light on a chunk that is not dark.
func (l *light) read(k int, to *chunkLight) {
	for c, chunks := range l {
		if chunks == nil { // white
			to[c] = to[0]
			continue
		}
		from := chunks[k]
		half.SumHalfRows(to[c][:], from.half[:], []uint32{0})
		for i := range to[c] {
			to[c][i] *= from.scale
		}
	}
}

// put stores the light on a chunk.
func (l *light) put(k int, from *chunkLight) {
	brightest := max(slices.Max(from[0][:]), slices.Max(from[1][:]), slices.Max(from[2][:]))
	if brightest == 0 {
		return
	}
	e := layer.ExponentFor(brightest)
	for c, chunks := range l {
		if chunks != nil {
			chunks[k] = &packedChunk{scale: float32(math.Ldexp(1, e))}
			half.Encode(chunks[k].half[:], from[c][:], float32(math.Ldexp(1, -e)))
		}
	}
}

// forget frees the chunks from one up to another, which are packed already.
func (l *light) forget(from, to int) {
	for _, chunks := range l {
		if chunks != nil {
			clear(chunks[from:to])
		}
	}
}

// directLight computes the direct light of sources on every lit texel. The light of a sky
// comes later, with the gathering rays, except for its bright spots. Only chunks within a
// source's reach are computed. The chunks of all sources form one list of work, so that all
// cores stay busy.
func (p *Prepared) directLight(ctx context.Context, sources []*source.Source, q Quality, report func(float64)) ([]light, error) {
	type piece struct{ source, chunk int32 }
	work := make([][]piece, len(sources))
	direct, seeds := make([]light, len(sources)), make([]uint64, len(sources))
	err := inParallel(ctx, len(sources), 1, func(i, _ int) {
		s := sources[i]
		for c := range max(s.Channels(), 1) {
			direct[i][c] = make([]*packedChunk, len(p.bounds))
		}
		if s.Channels() == 0 {
			return
		}
		seeds[i] = s.Seed()
		p.lit(s, func(k int) { work[i] = append(work[i], piece{int32(i), int32(k)}) })
	}, nil)
	if err != nil {
		return nil, err
	}
	all := slices.Concat(work...)
	return direct, inParallel(ctx, len(all), 4, func(from, to int) {
		for _, w := range all[from:to] {
			p.lightChunk(sources[w.source], int(w.chunk), q, seeds[w.source], &direct[w.source])
		}
	}, report)
}

// lightChunk lights a chunk of texels.
func (p *Prepared) lightChunk(s *source.Source, k int, q Quality, seed uint64, l *light) {
	e := source.Careful(q.Samples())
	if s.IsSky() {
		e = source.Steady(q.Rays())
	}
	var lux chunkLight
	var room [chunk]float64
	texels := p.Texels.List[k*chunk : min(k*chunk+chunk, len(p.Texels.List))]
	visible := room[:len(texels)]
	light := func(i int, e source.Effort) {
		t := &texels[i]
		r := p.ReceiverOf(t)
		var sum color.Linear
		sum, visible[i] = s.Sharp(p.Scene, &r, e, sampling.TurnAt(seed, t.Origin))
		for c, v := range sum {
			lux[c][i] = float32(v)
		}
	}
	for i := range texels {
		light(i, e)
	}
	if e.Penumbra > e.Samples && s.IsSoft() && slices.Min(visible) < slices.Max(visible) {
		shadow := penumbra{visible: visible, dark: 1 - s.Shadows().Depth}
		shadow.place(texels, p.Layout.PageSize)
		for _, i := range shadow.rims() {
			light(i, source.Steady(e.Penumbra))
		}
		if p.Scene.Level.Lightmap.Denoise {
			for i, factor := range shadow.smooth(3 / float64(e.Penumbra)) {
				for c := range lux {
					lux[c][i] *= float32(factor)
				}
			}
		}
	}
	l.put(k, &lux)
}
