package direct

import (
	"grotta/core/color"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/source"
)

// mark is what a texel sees of a source.
type mark uint8

const (
	none mark = iota // none of its light arrives, whatever is in the way
	dark
	open
	mixed
	fine // its light changes within the texel
)

// lighting lights the texels of a level by one source.
type lighting struct {
	m      *lightmap.Map
	source *source.Source
	rays   Rays
	seed   uint64
	to     *Light
	marks  []*[lightmap.ChunkTexels]mark // by chunk
}

func newLighting(m *lightmap.Map, s *source.Source, rays Rays, to *Light) lighting {
	return lighting{m: m, source: s, rays: rays, seed: s.Seed(), to: to, marks: make([]*[lightmap.ChunkTexels]mark, m.Chunks())}
}

const (
	firstPlaces = 4  // of a texel from which it is lit first
	manyPlaces  = 64 // and again
	fineRounds  = 8  // of many places, where a source's own light has detail within the texel
	fewSamples  = 8  // of a source with a size: with fewer, a penumbra is not sampled again
)

// receiver is a texel with so many places of its square.
func (l *lighting) receiver(t *lightmap.Texel, squares *lightmap.Squares, places int) source.Receiver {
	normal, shading := squares.Normals(t)
	r := receiver(t, normal, shading)
	if r.Square, r.Places = squares.Of(t), places; t.Parted {
		r.Parted = l.m.Scene
	}
	return r
}

// first lights a chunk of texels from a few places of each, and marks what they see.
func (l *lighting) first(k int) {
	samples := max(l.rays.Shadow/2, min(l.rays.Shadow, firstPlaces))
	if l.source.IsSky() {
		samples = l.rays.Sky
	}
	var lux Chunk
	var marks [lightmap.ChunkTexels]mark
	squares, texels := l.m.Squares(), l.m.Chunk(k)
	for i := range texels {
		t := &texels[i]
		r := l.receiver(t, &squares, firstPlaces)
		turn := sampling.TurnAt(l.seed, t.Origin)
		sum, sight := l.source.Sharp(l.m.Scene, &r, source.Steady(samples), turn)
		set(&lux, i, sum)
		switch {
		case l.source.IsFine(&r):
			marks[i] = fine
		case !sight.Arrives:
			marks[i] = none
		case sight.Seen == 0:
			marks[i] = dark
		case sight.Seen < 1:
			marks[i] = mixed
		default:
			marks[i] = open
		}
	}
	l.to.Put(k, &lux)
	l.marks[k] = &marks
}

// again lights those texels of a chunk from many places that need it.
func (l *lighting) again(k int) {
	soft := l.source.IsSoft()
	if l.source.IsSky() || soft && l.rays.Shadow < fewSamples {
		return
	}
	samples := manyPlaces
	if soft {
		samples = source.Careful(l.rays.Shadow).Penumbra
	}
	var lux Chunk
	if !l.to.IsDark(k) {
		l.to.Read(k, &lux)
	}
	var visible [lightmap.ChunkTexels]float64
	var edges uint64
	some := false
	squares, texels := l.m.Squares(), l.m.Chunk(k)
	for i := range texels {
		t := &texels[i]
		if l.marks[k][i] == open {
			visible[i] = 1
		}
		if t.Area == 0 || !l.differs(k, i) {
			continue
		}
		r := l.receiver(t, &squares, manyPlaces)
		var sum color.Linear
		var sight source.Sight
		if l.marks[k][i] == fine {
			sum, sight = l.fine(&r, t, samples)
		} else {
			sum, sight = l.source.Sharp(l.m.Scene, &r, source.Steady(samples), sampling.TurnAt(l.seed+1, t.Origin))
		}
		visible[i] = sight.Visible
		if 0 < sight.Seen && sight.Seen < 1 {
			edges |= 1 << i
		}
		set(&lux, i, sum)
		some = true
	}
	if !some {
		return
	}
	if soft && l.m.Scene.Level.Lightmap.Denoise {
		shadow := penumbra{visible: visible[:len(texels)], dark: 1 - l.source.Shadows().Depth}
		shadow.place(texels, l.m.Layout.PageSize)
		for i, factor := range shadow.smooth(3 / float64(samples)) {
			for c := range lux {
				lux[c][i] *= float32(factor)
			}
		}
	}
	l.to.Put(k, &lux)
	if !l.to.IsDark(k) {
		l.to[0][k].edges = edges
	}
}

// fine is the light on a texel that has more detail than a few places show.
func (l *lighting) fine(r *source.Receiver, t *lightmap.Texel, samples int) (lux color.Linear, sight source.Sight) {
	rounds := fineRounds
	if l.source.IsSoft() {
		rounds = 1 // its samples are many already
	}
	for round := range rounds {
		one, its := l.source.SharpOver(l.m.Scene, r, samples, sampling.TurnAt(l.seed+1+uint64(round), t.Origin))
		lux, sight = lux.Add(one.Scale(1/float64(rounds))), its
	}
	return lux, sight
}

// differs tells whether a texel sees a part of the source, or other than one beside it.
func (l *lighting) differs(k, i int) bool {
	own := l.marks[k][i]
	if own == mixed || own == fine {
		return true
	}
	if own == none {
		return false
	}
	for _, j := range l.m.Beside(k*lightmap.ChunkTexels + i) {
		if j < 0 {
			continue
		}
		if marks := l.marks[j/lightmap.ChunkTexels]; marks != nil {
			if other := marks[j%lightmap.ChunkTexels]; other != own && other != none {
				return true
			}
		}
	}
	return false
}

func set(lux *Chunk, i int, light color.Linear) {
	for c, v := range light {
		lux[c][i] = float32(v)
	}
}
