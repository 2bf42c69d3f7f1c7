// Package direct computes the light that comes straight from a source to the texels of a
// level, with its shadows.
package direct

import (
	"context"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
)

// Light is a source's direct light on the lit texels, in chunks. It has one channel if the
// light is white and three if something tints it.
type Light [3][]*packedChunk // nil where it is dark

// packedChunk holds the values of a chunk as half-floats, scaled by a power of two so that
// the greatest is just under 2^15.
type packedChunk struct {
	scale float32
	half  [lightmap.ChunkTexels]uint16
}

// Chunk is the light on a chunk's texels, by channel, in lux for unit strength.
type Chunk [3][lightmap.ChunkTexels]float32

// New returns a light that is dark everywhere. A white one has 1 channel, a tinted one 3.
func New(m *lightmap.Map, channels int) (l Light) {
	for c := range max(channels, 1) {
		l[c] = make([]*packedChunk, m.Chunks())
	}
	return l
}

// IsDark tells whether a chunk gets no light.
func (l *Light) IsDark(k int) bool { return l[0][k] == nil }

// AreDark tells whether the chunks from one to another, inclusive, get no light.
func (l *Light) AreDark(first, last int) bool {
	for k := first; k <= last; k++ {
		if !l.IsDark(k) {
			return false
		}
	}
	return true
}

// Read fills a Chunk with the light on a chunk that is not dark.
func (l *Light) Read(k int, to *Chunk) {
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

// Put stores the light on a chunk.
func (l *Light) Put(k int, from *Chunk) {
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

// Forget frees the chunks from one up to another, which are packed already.
func (l *Light) Forget(from, to int) {
	for _, chunks := range l {
		if chunks != nil {
			clear(chunks[from:to])
		}
	}
}

// Rays is how many rays a texel sends for direct light.
type Rays struct {
	Shadow int // to a source that has a size, at first
	Sky    int // to the bright spots of a sky
}

// Bake computes the direct light of sources on every lit texel. The light of a sky comes
// later, with the gathering rays, except for its bright spots. Only chunks within a source's
// reach are computed. The chunks of all sources form one list of work, so that all cores stay
// busy. It ends early with the context's error. report, if not nil, gets the share that is
// done, from any goroutine.
func Bake(ctx context.Context, m *lightmap.Map, sources []*source.Source, rays Rays, report func(float64)) ([]Light, error) {
	type piece struct{ source, chunk int32 }
	work := make([][]piece, len(sources))
	direct, seeds := make([]Light, len(sources)), make([]uint64, len(sources))
	err := parallel.Each(ctx, len(sources), func(i int) {
		s := sources[i]
		direct[i] = New(m, s.Channels())
		if s.Channels() == 0 {
			return
		}
		seeds[i] = s.Seed()
		Lit(m, s, func(k int) { work[i] = append(work[i], piece{int32(i), int32(k)}) })
	}, nil)
	if err != nil {
		return nil, err
	}
	all := slices.Concat(work...)
	return direct, parallel.Shares(ctx, len(all), 4, func(from, to int) {
		for _, w := range all[from:to] {
			lightChunk(m, sources[w.source], int(w.chunk), rays, seeds[w.source], &direct[w.source])
		}
	}, report)
}

// Lit calls visit for every chunk that a source may light directly.
func Lit(m *lightmap.Map, s *source.Source, visit func(chunk int)) {
	at, metres, boxes := s.Reach()
	m.Near(at, metres, boxes, visit)
}

// Receiver is a texel as a place to be lit.
func Receiver(m *lightmap.Map, t *lightmap.Texel) source.Receiver {
	n, origin := t.Normal(m.Scene), geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
	return source.Receiver{Point: origin.Sub(n.Mul(scene.OffsetM)), Origin: origin, Normal: n}
}

// The memory of direct light, in bytes.
const (
	darkBytes = 8   // of a chunk, for each channel
	litBytes  = 144 // more of a chunk that may be lit
)

// MemoryBytes estimates the memory of a source's direct light.
func MemoryBytes(m *lightmap.Map, s *source.Source) int {
	lit := 0
	Lit(m, s, func(int) { lit++ })
	return max(s.Channels(), 1)*darkBytes*m.Chunks() + s.Channels()*litBytes*lit
}

// lightChunk lights a chunk of texels.
func lightChunk(m *lightmap.Map, s *source.Source, k int, rays Rays, seed uint64, l *Light) {
	e := source.Careful(rays.Shadow)
	if s.IsSky() {
		e = source.Steady(rays.Sky)
	}
	var lux Chunk
	var room [lightmap.ChunkTexels]float64
	texels := m.Chunk(k)
	visible := room[:len(texels)]
	light := func(i int, e source.Effort) {
		t := &texels[i]
		r := Receiver(m, t)
		var sum color.Linear
		sum, visible[i] = s.Sharp(m.Scene, &r, e, sampling.TurnAt(seed, t.Origin))
		for c, v := range sum {
			lux[c][i] = float32(v)
		}
	}
	for i := range texels {
		light(i, e)
	}
	if e.Penumbra > e.Samples && s.IsSoft() && slices.Min(visible) < slices.Max(visible) {
		shadow := penumbra{visible: visible, dark: 1 - s.Shadows().Depth}
		shadow.place(texels, m.Layout.PageSize)
		for _, i := range shadow.rims() {
			light(i, source.Steady(e.Penumbra))
		}
		if m.Scene.Level.Lightmap.Denoise {
			for i, factor := range shadow.smooth(3 / float64(e.Penumbra)) {
				for c := range lux {
					lux[c][i] *= float32(factor)
				}
			}
		}
	}
	l.Put(k, &lux)
}
