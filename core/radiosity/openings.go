package radiosity

import (
	"context"
	"math"
	"math/bits"
	"slices"

	"grotta/core/color"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/source"
	"grotta/core/trace"
)

// The sky that comes to patches through openings. A patch's few rays meet a window by chance: with them alone, each patch
// in a room would have another sky than the one beside it. So patches that follow each other on a chart are a run, and
// each sends more rays into those facets of its hemisphere in which rays of the others leave the level, and into those beside.

const (
	openingRun  = 32   // patches of a run
	mostThrough = 160  // rays of a patch; with more facets fewer rays go into each
	indoors     = 0.35 // the greatest share of a run's rays that leave the level
	openingSeed = 0x706f7274
)

// opening is a facet of a patch's hemisphere that gets side·side more rays, and which of them leave the level, a bit for each.
type opening struct {
	facet, side uint8
	leaves      uint16
}

// openings are those of all patches.
type openings struct {
	list []opening // patch after patch
	of   listOf
}

// runOf is the run that a patch is in.
func (l *Links) runOf(k int) (from, to int) {
	chart := l.m.ChartOf(int(l.first[k]))
	first := int(l.patchesOf[chart])
	from = first + (k-first)/openingRun*openingRun
	return from, min(from+openingRun, int(l.patchesOf[chart+1]))
}

// findOpenings sends the rays through openings. Of the rays of the links it leaves in l.sky those that are not in an
// opening. members are the texels of the patches, as partAll gives them.
func (l *Links) findOpenings(ctx context.Context, members, membersOf []int32) error {
	var starts []int // of the runs
	for k := 0; k < l.Patches(); {
		starts = append(starts, k)
		_, k = l.runOf(k)
	}
	found := make([][]opening, len(starts))
	lengths := make([]uint32, l.Patches())
	if err := parallel.Steps(ctx, len(starts), 8, func(first, end int) {
		for r := first; r < end; r++ {
			found[r] = l.findInRun(starts[r], members, membersOf, lengths)
		}
	}, nil); err != nil {
		return err
	}
	l.openings.list, l.openings.of = slices.Concat(found...), newListOf(lengths)
	return nil
}

// findInRun lists the openings of the run that a patch begins, and counts those of each patch.
func (l *Links) findInRun(from int, members, membersOf []int32, lengths []uint32) (found []opening) {
	_, to := l.runOf(from)
	var facets [openingRun][Rays]uint8 // of each ray that leaves the level
	var through [openingRun]uint64     // the set of them
	count := 0
	for k := from; k < to; k++ {
		rays, about := raysOf(l.m, &l.m.Texels.List[l.first[k]])
		count += bits.OnesCount32(l.sky[k])
		for left := l.sky[k]; left != 0; left &= left - 1 {
			i := bits.TrailingZeros32(left)
			facets[k-from][i] = about.FacetOf(about.Toward(&rays[i]))
			through[k-from] |= 1 << facets[k-from][i]
		}
	}
	if count == 0 || float64(count) > indoors*float64((to-from)*Rays) {
		return nil
	}
	for k := from; k < to; k++ {
		// The rays of the others choose a patch's facets. Its own would choose those in which they
		// leave the level by chance, and its light would be too little on average.
		open := uint64(0)
		for other := from; other < to; other++ {
			if other != k {
				open |= through[other-from]
			}
		}
		rim := sampling.FacetsBeside(open) &^ open
		sideOpen, sideRim := sidesOf(bits.OnesCount64(open), bits.OnesCount64(rim))
		texels, before := members[membersOf[k]:membersOf[k+1]], len(found)
		found = l.lookOut(found, k, texels, open, sideOpen)
		found = l.lookOut(found, k, texels, rim, sideRim)
		lengths[k] = uint32(len(found) - before)
		for left := l.sky[k]; left != 0; left &= left - 1 {
			if i := bits.TrailingZeros32(left); (open|rim)>>facets[k-from][i]&1 == 1 {
				l.sky[k] &^= 1 << i
			}
		}
	}
	return found
}

// sidesOf are the square roots of the rays into each of some facets in which rays of others leave the level, and into each
// of those beside.
func sidesOf(open, rim int) (ofOpen, ofRim int) {
	switch {
	case 16*open+4*rim <= mostThrough:
		return 4, 2
	case 4*open+rim <= mostThrough:
		return 2, 1
	}
	return 1, 1
}

// lookOut sends the rays of a patch into a set of facets, and adds those to a list in which any of them leaves the level.
func (l *Links) lookOut(list []opening, k int, members []int32, facets uint64, side int) []opening {
	about := l.frameOf(k)
	var packet trace.Packet
	var of [8]struct{ opening, ray int } // of each ray of the packet
	n, first := 0, len(list)
	land := func() {
		packet.Fill(n)
		l.m.Scene.Trace(&packet)
		for i := range n {
			if _, met := l.m.Scene.Met(&packet, i); !met {
				list[of[i].opening].leaves |= 1 << of[i].ray
			}
		}
		n = 0
	}
	for ; facets != 0; facets &= facets - 1 {
		facet := bits.TrailingZeros64(facets)
		list = append(list, opening{facet: uint8(facet), side: uint8(side)})
		turn := l.turnOf(k, facet)
		for i := range side * side {
			ray := RayAlong(sender(l.m, members, i), about.InFacet(facet, i, side, turn))
			packet.Put(n, &ray)
			of[n].opening, of[n].ray = len(list)-1, i
			if n++; n == len(of) {
				land()
			}
		}
	}
	if n > 0 {
		land()
	}
	kept := slices.DeleteFunc(list[first:], func(o opening) bool { return o.leaves == 0 })
	return list[:first+len(kept)]
}

// frameOf is the frame of a patch's facets.
func (l *Links) frameOf(k int) sampling.Frame {
	return sampling.FrameOf(l.m.Texels.List[l.first[k]].Shading(l.m.Scene))
}

// turnOf is that of a patch's rays into a facet.
func (l *Links) turnOf(k, facet int) float64 {
	return sampling.TurnAt(openingSeed+uint64(facet), l.m.Texels.List[l.first[k]].Origin)
}

// AddSky adds a sky's even light on a patch, by the rays of the links and those through openings.
func (l *Links) AddSky(s *source.Source, patch int, to []float32) {
	var sum color.Linear
	first, end := l.openings.of.part(uint32(patch))
	openings := l.openings.list[first:end]
	var about sampling.Frame
	if len(openings) > 0 {
		about = l.frameOf(patch)
	}
	for _, o := range openings {
		turn, side := l.turnOf(patch, int(o.facet)), int(o.side)
		for left := o.leaves; left != 0; left &= left - 1 {
			dir := about.InFacet(int(o.facet), bits.TrailingZeros16(left), side, turn)
			sum = sum.Add(s.EvenSky(dir).Scale(math.Pi / float64(sampling.Facets*side*side)))
		}
	}
	if l.sky[patch] != 0 {
		rays, about := raysOf(l.m, &l.m.Texels.List[l.first[patch]])
		for left := l.sky[patch]; left != 0; left &= left - 1 {
			sum = sum.Add(s.EvenSky(about.Toward(&rays[bits.TrailingZeros32(left)])).Scale(math.Pi / Rays))
		}
	}
	sum = sum.Mul(l.UnderWater(patch))
	for c := range 3 {
		to[c] += float32(sum[c])
	}
}
