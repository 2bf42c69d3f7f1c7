package radiosity

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Each patch finds its own part of a list, and one without a part finds none.
func TestPartsOfAList(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, n := range []int{0, 1, 63, 64, 65, 500} {
		lengths, next := make([]uint32, n), uint32(0)
		for i := range lengths {
			lengths[i] = uint32(max(r.IntN(6)-3, 0))
		}
		of := newListOf(lengths)
		for patch, length := range lengths {
			from, to := of.part(uint32(patch))
			assert.Equal(t, length, to-from)
			assert.Equal(t, length > 0, of.has.has(uint32(patch)))
			if length > 0 {
				assert.Equal(t, next, from, "parts follow each other")
			}
			next += length
		}
	}
}
