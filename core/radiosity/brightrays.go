package radiosity

import (
	"math"

	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/trace"
)

// BrightRays is how many rays a place sends to the bright patches of each source. It sends Rays; where the standard error
// of their light is more than Error, it sends up to mostTimes as many. That error is measured by the rays of the places
// beside it: its own would send more where its light is too much by chance, and the mean would be too little.
type BrightRays struct {
	Rays  int
	Error float64 // as a share of the light of the source that comes by bounces
}

const (
	mostTimes  = 4
	leastLight = 1e-3 // of the brightest direct light: the error where there is less is a share of this
	few        = 4    // fewer than these do not show it well
	timesOfFew = 2    // so they always send so many times the rays
	packetRays = 8
	leastCos   = 0.05 // a part of a patch or of a cluster may lie higher than its middle
)

// Together is how many texels AddBright takes at once, at most: their rays show the error together.
const Together = 16

// receiver is a place to which light of bright patches comes.
type receiver struct {
	texel    *lightmap.Texel
	normal   geom.Vec3
	starts   []int32    // texels at which its rays to bright patches begin, in turn; none if all begin at its own
	met      []uint32   // bright patches of any source that its rays by the cosine have met
	besides  float64    // light that comes to it otherwise, the sum of the channels, lux
	lux      [3]float32 // that comes from the bright patches
	variance float64    // of the sum of its channels, as the rays show it
}

// light is all that comes to it, the sum of the channels.
func (r *receiver) light() float64 {
	return r.besides + float64(r.lux[0]+r.lux[1]+r.lux[2])
}

// lightOn finds the light of bright patches on places that lie together. Each has sent so many rays by the cosine.
func (b *brightSet) lightOn(places []receiver, rays BrightRays, cosine int) {
	if len(places) < few {
		for i := range places {
			b.lightBy(&places[i], timesOfFew*rays.Rays, cosine)
		}
		return
	}
	light, variance, others := 0.0, 0.0, float64(len(places)-1)
	for i := range places {
		r := &places[i]
		b.lightBy(r, rays.Rays, cosine)
		light, variance = light+r.light(), variance+r.variance
	}
	var times [Together]int
	for i := range places {
		of := rays.Error * max((light-places[i].light())/others, 3*leastLight*b.brightest)
		for times[i] = 1; times[i] < mostTimes && (variance-places[i].variance)/others > float64(times[i])*of*of; times[i] *= 2 {
		}
	}
	for i := range places {
		if times[i] > 1 {
			b.lightBy(&places[i], times[i]*rays.Rays, cosine)
		}
	}
}

// lightBy finds the light of bright patches on a place by so many rays to them and by those that it has sent by the cosine.
func (b *brightSet) lightBy(r *receiver, toBright, cosine int) {
	r.lux, r.variance = [3]float32{}, 0
	at := vec(r.texel.Origin)
	var odds clusterOdds
	away2 := b.around.Distance2(at)
	if away2 > b.reach2 {
		toBright = (toBright + 1) / 2
	}
	if away2 <= b.far2 { // else no rays go to any of them
		b.weigh(&odds, at, r.normal)
	}
	for _, patch := range r.met {
		if i, ok := b.of[patch]; ok {
			p := &b.patches[i]
			one := r.add(p, b.byCosine(p, at, r.normal, toBright, cosine, odds.rate(p))/float64(cosine))
			r.variance += one * one // such hits are rare
		}
	}
	if odds.all == 0 {
		return
	}
	su, sv := sampling.Shifts(sampling.TurnAt(b.seed, r.texel.Origin))
	sum, squares := 0.0, 0.0
	for first := 0; first < toBright; first += packetRays {
		var packet trace.Packet
		var weights [packetRays]float64
		var of [packetRays]*brightPatch
		count := 0
		for i := first; i < min(first+packetRays, toBright); i++ {
			p := b.choose(&odds, (float64(i)+su)/float64(toBright))
			rate := odds.rate(p)
			byCosine := b.byCosine(p, at, r.normal, toBright, cosine, rate)
			if byCosine == 1 {
				continue
			}
			sv += 0.6180339887498949
			sv -= math.Floor(sv)
			start := r.texel
			if len(r.starts) > 0 {
				start = &b.l.m.Texels.List[r.starts[i*len(r.starts)/toBright]]
			}
			way := vec(p.places[min(int(sv*float64(len(p.places))), len(p.places)-1)]).Sub(vec(start.Origin))
			d2, cos, cosBright := way.Dot(way), way.Dot(r.normal), -way.Dot(p.normal)
			if cos <= 0 || cosBright <= 0 {
				continue
			}
			packet.Put(count, &trace.Ray{Origin: start.Origin, Dir: trace.Vec{float32(way[0]), float32(way[1]), float32(way[2])}, Max: 1})
			weights[count] = cos * cosBright / (math.Pi * d2 * d2) / float64(toBright) / (rate * p.lux) * (1 - byCosine)
			of[count] = p
			count++
		}
		if count == 0 {
			continue
		}
		blocked := b.l.m.Scene.BlockedOf(&packet, count)
		for i := range count {
			if blocked>>i&1 == 0 {
				one := r.add(of[i], weights[i])
				sum, squares = sum+one, squares+one*one
			}
		}
	}
	n := float64(toBright)
	r.variance += max(squares-sum*sum/n, 0) * n / max(n-1, 1)
}

