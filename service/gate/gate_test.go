package gate

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// waitFor blocks until so many requests wait.
func waitFor(t *testing.T, g *Gate, n int) {
	t.Helper()
	require.Eventually(t, func() bool {
		g.mu.Lock()
		defer g.mu.Unlock()
		return g.waiting == n
	}, 5*time.Second, time.Millisecond)
}

// One who asks for much does not hold up another: queues are served in turns.
func TestPeopleTakeTurns(t *testing.T) {
	g := New(1, 8, 32)
	leave, err := g.Enter(t.Context(), "maren")
	require.NoError(t, err)
	served := make(chan string, 8)
	ask := func(person string) {
		go func() {
			leave, err := g.Enter(t.Context(), person)
			assert.NoError(t, err)
			served <- person
			leave()
		}()
	}
	for i := range 4 {
		ask("maren")
		waitFor(t, g, i+1)
	}
	ask("ivo")
	waitFor(t, g, 5)
	leave()
	var order []string
	for range 5 {
		order = append(order, <-served)
	}
	assert.Equal(t, []string{"maren", "ivo", "maren", "maren", "maren"}, order)
	assert.Eventually(t, func() bool {
		g.mu.Lock()
		defer g.mu.Unlock()
		return g.inside == 0 && len(g.queues) == 0 && len(g.turns) == 0
	}, time.Second, time.Millisecond)
}

func TestQueuesAreBounded(t *testing.T) {
	g := New(1, 2, 3)
	leave, err := g.Enter(t.Context(), "maren")
	require.NoError(t, err)
	defer leave()
	ctx, cancel := context.WithCancel(t.Context())
	for i, person := range []string{"maren", "maren", "ivo"} {
		go func() {
			_, err := g.Enter(ctx, person)
			assert.ErrorIs(t, err, context.Canceled)
		}()
		waitFor(t, g, i+1)
	}
	_, err = g.Enter(t.Context(), "maren")
	assert.ErrorIs(t, err, ErrBusy, "one person's queue")
	_, err = g.Enter(t.Context(), "ada")
	assert.ErrorIs(t, err, ErrBusy, "all together")
	assert.Equal(t, 4*time.Second, g.RetryAfter())
	cancel()
	waitFor(t, g, 0)
	g.mu.Lock()
	defer g.mu.Unlock()
	assert.Empty(t, g.queues, "who gives up leaves nothing behind")
	assert.Empty(t, g.turns)
}

// A place that comes free just as its asker gives up goes to the next.
func TestAPlaceIsNotLost(t *testing.T) {
	g := New(1, 100, 100)
	for range 200 {
		leave, err := g.Enter(t.Context(), "a")
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(t.Context())
		done := make(chan struct{})
		go func() {
			defer close(done)
			if leave, err := g.Enter(ctx, "b"); err == nil {
				leave()
			}
		}()
		go cancel()
		leave()
		<-done
		cancel()
	}
	assert.Zero(t, g.inside)
	assert.Zero(t, g.waiting)
}
