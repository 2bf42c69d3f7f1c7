package sampling

import (
	"math"

	"grotta/core/geom"
)

// Facets is how many parts the hemisphere about a normal has that weigh alike by the cosine.
const (
	facetRings, facetSpokes = 4, 16
	Facets                  = facetRings * facetSpokes
)

// FacetOf is the facet that a direction is in.
func (f *Frame) FacetOf(dir geom.Vec3) uint8 {
	x, y := dir.Dot(f.U), dir.Dot(f.V)
	ring := min(int((x*x+y*y)*facetRings), facetRings-1)
	turn := math.Atan2(y, x)/(2*math.Pi) + 1
	return uint8(ring*facetSpokes + int(turn*facetSpokes)%facetSpokes)
}

// InFacet is direction k of side·side that are spread over a facet by the cosine. turn moves each within its part of
// the facet.
func (f *Frame) InFacet(facet, k, side int, turn float64) geom.Vec3 {
	a, b := Shifts(Turn(uint64(k), uint64(turn*(1<<40))))
	a, b = (float64(k/side)+a)/float64(side), (float64(k%side)+b)/float64(side)
	return CosineDirection(f.N, f.U, f.V, (float64(facet/facetSpokes)+a)/facetRings, (float64(facet%facetSpokes)+b)/facetSpokes)
}

// FacetsBeside adds to a set of facets, a bit for each, those that touch them, also at a corner.
func FacetsBeside(set uint64) (all uint64) {
	all = set | set<<facetSpokes | set>>facetSpokes
	const first, last = 0x0001_0001_0001_0001, 0x8000_8000_8000_8000 // spokes of each ring
	return all | all&^last<<1 | all&last>>(facetSpokes-1) | all&^first>>1 | all&first<<(facetSpokes-1)
}
