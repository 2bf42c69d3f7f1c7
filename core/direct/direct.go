// Package direct computes the light that comes straight from a source to the texels of a
// level, with its shadows.
package direct

import (
	"context"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/parallel"
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
	edges uint64 // a bit for each texel on which the light ends; kept with the first channel
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

// At is the light on a texel.
func (l *Light) At(texel int) (lux [3]float32) {
	k := texel / lightmap.ChunkTexels
	if l.IsDark(k) {
		return lux
	}
	for c, chunks := range l {
		if chunks == nil { // white
			lux[c] = lux[0]
			continue
		}
		lux[c] = half.Decode(chunks[k].half[texel%lightmap.ChunkTexels]) * chunks[k].scale
	}
	return lux
}

// Put stores the light on a chunk that is dark so far.
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

// Edges has a bit for each texel of a chunk on which the light ends: only a part of the texel sees the source.
func (l *Light) Edges(k int) uint64 {
	if l.IsDark(k) {
		return 0
	}
	return l[0][k].edges
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

// Bake computes the direct light of sources on every lit texel: the mean over its square. The
// light of a sky comes later, with the gathering rays, except for its bright spots. Only chunks
// within a source's reach are computed. The chunks of all sources form one list of work, so that
// all cores stay busy. It ends early with the context's error. report, if not nil, gets the share
// that is done, from any goroutine.
//
// Every texel is lit first by rays from a few places of its square. Then texels that see a part of
// the source, or other than those beside them, are lit again from many places.
func Bake(ctx context.Context, m *lightmap.Map, sources []*source.Source, rays Rays, report func(float64)) ([]Light, error) {
	type piece struct{ source, chunk int32 }
	work := make([][]piece, len(sources))
	direct, each := make([]Light, len(sources)), make([]lighting, len(sources))
	err := parallel.Each(ctx, len(sources), func(i int) {
		s := sources[i]
		direct[i] = New(m, s.Channels())
		if s.Channels() == 0 {
			return
		}
		each[i] = newLighting(m, s, rays, &direct[i])
		Lit(m, s, func(k int) { work[i] = append(work[i], piece{int32(i), int32(k)}) })
	}, nil)
	if err != nil {
		return nil, err
	}
	all := slices.Concat(work...)
	part := func(from, share float64) func(float64) {
		if report == nil {
			return nil
		}
		return func(done float64) { report(from + share*done) }
	}
	const first = 0.7 // of the time
	if err := parallel.Shares(ctx, len(all), 4, func(from, to int) {
		for _, w := range all[from:to] {
			each[w.source].first(int(w.chunk))
		}
	}, part(0, first)); err != nil {
		return nil, err
	}
	return direct, parallel.Shares(ctx, len(all), 4, func(from, to int) {
		for _, w := range all[from:to] {
			each[w.source].again(int(w.chunk))
		}
	}, part(first, 1-first))
}

// Lit calls visit for every chunk that a source may light directly.
func Lit(m *lightmap.Map, s *source.Source, visit func(chunk int)) {
	at, metres, boxes := s.Reach()
	m.Near(at, metres, boxes, visit)
}

// Receiver is the middle of a texel as a place to be lit.
func Receiver(m *lightmap.Map, t *lightmap.Texel) source.Receiver {
	return receiver(t, t.Normal(m.Scene), t.Shading(m.Scene))
}

// receiver is Receiver where the two normals are known.
func receiver(t *lightmap.Texel, normal, shading geom.Vec3) source.Receiver {
	origin := geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
	return source.Receiver{Point: origin.Sub(normal.Mul(scene.OffsetM)), Origin: origin, Normal: shading}
}

// The memory of direct light, in bytes.
const (
	darkBytes = 8   // of a chunk, for each channel
	litBytes  = 144 // more of a chunk that may be lit, and
	markBytes = 88  // for its marks, once
)

// MemoryBytes estimates the memory of a source's direct light.
func MemoryBytes(m *lightmap.Map, s *source.Source) int {
	lit := 0
	Lit(m, s, func(int) { lit++ })
	return max(s.Channels(), 1)*darkBytes*m.Chunks() + (s.Channels()*litBytes+markBytes)*lit
}
