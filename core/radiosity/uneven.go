package radiosity

import (
	"slices"

	"grotta/core/geom"
	"grotta/core/lightmap"
)

// Landing is where a ray has landed on a patch, and how far that is from where it started, in sides of the patch, squared.
type Landing struct {
	patch         uint32
	sides2        float32
	point, normal geom.Vec3
}

// unevenSet is the patches on which the direct light of any source ends or changes, and for which it does.
type unevenSet struct {
	of     listOf
	list   []uneven // patch after patch, in order of the sources
	parted patchSet // those of them whose squares have several sides for a source
}

// uneven is a source's light on a patch: its place in the source's lists of edges and of slopes, or -1.
type uneven struct{ source, edge, slope int32 }

// unevenOf gathers the edges and slopes of all sources.
func (l *Links) unevenOf(edges []*edgeSet, slopes []*slopeSet) *unevenSet {
	if !slices.ContainsFunc(edges, func(e *edgeSet) bool { return e != nil }) && !slices.ContainsFunc(slopes, func(s *slopeSet) bool { return s != nil }) {
		return nil
	}
	u := &unevenSet{parted: l.newPatchSet()}
	each := func(visit func(patch uint32, one uneven)) {
		for i, e := range edges {
			var at, on int // in the two lists, which are both in order of the patches
			s := slopes[i]
			for e != nil && at < len(e.patches) || s != nil && on < len(s.list) {
				one := uneven{int32(i), -1, -1}
				isEdge := e != nil && at < len(e.patches) && (s == nil || on == len(s.list) || e.patches[at] <= s.list[on].patch)
				isSlope := s != nil && on < len(s.list) && (e == nil || at == len(e.patches) || s.list[on].patch <= e.patches[at])
				patch := uint32(0)
				if isEdge {
					patch, one.edge, at = e.patches[at], int32(at), at+1
				}
				if isSlope {
					patch, one.slope, on = s.list[on].patch, int32(on), on+1
				}
				visit(patch, one)
			}
		}
	}
	lengths, all := make([]uint32, l.Patches()), 0
	each(func(patch uint32, one uneven) {
		lengths[patch]++
		all++
		if one.edge >= 0 && edges[one.source].parted[one.edge] != nil {
			u.parted.add(patch)
		}
	})
	u.of, u.list = newListOf(lengths), make([]uneven, all)
	each(func(patch uint32, one uneven) {
		_, end := u.of.part(patch)
		u.list[end-lengths[patch]] = one
		lengths[patch]--
	})
	return u
}

// LandsNear tells whether the direct light of some source changes so much on a patch that a ray from so near has to read
// it where it has landed.
func (s *Sent) LandsNear(patch uint32, distance float64) bool {
	u := s.uneven
	return u != nil && u.of.has.has(patch) && (distance*distance < slopeSides*slopeSides*s.links.areaOf(int(patch)) || u.parted.has(patch))
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
		from, to := s.uneven.of.part(at.patch)
		for _, one := range s.uneven.list[from:to] {
			to := row[3*one.source:]
			if one.edge >= 0 && s.edges[one.source].add(int(one.edge), to, s.links, at, rays) {
				continue
			}
			if one.slope >= 0 && at.sides2 < slopeSides*slopeSides {
				s.slopes[one.source].add(int(one.slope), to, s.links, at, rays)
			}
		}
	}
}
