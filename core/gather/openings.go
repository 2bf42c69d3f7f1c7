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
// cells of the hemisphere alone. Each texel sends more rays into those cells. The cells and whether
// there are such openings depend on the geometry alone.

const (
	rings, spokes = 4, 16 // of the hemisphere; cells weigh alike by the cosine
	cells         = rings * spokes
	indoors       = 0.12 // the greatest share of rays that leave the level
	openingSeed   = 0x6f70656e
)

// escape is a ray that leaves the level.
type escape struct {
	texel, cell uint8
	dir         geom.Vec3
}

// escapeLists are lists to use again.
var escapeLists = sync.Pool{New: func() any { return new([]escape) }}

// cellOf is the cell that a direction about a normal is in.
func cellOf(about *sampling.Frame, dir geom.Vec3) uint8 {
	x, y := dir.Dot(about.U), dir.Dot(about.V)
	ring := min(int((x*x+y*y)*rings), rings-1)
	turn := math.Atan2(y, x)/(2*math.Pi) + 1
	return uint8(ring*spokes + int(turn*spokes)%spokes)
}

// skyOn adds the light of skies to each texel of a block, by the rays of it that leave the level
// and by more of them through openings. Light is in the order of texels, then of skies.
func (g *Gatherer) skyOn(texels []lightmap.Texel, first int, escapes []escape, light []color.Linear) {
	var open [block]uint64 // cells of each texel that get more rays
	more := g.effort.ToOpenings
	for from, to := 0, 0; from < len(texels); from = to {
		chart := g.m.ChartOf(first + from)
		for to = from + 1; to < len(texels) && g.m.ChartOf(first+to) == chart; to++ {
		}
		var through [block]uint64 // cells of the rays of each texel that leave the level
		count := 0
		for i := range escapes {
			if e := &escapes[i]; int(e.texel) >= from && int(e.texel) < to {
				through[e.texel] |= 1 << e.cell
				count++
			}
		}
		if float64(count) > indoors*float64((to-from)*g.effort.Rays) {
			continue // much of the sky is seen
		}
		// The rays of the others choose a texel's cells. Its own would choose those in which they
		// leave the level by chance, and its light would be too little on average.
		for i := from; i < to; i++ {
			for other := from; other < to; other++ {
				if other != i {
					open[i] |= through[other]
				}
			}
		}
	}
	add := func(texel int, dir geom.Vec3, weight float64) {
		for k, s := range g.skies {
			sum := &light[texel*len(g.skies)+k]
			*sum = sum.Add(g.emitters[s].Source.EvenSky(dir).Scale(weight))
		}
	}
	for i := range escapes {
		if e := &escapes[i]; open[e.texel]>>e.cell&1 == 0 {
			add(int(e.texel), e.dir, math.Pi/float64(g.effort.Rays))
		}
	}
	sent := radiosity.Volley{Links: g.links, Met: func(i int, dir geom.Vec3, target uint32, _ float64, _ geom.Vec3) {
		if target == radiosity.Sky {
			add(i, dir, math.Pi/float64(cells*more*more))
		}
	}}
	for cell := range cells {
		for i := range texels {
			if open[i]>>cell&1 == 0 {
				continue
			}
			n := texels[i].Shading(g.m.Scene)
			u, v := geom.Axes(n)
			turn := sampling.TurnAt(openingSeed+uint64(cell), texels[i].Origin)
			for k := range more * more {
				a, b := sampling.Shifts(sampling.Turn(uint64(k), uint64(turn*(1<<40))))
				a, b = (float64(k/more)+a)/float64(more), (float64(k%more)+b)/float64(more)
				sent.Send(i, &texels[i], sampling.CosineDirection(n, u, v, (float64(cell/spokes)+a)/rings, (float64(cell%spokes)+b)/spokes))
			}
		}
	}
	sent.Land()
}
