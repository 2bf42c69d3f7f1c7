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

// What comes through openings: few rays of a block of texels leave the level or land in the open, and in a few
// facets of the hemisphere alone. Each texel sends more rays into those facets. The facets and whether
// there are such openings depend on the geometry alone.

const (
	indoors     = 0.12 // the greatest share of rays that go out
	inTheOpen   = 2 * indoors
	openingSeed = 0x6f70656e
	scoutSeed   = 0x73636f75
	few         = 4  // texels of a block that has fewer need scouts
	scouts      = 64 // rays that each of them sends then, or a little more
)

// escape is a ray that goes out.
type escape struct {
	texel, facet uint8
	dir          geom.Vec3
	target       uint32
}

// isOut tells whether a ray has left the level or landed in the open.
func (g *Gatherer) isOut(target uint32) bool {
	return target == radiosity.Sky || target < radiosity.Dark && g.links.IsOpen(target)
}

// seenOut is which patches in the open a texel's rays have landed on: those into openings, those beside them, and the
// others, whose place these take.
type seenOut struct{ open, rim, before []uint32 }

// escapeLists are lists to use again.
var escapeLists = sync.Pool{New: func() any { return new([]escape) }}

// lookOut adds the light of skies to each texel of a block, by the rays of it that leave the level
// and by more of them through openings, and lists the patches in the open that these land on. Light is in the order of
// texels, then of skies.
func (g *Gatherer) lookOut(texels []lightmap.Texel, escapes []escape, light []color.Linear, seen []seenOut) {
	if len(g.skies)+len(g.open) == 0 {
		return
	}
	var open, rim [block]uint64          // facets of each texel that get more rays, and those of them beside openings
	side := func(texel, facet int) int { // the square root of the rays into a facet
		if rim[texel]>>facet&1 == 1 {
			return g.effort.ToRims
		}
		return g.effort.ToOpenings
	}
	// The rays of others choose a texel's facets. Its own would choose those in which they
	// leave the level by chance, and its light would be too little on average.
	if len(texels) < few {
		var out [block]int // rays of each texel
		for i := range escapes {
			out[escapes[i].texel]++
		}
		for i := range texels {
			// Scouts would find that one with so many rays out is in the open.
			if float64(out[i]) <= inTheOpen*float64(g.effort.Rays) {
				open[i] = g.scout(&texels[i])
			}
		}
	} else if isIndoors(len(escapes), len(texels)*g.effort.Rays) {
		var through [block]uint64 // facets of the rays of each texel that go out
		for i := range escapes {
			through[escapes[i].texel] |= 1 << escapes[i].facet
		}
		for i := range texels {
			for other := range texels {
				if other != i {
					open[i] |= through[other]
				}
			}
		}
	}
	for i := range texels {
		all := sampling.FacetsBeside(open[i])
		open[i], rim[i] = all, all&^open[i]
	}
	add := func(texel int, dir geom.Vec3, weight float64) {
		for k, s := range g.skies {
			sum := &light[texel*len(g.skies)+k]
			*sum = sum.Add(g.emitters[s].Source.EvenSky(dir).Scale(weight))
		}
	}
	for i := range escapes {
		e := &escapes[i]
		isOpening := open[e.texel]>>e.facet&1 == 1
		if e.target == radiosity.Sky && !isOpening {
			add(int(e.texel), e.dir, math.Pi/float64(g.effort.Rays))
		} else if e.target != radiosity.Sky && isOpening {
			seen[e.texel].before = append(seen[e.texel].before, e.target)
		}
	}
	sent := radiosity.Volley{Links: g.links, Met: func(of int, dir geom.Vec3, target uint32, _ float64, _ geom.Vec3) {
		texel, facet := of/sampling.Facets, of%sampling.Facets
		switch {
		case !g.isOut(target):
		case target == radiosity.Sky:
			n := side(texel, facet)
			add(texel, dir, math.Pi/float64(sampling.Facets*n*n))
		case rim[texel]>>facet&1 == 1:
			seen[texel].rim = append(seen[texel].rim, target)
		default:
			seen[texel].open = append(seen[texel].open, target)
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

// isIndoors tells whether some of the rays of a place go out, and few of them.
func isIndoors(out, rays int) bool {
	return out > 0 && float64(out) <= indoors*float64(rays)
}

// scout sends rays of a texel that only look for openings, and returns the facets in which they go out, none if those are many.
func (g *Gatherer) scout(texel *lightmap.Texel) (facets uint64) {
	about, sum, out := sampling.FrameOf(texel.Shading(g.m.Scene)), 0, 0
	sent := radiosity.Volley{Links: g.links, Met: func(_ int, dir geom.Vec3, target uint32, _ float64, _ geom.Vec3) {
		if g.isOut(target) {
			facets |= 1 << about.FacetOf(dir)
			out++
		}
	}}
	for turn := uint64(0); sum < scouts; turn++ {
		for _, ray := range g.effort.Fans.Of(sampling.TurnAt(scoutSeed+turn, texel.Origin)) {
			sent.Send(0, texel, about.Toward(&ray))
			sum++
		}
	}
	sent.Land()
	if !isIndoors(out, sum) {
		return 0
	}
	return facets
}

// addOpen puts what patches in the open send by the rays through openings in the place of what they send by the others,
// for the sources that light them. room is a row to use, made with the first call.
func (g *Gatherer) addOpen(row []float32, seen *seenOut, room *[]float32) {
	if len(g.open) == 0 {
		return
	}
	for _, part := range []struct {
		patches []uint32
		rays    int // less than 0 to take away
	}{
		{seen.before, -g.effort.Rays},
		{seen.open, sampling.Facets * g.effort.ToOpenings * g.effort.ToOpenings},
		{seen.rim, sampling.Facets * g.effort.ToRims * g.effort.ToRims},
	} {
		if len(part.patches) == 0 {
			continue
		}
		if *room == nil {
			*room = make([]float32, len(row))
		}
		g.sent.Mean(*room, part.patches, part.rays)
		for _, s := range g.open {
			for c := range 3 {
				row[3*s+c] += (*room)[3*s+c]
			}
		}
	}
}
