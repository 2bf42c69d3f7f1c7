package bake

import (
	"slices"
	"testing"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/source"
	"grotta/core/trace"
)

// UnmixedIrradiance computes a texel's direct light in float64 without layers or
// half-floats, with the shadow samples of a draft.
func (p *Prepared) UnmixedIrradiance(t *lightmap.Texel) color.Linear {
	var sum color.Linear
	r := p.ReceiverOf(t)
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.IsSky() {
			continue
		}
		unit, _ := s.Direct(p.Scene, &r, source.Careful(Draft.Samples()), sampling.TurnAt(s.Seed(), t.Origin))
		sum = sum.Add(s.Weight.Mul(unit))
	}
	return sum
}

// Light computes a source's direct light on a texel, with rays to all of the source.
func (p *Prepared) Light(s *source.Source, t *lightmap.Texel) color.Linear {
	r := p.ReceiverOf(t)
	sum, _ := s.Sharp(p.Scene, &r, source.Careful(Good.Samples()), 1)
	return sum
}

// GatherRays are the rays that all texels send for bounces and sky, in the order
// in which they are sent.
func (p *Prepared) GatherRays(q Quality) (rays []trace.Ray) {
	for texels := range slices.Chunk(p.Texels.List, block) {
		p.eachRay(texels, q.Rays(), func(i int, dir geom.Vec3) { rays = append(rays, rayAlong(&texels[i], dir)) })
	}
	return rays
}

// LinkRays are the rays of all patches, in the order in which they are sent.
func (p *Prepared) LinkRays(t testing.TB) (rays []trace.Ray) {
	members, of, err := p.partAll(t.Context(), &transport{layout: p.Layout})
	if err != nil {
		t.Fatal(err)
	}
	for k := range of[1:] {
		texels := members[of[k]:of[k+1]]
		fan, about := p.raysOf(&p.Texels.List[texels[0]])
		for i := range fan {
			rays = append(rays, rayAlong(&p.Texels.List[texels[sender(i, len(texels))]], about.Toward(&fan[i])))
		}
	}
	return rays
}

// InGroupsOf sets how many texels go together, until the end of a test.
func InGroupsOf(t testing.TB, n int) {
	was := groupTexels
	groupTexels = n
	t.Cleanup(func() { groupTexels = was })
}

// PatchOf is the patch of each lit texel, and whether something parts its square.
func (p *Prepared) PatchOf(t testing.TB) (patches []int32, isCut []bool) {
	links, err := p.transport(t.Context(), nil)
	if err != nil {
		t.Fatal(err)
	}
	for ci := range p.Layout.Charts {
		first, end := p.Texels.Of(ci)
		for texel := first; texel < end; texel++ {
			x, y := p.placeOf(&p.Layout.Charts[ci], texel)
			patch, c := links.patchAt(links.grid(ci), x, y)
			patches, isCut = append(patches, patch), append(isCut, c)
		}
	}
	return patches, isCut
}

// KeptLight is values of a chunk of texels, red, green and blue or white, as a bake
// holds them until they are packed; nothing where they are all 0.
func KeptLight(from [3][64]float32, tinted bool) (to [3][64]float32, dark bool) {
	var l light
	for c := range l {
		if c == 0 || tinted {
			l[c] = make([]*packedChunk, 3)
		}
	}
	l.put(1, (*chunkLight)(&from))
	if l.isDark(1) {
		return to, true
	}
	l.read(1, (*chunkLight)(&to))
	l.forget(0, 2)
	return to, !l.isDark(1)
}

// MemoryBytes is the estimate of what the prepared level takes.
func (p *Prepared) MemoryBytes() int { return p.memoryBytes() }
