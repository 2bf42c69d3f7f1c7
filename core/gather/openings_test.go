package gather

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
	"grotta/core/sampling"
)

// The cells of the hemisphere weigh alike by the cosine, and a direction made in a cell lies in it.
func TestCellsWeighAlike(t *testing.T) {
	about := sampling.FrameOf(geom.Vec3{0.3, 0.8, -0.2}.Normalize())
	counts := make([]int, cells)
	const n = 256
	for i := range n * n {
		dir := sampling.CosineDirection(about.N, about.U, about.V, (float64(i%n)+0.5)/n, (float64(i/n)+0.5)/n)
		counts[cellOf(&about, dir)]++
	}
	for cell, count := range counts {
		assert.Equal(t, n*n/cells, count, "cell %d", cell)
	}
	for cell := range cells {
		for _, at := range [][2]float64{{0.01, 0.01}, {0.5, 0.5}, {0.99, 0.99}} {
			a, b := (float64(cell/spokes)+at[0])/rings, (float64(cell%spokes)+at[1])/spokes
			assert.EqualValues(t, cell, cellOf(&about, sampling.CosineDirection(about.N, about.U, about.V, a, b)))
		}
	}
}
