package radiosity

import (
	"math/bits"
	"slices"

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
	seed   uint64
	// In order of the patches:
	patches []uint32
	mean    [][3]float32 // direct light of each, in lux
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
	is := l.newPatchSet()
	for k := range l.m.Chunks() {
		for left := e.Direct.Edges(k); left != 0; left &= left - 1 {
			texel := k*lightmap.ChunkTexels + bits.TrailingZeros64(left)
			patch := l.patchOf(texel)
			if _, isThrough := l.otherOf[patch]; !isThrough && l.UnderWater(int(patch)) == color.White { // else it is not the source's own light alone
				is.add(uint32(patch))
			}
		}
	}
	if is.count() == 0 {
		return nil
	}
	set := &edgeSet{source: e.Source, factor: e.Factor, seed: e.Source.Seed() ^ edgeSeed, patches: make([]uint32, 0, is.count())}
	set.mean = make([][3]float32, 0, cap(set.patches))
	is.each(func(patch uint32) {
		d := &direct[patch]
		set.patches, set.mean = append(set.patches, patch), append(set.mean, [3]float32{d[0], d[1], d[2]})
	})
	return set
}

// leaveOut takes bright patches out: rays go to the places of them on which light falls.
func (s *edgeSet) leaveOut(bright *brightSet) {
	if s == nil || bright == nil {
		return
	}
	kept := 0
	for i, patch := range s.patches {
		if _, is := bright.of[patch]; !is {
			s.patches[kept], s.mean[kept] = patch, s.mean[i]
			kept++
		}
	}
	s.patches, s.mean = s.patches[:kept], s.mean[:kept]
}

// Landing is where a ray has landed on a patch.
type Landing struct {
	patch         uint32
	point, normal geom.Vec3
}

// LandingOf is where a ray from a texel has landed, by how far it went and the normal of what it met.
func LandingOf(from *lightmap.Texel, dir geom.Vec3, patch uint32, distance float64, normal geom.Vec3) Landing {
	return Landing{patch, vec(from.Origin).Add(dir.Mul(distance)), normal.Normalize()}
}

// EndsNear tells whether the direct light of some source ends on a patch so near that the mean over the patch would not do.
func (s *Sent) EndsNear(patch uint32, distance float64) bool {
	return s.isEdge.has(patch) && distance*distance < edgeSides*edgeSides*s.links.areaOf(int(patch))
}

// AddEdges adds to a row how far the direct light where some rays have landed is from the mean of their patches. rays is how
// many the texel sent in all.
func (s *Sent) AddEdges(row []float32, landings []Landing, rays int) {
	for j := range landings {
		at := &landings[j]
		a := &s.links.albedos[s.links.albedoOf[at.patch]]
		for i, e := range s.edges {
			if e == nil {
				continue
			}
			k, is := slices.BinarySearch(e.patches, at.patch)
			if !is {
				continue
			}
			r := source.Receiver{Point: at.point, Origin: at.point.Add(at.normal.Mul(scene.OffsetM)), Normal: at.normal}
			turn := sampling.TurnAt(e.seed, [3]float32{float32(at.point[0]), float32(at.point[1]), float32(at.point[2])})
			lux, _ := e.source.Sharp(s.links.m.Scene, &r, source.Steady(edgeSamples), turn)
			for c := range 3 {
				row[3*i+c] += e.factor * a[c] * (float32(lux[c]) - e.mean[k][c]) / float32(rays)
			}
		}
	}
}
