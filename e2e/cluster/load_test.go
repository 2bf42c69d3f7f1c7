package cluster

import (
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

// How long requests take at a rate that does not wait for answers, while bakes lie on the cluster's queue for
// which there is no worker: seven of ten read, three edit one of twenty levels. Times count from when a request was
// due. The long form measures up to 500 a second; the short one holds a small rate to having no errors.
func TestLoadWithBakesOnTheQueue(t *testing.T) {
	nats := startNodes(t, 1)
	_, c := serve(t, t.TempDir(), "--nats", nats.url(), "--bake-here", "no")
	var ids []string
	for range 20 {
		info, err := c.CreateLevel(t.Context(), api.NewLevel{From: "room"})
		require.NoError(t, err)
		ids = append(ids, info.ID)
	}
	for _, id := range ids[:5] {
		_, err := c.StartBake(t.Context(), id, "good")
		require.NoError(t, err)
	}
	rates, lasts := []int{50}, 2*time.Second
	if soak {
		rates, lasts = []int{100, 200, 300, 400, 500}, 15*time.Second
	}
	for _, rate := range rates {
		var mu sync.Mutex
		var took []time.Duration
		var errors atomic.Int32
		var all sync.WaitGroup
		began := time.Now()
		for i := range rate * int(lasts/time.Second) {
			due := began.Add(time.Duration(i) * time.Second / time.Duration(rate))
			time.Sleep(time.Until(due))
			all.Go(func() {
				id := ids[i%len(ids)]
				var err error
				switch i % 10 {
				case 0, 3, 6:
					_, err = c.Apply(t.Context(), id, level.Set("lamp", map[string]any{"strength": float64(50 + i%40)}), 0)
				case 1, 4:
					_, err = c.Levels(t.Context())
				case 2:
					_, err = c.Session(t.Context())
				default:
					_, err = c.Level(t.Context(), id)
				}
				if err != nil {
					errors.Add(1)
				}
				mu.Lock()
				took = append(took, time.Since(due))
				mu.Unlock()
			})
		}
		all.Wait()
		slices.Sort(took)
		share := func(of float64) string {
			return fmt.Sprintf("%.1f ms", float64(took[int(of*float64(len(took)-1))].Microseconds())/1000)
		}
		t.Logf("%d a second: half under %s, 99 %% under %s, %d errors of %d", rate, share(0.5), share(0.99), errors.Load(), len(took))
		assert.Zero(t, errors.Load())
	}
}
