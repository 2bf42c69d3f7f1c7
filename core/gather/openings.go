package gather

import (
	"math"
	"sync"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/radiosity"
	"grotta/core/sampling"
)

// The sky that comes through openings: few rays of a block of texels leave the level, and in a few
// facets of the hemisphere alone. Each texel sends more rays into those facets. The facets and whether
// there are such openings depend on the geometry alone.

const (
	indoors     = 0.12 // the greatest share of rays that leave the level
	openingSeed = 0x6f70656e
)

// escape is a ray that leaves the level.
type escape struct {
	texel, facet uint8
	dir          geom.Vec3
}

// escapeLists are lists to use again.
var escapeLists = sync.Pool{New: func() any { return new([]escape) }}

// skyOn adds the light of skies to each texel of a block, by the rays of it that leave the level
// and by more of them through openings. Light is in the order of texels, then of skies.
func (g *Gatherer) skyOn(texels []lightmap.Texel, first int, escapes []escape, light []color.Linear) {
	var open, rim [block]uint64          // facets of each texel that get more rays, and those of them beside openings
	side := func(texel, facet int) int { // the square root of the rays into a facet
		if rim[texel]>>facet&1 == 1 {
			return g.effort.ToRims
		}
		return g.effort.ToOpenings
	}
	for from, to := 0, 0; from < len(texels); from = to {
		chart := g.m.ChartOf(first + from)
		for to = from + 1; to < len(texels) && g.m.ChartOf(first+to) == chart; to++ {
		}
		var through [block]uint64 // facets of the rays of each texel that leave the level
		count := 0
		for i := range escapes {
			if e := &escapes[i]; int(e.texel) >= from && int(e.texel) < to {
				through[e.texel] |= 1 << e.facet
				count++
			}
		}
		if float64(count) > indoors*float64((to-from)*g.effort.Rays) {
			continue // much of the sky is seen
		}
		// The rays of the others choose a texel's facets. Its own would choose those in which they
		// leave the level by chance, and its light would be too little on average.
		for i := from; i < to; i++ {
			for other := from; other < to; other++ {
				if other != i {
					open[i] |= through[other]
				}
			}
			all := sampling.FacetsBeside(open[i])
			open[i], rim[i] = all, all&^open[i]
		}
	}
	add := func(texel int, dir geom.Vec3, weight float64) {
		for k, s := range g.skies {
			sum := &light[texel*len(g.skies)+k]
			*sum = sum.Add(g.emitters[s].Source.EvenSky(dir).Scale(weight))
		}
	}
	for i := range escapes {
		if e := &escapes[i]; open[e.texel]>>e.facet&1 == 0 {
			add(int(e.texel), e.dir, math.Pi/float64(g.effort.Rays))
		}
	}
	sent := radiosity.Volley{Links: g.links, Met: func(of int, dir geom.Vec3, target uint32, _ float64, _ geom.Vec3) {
		if target == radiosity.Sky {
			texel, facet := of/sampling.Facets, of%sampling.Facets
			n := side(texel, facet)
			add(texel, dir, math.Pi/float64(sampling.Facets*n*n))
		}
	}}
	for facet := range sampling.Facets {
		for i := range texels {
			if open[i]>>facet&1 == 0 {
				continue
			}
			about, turn := sampling.FrameOf(texels[i].Shading(g.m.Scene)), sampling.TurnAt(openingSeed+uint64(facet), texels[i].Origin)
			n := side(i, facet)
			for k := range n * n {
				sent.Send(i*sampling.Facets+facet, &texels[i], about.InFacet(facet, k, n, turn))
			}
		}
	}
	sent.Land()
}
