package radiosity

import (
	"context"
	"math"
	"slices"

	"grotta/core/direct"
	"grotta/core/geom"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/source"
)

// brightSet is a source's bright patches: few, and with much of the light that it sends directly to
// surfaces. Rays by the cosine rarely meet them, so places send rays to them as well. The two are
// weighed by the power heuristic (Veach and Guibas, "Optimally combining sampling techniques for
// Monte Carlo rendering", 1995). What bright patches send back of their direct light is here and
// not in what patches send each other.
type brightSet struct {
	l         *Links
	patches   []brightPatch    // cluster after cluster
	clusters  []cluster        // mostClusters at most
	of        map[uint32]int32 // the number of each among the patches
	cdf       []float64        // the flux of the patches up to each, and with it
	flux      float64          // of all, in lumens of a white light of strength 1
	brightest float64          // direct light on a patch, in any channel, lux
	reach2    float64          // the square of the distance from which on half as many rays go to them
	far2      float64          // and that from which on none do
	around    geom.Bounds      // of the middles of the patches
	factor    float32          // for all that bounces
	seed      uint64
	onPatches [][3]float32 // their light on each patch, in lux, without the factor
}

type brightPatch struct {
	patch      uint32
	flux       float64    // of the light that goes back
	sent       [3]float32 // lux that go back
	lux        float64    // the mean of them
	cluster    int32      // in which it is
	at, normal geom.Vec3
	near2      float64      // the square of the distance within which no rays go to it
	places     [][3]float32 // on it, where light falls on it: the more the brighter
}

const (
	mostBright    = 2048  // patches
	wholeShare    = 0.95  // of the flux of all patches: the rest need not be bright
	leastShare    = 0.25  // less of it is not worth rays
	farShare      = 0.125 // of the mean square of how far away what lies about a patch is
	brightReach   = 1e-3  // of the brightest direct light: where they give less, places send half as many rays to them
	farReach      = 1e-4  // and where they give less than this, none
	patchRays     = 4     // that a patch sends to bright ones
	brightSeed    = 0x62726967
	placesOnTexel = 4       // to which rays go, and where the light is looked at if there are many texels
	mostTried     = 16      // places of a texel where the light is looked at if there are few
	triedInAll    = 1 << 13 // such places on all texels, as far as more than the least are taken
	fewSamples    = 4       // of a source with a size, at each of them
	nearSides     = 2       // times the side of a patch: nearer than that, rays by the cosine meet it well
)

// brightOf finds the bright patches of a source by its direct light on patches; nil for none. It
// takes their direct light out of the list and adds their light on other patches, which it keeps or not.
func (l *Links) brightOf(ctx context.Context, e *Emitter, direct [][4]float32, keep bool) (*brightSet, error) {
	type lit struct {
		patch int32
		lux   float32
		area  float64
	}
	var all []lit
	total, most := 0.0, float32(0)
	for k := range direct {
		d := &direct[k]
		if most = max(most, d[0], d[1], d[2]); d[0]+d[1]+d[2] == 0 {
			continue
		}
		a := &l.albedos[l.albedoOf[k]]
		one := lit{patch: int32(k), lux: (d[0]*a[0] + d[1]*a[1] + d[2]*a[2]) / 3, area: l.areaOf(k)}
		if one.area == 0 || l.IsOpen(uint32(k)) {
			continue
		}
		all = append(all, one)
		total += float64(one.lux) * one.area
	}
	slices.SortFunc(all, func(a, b lit) int {
		if a.lux != b.lux {
			if a.lux > b.lux {
				return -1
			}
			return 1
		}
		return int(a.patch - b.patch)
	})
	// The brightest patches are worth rays while their share of the flux is more than that of their area in what
	// lies about them.
	flux, area, spread, count := 0.0, 0.0, 0.0, 0
	for i, one := range all[:min(len(all), mostBright)] {
		if flux >= wholeShare*total {
			break
		}
		more := float64(one.lux) * one.area
		flux, area, spread = flux+more, area+one.area, spread+more*l.about2(int(one.patch))
		if flux >= leastShare*total && area*total <= spread {
			count = i + 1
		}
	}
	if count == 0 {
		return nil, nil
	}
	b := &brightSet{l: l, around: geom.NoBounds(), of: make(map[uint32]int32, count), factor: e.Factor, seed: e.Source.Seed() ^ brightSeed}
	b.patches = make([]brightPatch, count)
	seed := e.Source.Seed()
	if err := parallel.Each(ctx, count, func(i int) {
		one, k := &all[i], int(all[i].patch)
		first := &l.m.Texels.List[l.first[k]]
		p := brightPatch{places: l.placesOn(e.Source, seed, l.texelsOf(k, nil), count), lux: float64(one.lux), near2: nearSides * nearSides * one.area, normal: first.Normal(l.m.Scene)}
		for _, at := range p.places {
			p.at = p.at.Add(vec(at).Mul(1 / float64(len(p.places))))
		}
		a := &l.albedos[l.albedoOf[k]]
		for c := range 3 {
			p.sent[c] = direct[k][c] * a[c]
		}
		p.patch, p.flux = uint32(all[i].patch), p.lux*one.area
		b.patches[i] = p
	}, nil); err != nil {
		return nil, err
	}
	b.group(0, count)
	isBright := l.newPatchSet()
	for i := range b.patches {
		p := &b.patches[i]
		isBright.add(p.patch)
		b.around.Grow(p.at)
		b.flux += p.flux
		b.cdf, b.of[p.patch] = append(b.cdf, b.flux), int32(i)
	}
	b.brightest = float64(most)
	b.reach2 = b.flux / (math.Pi * brightReach * b.brightest)
	b.far2 = b.reach2 * brightReach / farReach
	for _, one := range all[:count] {
		direct[one.patch] = [4]float32{}
	}
	if keep {
		b.onPatches = make([][3]float32, l.Patches())
	}
	came := make([][4]float32, len(l.pairs)) // on translucent patches, before
	for i, p := range l.pairs {
		came[i] = direct[p.patch]
	}
	err := parallel.Steps(ctx, l.Patches(), partPatches, func(from, to int) {
		var met [Rays]uint32
		var starts [16]int32
		for k := from; k < to; k++ {
			first, links := &l.m.Texels.List[l.first[k]], l.MetBy(k, met[:0])
			on := receiver{texel: first, normal: first.Shading(l.m.Scene), starts: l.texelsOf(k, starts[:0]), met: isBright.among(links[:0], links)}
			b.lightBy(&on, patchRays, Rays)
			if keep {
				b.onPatches[k] = on.lux
			}
			for c := range on.lux {
				direct[k][c] += on.lux[c]
			}
		}
	}, nil)
	at := make(map[int32]int, len(l.pairs))
	for i, p := range l.pairs {
		at[p.patch] = i
	}
	l.through(direct, func(k int32, c int) float32 { return came[at[k]][c] })
	return b, err
}

