package parallel_test

import (
	"context"
	"errors"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/parallel"
)

// Everything is done once, whatever the steps, and the last report says all.
func TestEverythingOnce(t *testing.T) {
	for _, n := range []int{0, 1, 7, 100} {
		for _, step := range []int{1, 3, 1000} {
			times := make([]atomic.Int32, n)
			var most atomic.Int64
			require.NoError(t, parallel.Steps(context.Background(), n, step, func(from, to int) {
				assert.LessOrEqual(t, to-from, step)
				for i := from; i < to; i++ {
					times[i].Add(1)
				}
			}, func(done int) {
				for m := most.Load(); int64(done) > m && !most.CompareAndSwap(m, int64(done)); m = most.Load() {
				}
			}))
			for i := range times {
				assert.EqualValues(t, 1, times[i].Load(), "%d of %d by %d", i, n, step)
			}
			assert.EqualValues(t, n, most.Load())
		}
	}
	var sum atomic.Int64
	parallel.All(50, func(i int) { sum.Add(int64(i)) })
	assert.EqualValues(t, 49*50/2, sum.Load())
}

func TestEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	var n atomic.Int64
	err := parallel.Each(ctx, 1_000_000, func(i int) {
		if n.Add(1) == 10 {
			cancel()
		}
	}, nil)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, n.Load(), int64(1000))
}

// Things go on at once until they wait for their turn, and then one by one in order. An error or a panic of one
// ends the others, also those that wait.
func TestInTurn(t *testing.T) {
	const n, atOnce = 50, 3
	var order []int
	var under, most atomic.Int64
	do := func(failAt int, fail func() error) error {
		order = nil
		return parallel.InTurn(t.Context(), n, atOnce, func(ctx context.Context, i int, turn func()) error {
			now := under.Add(1)
			defer under.Add(-1)
			for m := most.Load(); now > m && !most.CompareAndSwap(m, now); m = most.Load() {
			}
			if i == failAt {
				return fail()
			}
			turn()
			order = append(order, i)
			return ctx.Err()
		})
	}
	require.NoError(t, do(-1, nil))
	require.Len(t, order, n)
	for i, k := range order {
		assert.Equal(t, i, k)
	}
	assert.LessOrEqual(t, most.Load(), int64(atOnce))

	lost := errors.New("lost")
	assert.ErrorIs(t, do(20, func() error { return lost }), lost)
	assert.Less(t, len(order), n)
	var p *parallel.Panic
	assert.ErrorAs(t, do(0, func() error { panic("the lamp fell over") }), &p)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	assert.ErrorIs(t, parallel.InTurn(ctx, n, atOnce, func(ctx context.Context, _ int, turn func()) error {
		turn()
		return ctx.Err()
	}), context.Canceled)
}
