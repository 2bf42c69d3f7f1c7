package radiosity

import (
	"math/bits"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
)

// edgeSet is the patches on which a source's direct light ends, such as where stripes of light are narrower than a
// patch. A ray that lands on one nearby reads the light where it lands, and not the mean over the patch.
type edgeSet struct {
	source *source.Source
	factor float32
	mean   map[uint32][3]float32 // direct light of each, in lux
	seed   uint64
}

const (
	edgeSides   = 2 // times the side of a patch: what is farther away is met by too few rays
	edgeSamples = 2 // of a source with a size
	edgeSeed    = 0x65646765
)

// edgesOf finds the patches on which a source's direct light ends, by that light; nil for none.
func (l *Links) edgesOf(e *Emitter, direct [][4]float32) *edgeSet {
	if e.Source.IsSky() {
		return nil
	}
	mean := map[uint32][3]float32{}
	for k := range l.m.Chunks() {
		for left := e.Direct.Edges(k); left != 0; left &= left - 1 {
			texel := k*lightmap.ChunkTexels + bits.TrailingZeros64(left)
			patch := l.patchOf(texel)
			if _, is := l.otherOf[patch]; is || l.UnderWater(int(patch)) != color.White { // not only the source's own light
				continue
			}
			d := &direct[patch]
			mean[uint32(patch)] = [3]float32{d[0], d[1], d[2]}
		}
	}
	if len(mean) == 0 {
		return nil
	}
	return &edgeSet{source: e.Source, factor: e.Factor, mean: mean, seed: e.Source.Seed() ^ edgeSeed}
}

// leaveOut takes bright patches out: rays go to the places of them on which light falls.
func (s *edgeSet) leaveOut(bright *brightSet) {
	if s == nil || bright == nil {
		return
	}
	for patch := range bright.of {
		delete(s.mean, patch)
	}
}

// Landing is where a ray of a texel has landed on a patch.
type Landing struct {
	Patch         uint32
	Point, Normal geom.Vec3
}

// EndsNear tells whether the direct light of some source ends on a patch so near that the mean over the patch would not do.
func (s *Sent) EndsNear(patch uint32, distance float64) bool {
	return s.isEdge.has(patch) && distance*distance < edgeSides*edgeSides*s.links.areaOf(int(patch))
}

// AddEdges adds to a row what the direct light where rays have landed differs from the mean of the patches. rays is how many
// there were in all.
func (s *Sent) AddEdges(row []float32, landings []Landing, rays int) {
	for k := range landings {
		at := &landings[k]
		a := &s.links.albedos[s.links.albedoOf[at.Patch]]
		for i, e := range s.edges {
			if e == nil {
				continue
			}
			mean, is := e.mean[at.Patch]
			if !is {
				continue
			}
			r := source.Receiver{Point: at.Point, Origin: at.Point.Add(at.Normal.Mul(scene.OffsetM)), Normal: at.Normal}
			origin := [3]float32{float32(at.Point[0]), float32(at.Point[1]), float32(at.Point[2])}
			lux, _ := e.source.Sharp(s.links.m.Scene, &r, source.Steady(edgeSamples), sampling.TurnAt(e.seed, origin))
			for c := range 3 {
				row[3*i+c] += e.factor * a[c] * (float32(lux[c]) - mean[c]) / float32(rays)
			}
		}
	}
}

// patchSet is a set of patches, a bit for each.
type patchSet []uint64

func (s patchSet) has(patch uint32) bool { return s != nil && s[patch/64]>>(patch%64)&1 != 0 }

// add adds a patch to a set of so many, which it makes if there is none.
func (s *patchSet) add(patch uint32, patches int) {
	if *s == nil {
		*s = make(patchSet, (patches+63)/64)
	}
	(*s)[patch/64] |= 1 << (patch % 64)
}
