package lists_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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

func TestFirstsAreFound(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	keys := make([][2]int64, 20_000)
	for i := range keys {
		keys[i] = [2]int64{r.Int64N(90), r.Int64N(90) << 32}
	}
	firsts, want, again := lists.NewFirsts(len(keys), func(i int32) [2]int64 { return keys[i] }), map[[2]int64]int32{}, 0
	for i := range int32(len(keys)) {
		if _, known := want[keys[i]]; !known {
			want[keys[i]] = i
		} else {
			again++
		}
		require.Equal(t, want[keys[i]], firsts.Of(i))
	}
	assert.Greater(t, again, 10_000)
	for i := range int32(len(keys)) {
		require.Equal(t, want[keys[i]], firsts.Of(i), "asked once more")
	}
}

func TestMemoryOfAList(t *testing.T) {
	assert.Equal(t, 80, lists.MemoryBytes(make([]int64, 3, 10)))
	assert.Zero(t, lists.MemoryBytes([]int64(nil)))
}