// add adds a share of what a bright patch sends back, and returns the sum of its channels.
func (r *receiver) add(p *brightPatch, share float64) (sum float64) {
	for c := range r.lux {
		one := float32(share) * p.sent[c]
		r.lux[c] += one
		sum += float64(one)
	}
	return sum
}

// byCosine is the share of a bright patch's light on a place that rays by the cosine bring; rays
// to the patch bring the rest. It depends on the middle of the patch alone, so that the shares of
// the two kinds of rays add up to all of it. rate is the chance of the patch for a ray, over its flux.
func (b *brightSet) byCosine(p *brightPatch, at, n geom.Vec3, toBright, cosine int, rate float64) float64 {
	to := p.at.Sub(at)
	d2 := to.Dot(to)
	if d2 > b.far2 || d2 < p.near2 || rate == 0 {
		return 1
	}
	d := math.Sqrt(d2)
	cos, cosBright := max(to.Dot(n)/d, leastCos), max(-to.Dot(p.normal)/d, leastCos)
	x := float64(cosine) * cos / math.Pi
	y := float64(toBright) * p.lux * rate * d2 / cosBright
	return x * x / (x*x + y*y)
}

// OnTexel is a texel, the patches that its rays by the cosine have met, and its row of light.
type OnTexel struct {
	Texel *lightmap.Texel
	Met   []uint32
	Row   []float32
}

// AddBright adds the light of bright patches to the rows of texels that lie together, Together at most. Each has
// sent so many rays by the cosine. The scene has the normals by which light falls on them.
func (s *Sent) AddBright(sc *scene.Scene, all []OnTexel, rays BrightRays, cosine int) {
	if s.isBright == nil {
		return
	}
	var places [Together]receiver
	var room [Together][64]uint32
	for i := range all {
		t := all[i].Texel
		places[i] = receiver{texel: t, normal: t.Shading(sc), met: s.isBright.among(room[i][:0], all[i].Met)}
	}
	for i, b := range s.bright {
		if b == nil {
			continue
		}
		for k := range all {
			row := all[k].Row[3*i:]
			places[k].besides = float64(row[0]+row[1]+row[2]) / float64(b.factor)
		}
		b.lightOn(places[:len(all)], rays, cosine)
		for k := range all {
			for c, lux := range places[k].lux {
				all[k].Row[3*i+c] += b.factor * lux
			}
		}
	}
}

// AddBrightOnPatch adds to a row the light of bright patches on a patch.
func (s *Sent) AddBrightOnPatch(row []float32, patch int) {
	for i, b := range s.bright {
		if b != nil {
			b.addToPatch(row[3*i:], patch)
		}
	}
}