// about2 stands for the area of what lies about a patch, in square metres: the square of the harmonic mean of how far
// away that is. Beside a joint of walls this is next to nothing, though half of the light goes far: so it is at least a
// share of the mean square.
func (l *Links) about2(patch int) float64 {
	near, at := float64(l.around[patch].NearM()), vec(l.m.Texels.List[l.first[patch]].Origin)
	var room [Rays]uint32
	met, sum := l.MetBy(patch, room[:0]), 0.0
	for _, other := range met {
		away := vec(l.m.Texels.List[l.first[other]].Origin).Sub(at)
		sum += away.Dot(away)
	}
	return max(near*near, farShare*sum/float64(max(len(met), 1)))
}

// areaOf is about the area of a patch, in square metres.
func (l *Links) areaOf(patch int) float64 {
	c := &l.m.Layout.Charts[l.m.ChartOf(int(l.first[patch]))]
	return float64(l.sizes[patch]) / (sampling.CellCount * c.Density * c.Density)
}

// texelsOf adds the texels of a patch to a list.
func (l *Links) texelsOf(patch int, texels []int32) []int32 {
	chart := l.m.ChartOf(int(l.first[patch]))
	c, g := &l.m.Layout.Charts[chart], l.Grid(chart)
	x, y := l.m.PlaceOf(c, int(l.first[patch]))
	x, y = x/g.Side*g.Side, y/g.Side*g.Side
	for dy := range g.Side {
		for dx := range g.Side {
			if x+dx >= g.Width || y+dy >= g.Height {
				continue
			}
			if at, _ := l.PatchAt(g, x+dx, y+dy); int(at) == patch {
				if t := l.m.TexelAt(chart, x+dx, y+dy); t >= 0 {
					texels = append(texels, t)
				}
			}
		}
	}
	return texels
}

// addToPatch adds their light on a patch to a row of light.
func (b *brightSet) addToPatch(row []float32, patch int) {
	for c, lux := range b.onPatches[patch] {
		row[c] += b.factor * lux
	}
}

// placesOn are places of texels to which rays go, spread as the light of a source on them is. patches is how many there are in
// all: with few of them the light is looked at in more places of each.
func (l *Links) placesOn(s *source.Source, seed uint64, texels []int32, patches int) [][3]float32 {
	squares := l.m.Squares()
	tried := placesOnTexel
	for tried < mostTried && 2*tried*len(texels)*patches <= triedInAll {
		tried *= 2
	}
	places, lit := make([]geom.Vec3, 0, tried*len(texels)), make([]float64, 0, tried*len(texels))
	sum := 0.0
	for _, i := range texels {
		t := &l.m.Texels.List[i]
		var room [mostTried]geom.Vec3
		spread := squares.Of(t).Spread(room[:tried], sampling.TurnAt(brightSeed, t.Origin))
		spread = slices.DeleteFunc(spread, func(step geom.Vec3) bool {
			return l.m.Scene.Blocked(vec(t.Origin), vec(t.Origin).Add(step))
		})
		if len(spread) == 0 {
			spread = append(spread, geom.Vec3{})
		}
		share := 1 / float64(len(spread)) // texels weigh alike
		r, turn := direct.Receiver(l.m, t), sampling.TurnAt(seed, t.Origin)
		for _, step := range spread {
			place := r.At(step)
			lux, _ := s.Sharp(l.m.Scene, &place, source.Steady(fewSamples), turn)
			all := share * (lux[0] + lux[1] + lux[2])
			sum += all
			places, lit = append(places, place.Origin), append(lit, all)
		}
	}
	if sum == 0 || s.IsSky() { // most of a sky's light is not sharp
		sum = 0
		for i := range lit {
			lit[i], sum = 1, sum+1
		}
	}
	all := make([][3]float32, 0, placesOnTexel*len(texels))
	before, next := 0.0, 0
	for k := range cap(all) {
		at := (float64(k) + 0.5) / float64(cap(all)) * sum
		for next < len(lit)-1 && before+lit[next] < at {
			before += lit[next]
			next++
		}
		p := places[next]
		all = append(all, [3]float32{float32(p[0]), float32(p[1]), float32(p[2])})
	}
	return all
}
