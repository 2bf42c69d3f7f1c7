package sampling

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
)

// The facets of the hemisphere weigh alike by the cosine, and a direction made in a facet lies in it.
func TestFacetsWeighAlike(t *testing.T) {
	about := FrameOf(geom.Vec3{0.3, 0.8, -0.2}.Normalize())
	counts := make([]int, Facets)
	const n = 256
	for i := range n * n {
		dir := CosineDirection(about.N, about.U, about.V, (float64(i%n)+0.5)/n, (float64(i/n)+0.5)/n)
		counts[about.FacetOf(dir)]++
	}
	for facet, count := range counts {
		assert.Equal(t, n*n/Facets, count, "facet %d", facet)
	}
	for facet := range Facets {
		for k := range 16 {
			assert.EqualValues(t, facet, about.FacetOf(about.InFacet(facet, k, 4, float64(facet+1)/10)))
		}
	}
}

// What touches a facet, also at a corner, is in its ring and in those beside it, also across the first spoke.
func TestFacetsBeside(t *testing.T) {
	block := func(rings []int, spokes ...int) (set uint64) {
		for _, ring := range rings {
			for _, spoke := range spokes {
				set |= 1 << (ring*facetSpokes + spoke)
			}
		}
		return set
	}
	assert.Equal(t, block([]int{0, 1, 2}, 15, 0, 1), FacetsBeside(block([]int{1}, 0)))
	assert.Equal(t, block([]int{0, 1}, 14, 15, 0), FacetsBeside(block([]int{0}, 15)))
	assert.Equal(t, block([]int{2, 3}, 6, 7, 8), FacetsBeside(block([]int{3}, 7)))
	assert.Zero(t, FacetsBeside(0))
}
