package keyed

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOneAtATimeForEachName(t *testing.T) {
	var locks Locks
	inside, most := map[string]int{}, map[string]int{}
	var mu sync.Mutex
	var all sync.WaitGroup
	for i := range 60 {
		name := string(rune('a' + i%3))
		all.Go(func() {
			unlock, err := locks.Lock(t.Context(), name)
			if !assert.NoError(t, err) {
				return
			}
			defer unlock()
			mu.Lock()
			inside[name]++
			most[name] = max(most[name], inside[name])
			mu.Unlock()
			mu.Lock()
			inside[name]--
			mu.Unlock()
		})
	}
	all.Wait()
	assert.Equal(t, map[string]int{"a": 1, "b": 1, "c": 1}, most)
	assert.Empty(t, locks.all, "names that nobody waits for are forgotten")
}

func TestWaitingEndsWithTheContext(t *testing.T) {
	var locks Locks
	unlock, err := locks.Lock(t.Context(), "a")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = locks.Lock(ctx, "a")
	assert.ErrorIs(t, err, context.Canceled)
	unlock()
	again, err := locks.Lock(t.Context(), "a")
	require.NoError(t, err)
	again()
	assert.Empty(t, locks.all)
}
