package radiosity

import (
	"context"
	"math/bits"
	"sync"

	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
)

// edgeSet is the patches on which a source's direct light ends, such as where stripes of light are narrower than a
// patch. A ray that lands on one nearby reads the light where it lands, and not the mean over the patch.
type edgeSet struct {
	source *source.Source
	factor float32
	seed   uint64
	// In order of the patches:
	patches []uint32
	mean    [][3]float32   // direct light of each, in lux
	parted  []*partedLight // nil for those whose squares have one side
}

// partedLight is the direct light on each side of what stands on the square of a patch.
type partedLight struct {
	*sides
	lux [][3]float32
}

const (
	edgeSides   = 2 // times the side of a patch: what is farther away is met by too few rays, and is read as a slope
	edgeSamples = 2 // of a source with a size
	edgeSeed    = 0x65646765
)

// edgesOf finds the patches on which a source's direct light ends, by that light; nil for none. known are the sides of patches that
// other sources have found already.
func (l *Links) edgesOf(ctx context.Context, e *Emitter, direct [][4]float32, known *sync.Map) (*edgeSet, error) {
	if e.Source.IsSky() {
		return nil, nil
	}
	is := l.newPatchSet()
	for k := range l.m.Chunks() {
		for left := e.Direct.Edges(k); left != 0; left &= left - 1 {
			texel := k*lightmap.ChunkTexels + bits.TrailingZeros64(left)
			patch := l.patchOf(texel)
			if !l.isShared(int(patch)) {
				is.add(uint32(patch))
			}
		}
	}
	if is.count() == 0 {
		return nil, nil
	}
	set := &edgeSet{source: e.Source, factor: e.Factor, seed: e.Source.Seed() ^ edgeSeed, patches: make([]uint32, 0, is.count())}
	set.mean = make([][3]float32, 0, cap(set.patches))
	is.each(func(patch uint32) {
		d := &direct[patch]
		set.patches, set.mean = append(set.patches, patch), append(set.mean, [3]float32{d[0], d[1], d[2]})
	})
	set.parted = make([]*partedLight, len(set.patches))
	err := parallel.Each(ctx, len(set.patches), func(i int) {
		if cells := l.sidesOf(int(set.patches[i])); cells != nil {
			same, _ := known.LoadOrStore(set.patches[i], cells.sides)
			set.parted[i] = &partedLight{same.(*sides), cells.light(l.m.Scene, e.Source, set.seed)}
		}
	}, nil)
	return set, err
}

// leaveOut takes bright patches out: rays go to the places of them on which light falls.
func (s *edgeSet) leaveOut(bright *brightSet) {
	if s == nil || bright == nil {
		return
	}
	kept := 0
	for i, patch := range s.patches {
		if _, is := bright.of[patch]; !is {
			s.patches[kept], s.mean[kept], s.parted[kept] = patch, s.mean[i], s.parted[i]
			kept++
		}
	}
	s.patches, s.mean, s.parted = s.patches[:kept], s.mean[:kept], s.parted[:kept]
}

// add adds to a row of light how far the direct light at a point of a patch, its k-th, is from the patch's mean, if the point is
// near or on one of several sides.
func (e *edgeSet) add(k int, row []float32, l *Links, at *Landing, rays int) bool {
	var lux [3]float32
	if at.sides2 < edgeSides*edgeSides {
		r := source.Receiver{Point: at.point, Origin: at.point.Add(at.normal.Mul(scene.OffsetM)), Normal: at.normal}
		turn := sampling.TurnAt(e.seed, [3]float32{float32(at.point[0]), float32(at.point[1]), float32(at.point[2])})
		sharp, _ := e.source.Sharp(l.m.Scene, &r, source.Steady(edgeSamples), turn)
		lux = [3]float32{float32(sharp[0]), float32(sharp[1]), float32(sharp[2])}
	} else {
		p := e.parted[k]
		if p == nil {
			return false
		}
		side := p.sideAt(inChart(&l.m.Layout.Charts[l.m.ChartOf(int(l.first[at.patch]))], at.point))
		if side < 0 {
			return false
		}
		lux = p.lux[side]
	}
	a := &l.albedos[l.albedoOf[at.patch]]
	for c := range 3 {
		row[c] += e.factor * a[c] * (lux[c] - e.mean[k][c]) / float32(rays)
	}
	return true
}
