// Package trial sends hostile and broken input to a running service: every case has its
// answer, and bounds of time and memory. The service must be there after each.
package trial

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"runtime"
	"slices"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/e2e/harness"
)

// Bounds of one case. A level of the largest size takes longer than any of these.
const (
	mostTime   = 10 * time.Second
	mostMemory = 900 << 20 // bytes of heap beside what the service held before
)

// heapWatch samples the heap until it is stopped, and keeps the most.
type heapWatch struct {
	most atomic.Uint64
	stop chan struct{}
	done chan struct{}
}

func watchHeap() *heapWatch {
	w := &heapWatch{stop: make(chan struct{}), done: make(chan struct{})}
	go func() {
		defer close(w.done)
		for {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			w.most.Store(max(w.most.Load(), m.HeapAlloc))
			select {
			case <-w.stop:
				return
			case <-time.After(5 * time.Millisecond):
			}
		}
	}()
	return w
}

func (w *heapWatch) end() uint64 {
	close(w.stop)
	<-w.done
	return w.most.Load()
}

func TestHostileInput(t *testing.T) {
	g, err := harness.Start(t.TempDir())
	require.NoError(t, err)
	defer func() { assert.NoError(t, g.Stop()) }()
	maren, err := g.As("maren")
	require.NoError(t, err)
	info, err := maren.CreateLevel(context.Background(), api.NewLevel{From: "room"})
	require.NoError(t, err)
	cases := allCases(places{info.ID})
	assert.GreaterOrEqual(t, len(cases), 400)
	names := map[string]bool{}
	var slowest, slowestCheap time.Duration
	var fattest uint64
	var slowName, fatName string
	answers := map[int]int{}
	for _, c := range cases {
		assert.False(t, names[c.name], "two cases are called %q", c.name)
		names[c.name] = true
		runtime.GC()
		var before runtime.MemStats
		runtime.ReadMemStats(&before)
		heap, began := watchHeap(), time.Now()
		status, text := send(t, g.URL, maren.Token, c)
		took := time.Since(began)
		grew := heap.end()
		grew -= min(grew, before.HeapAlloc)
		answers[status]++
		assert.True(t, slices.Contains(c.want, status), "%s: %d, not one of %v: %.300s", c.name, status, c.want, text)
		assert.NotContains(t, text, "panic", c.name)
		assert.NotContains(t, text, "goroutine", c.name)
		assert.Less(t, took, mostTime, c.name)
		assert.Less(t, grew, uint64(mostMemory), c.name)
		if took > slowest {
			slowest, slowName = took, c.name
		}
		if grew > fattest {
			fattest, fatName = grew, c.name
		}
		began = time.Now()
		_, err := maren.Session(context.Background())
		require.NoError(t, err, "the service is gone after %s", c.name)
		slowestCheap = max(slowestCheap, time.Since(began))
	}
	after, err := maren.Level(context.Background(), info.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, after.Level.Revision, "nothing of it changed the level")
	t.Logf("%d cases, answers %v; slowest %v (%s); most memory %d MB (%s); a cheap request after each took %v at most",
		len(cases), answers, slowest.Round(time.Millisecond), slowName, fattest>>20, fatName, slowestCheap.Round(time.Millisecond))
}

func send(t *testing.T, url, token string, c trialCase) (status int, text string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 2*mostTime)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, c.method, url+c.path, bytes.NewReader(c.body))
	require.NoError(t, err, c.name)
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err, "no answer to %s", c.name)
	defer res.Body.Close()
	data, err := io.ReadAll(io.LimitReader(res.Body, 1<<20))
	require.NoError(t, err, c.name)
	if res.StatusCode == http.StatusOK {
		return res.StatusCode, ""
	}
	return res.StatusCode, string(data)
}
