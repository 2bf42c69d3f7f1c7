package lists_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/lists"
)

func TestExactCopiesOnlyWhatHasMuchRoom(t *testing.T) {
	roomy := append(make([]int, 0, 1000), 1, 2, 3)
	tight := make([]int, 1000, 1010)
	assert.Equal(t, []int{1, 2, 3}, lists.Exact(roomy))
	assert.Less(t, cap(lists.Exact(roomy)), 10)
	assert.Same(t, &tight[0], &lists.Exact(tight)[0])
	assert.Empty(t, lists.Exact([]int(nil)))
}
