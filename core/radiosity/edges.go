package radiosity

import (
	"math/bits"
	"slices"

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
	edgeSides   = 2 // times the side of a patch: what is farther away is met by too few rays, and is read as a slope
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
			if !l.isShared(int(patch)) {
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

// Landing is where a ray has landed on a patch, and how far that is from where it started, in sides of the patch, squared.
type Landing struct {
	patch         uint32
	sides2        float32
	point, normal geom.Vec3
}

// LandsNear tells whether the direct light of some source changes so much on a patch that a ray from so near has to read
// it where it has landed.
func (s *Sent) LandsNear(patch uint32, distance float64) bool {
	return s.isUneven.has(patch) && distance*distance < slopeSides*slopeSides*s.links.areaOf(int(patch))
}

// LandingOf is where a ray from a texel has landed, by how far it went and the normal of what it met.
func (s *Sent) LandingOf(from *lightmap.Texel, dir geom.Vec3, patch uint32, distance float64, normal geom.Vec3) Landing {
	return Landing{patch, float32(distance * distance / s.links.areaOf(int(patch))), vec(from.Origin).Add(dir.Mul(distance)), normal.Normalize()}
}

// AddUneven adds to a row how far the direct light where some rays have landed is from the mean of their patches. rays is how
// many the texel sent in all.
func (s *Sent) AddUneven(row []float32, landings []Landing, rays int) {
	for j := range landings {
		at := &landings[j]
		for i := range s.edges {
			e, slopes := s.edges[i], s.slopes[i]
			if e != nil && at.sides2 < edgeSides*edgeSides && e.add(row[3*i:], s.links, at, rays) {
				continue
			}
			if slopes != nil {
				slopes.add(row[3*i:], s.links, at, rays)
			}
		}
	}
}

// add adds to a row of light how far the direct light at a point of a patch is from the patch's mean, if the patch is one of them.
func (e *edgeSet) add(row []float32, l *Links, at *Landing, rays int) bool {
	k, is := slices.BinarySearch(e.patches, at.patch)
	if !is {
		return false
	}
	r := source.Receiver{Point: at.point, Origin: at.point.Add(at.normal.Mul(scene.OffsetM)), Normal: at.normal}
	turn := sampling.TurnAt(e.seed, [3]float32{float32(at.point[0]), float32(at.point[1]), float32(at.point[2])})
	lux, _ := e.source.Sharp(l.m.Scene, &r, source.Steady(edgeSamples), turn)
	a := &l.albedos[l.albedoOf[at.patch]]
	for c := range 3 {
		row[c] += e.factor * a[c] * (float32(lux[c]) - e.mean[k][c]) / float32(rays)
	}
	return true
}
