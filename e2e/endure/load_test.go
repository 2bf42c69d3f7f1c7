package endure

import (
	"context"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

// How long cheap requests take while eight shots and a bake at final run: the share of
// them in milliseconds, by kind.
func BenchmarkCheapRequestsUnderLoad(b *testing.B) {
	data := filepath.Join(b.TempDir(), "data")
	newData(b, data)
	p := serve(b, data)
	c := p.signIn(b)
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	busy, err := c.CreateLevel(ctx, api.NewLevel{From: "demo"})
	require.NoError(b, err)
	quiet, err := c.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(b, err)
	_, err = c.StartBake(ctx, busy.ID, "final")
	require.NoError(b, err)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for ctx.Err() == nil {
				c.Shot(ctx, busy.ID, api.NewShot{Width: 1280, Height: 800})
			}
		})
	}
	time.Sleep(2 * time.Second)
	took := map[string][]time.Duration{}
	for b.Loop() {
		for name, ask := range map[string]func() error{
			"session": func() error { _, err := c.Session(ctx); return err },
			"levels":  func() error { _, err := c.Levels(ctx); return err },
			"level":   func() error { _, err := c.Level(ctx, quiet.ID); return err },
			"edit": func() error {
				_, err := c.Apply(ctx, quiet.ID, level.Set("lamp", map[string]any{"strength": float64(len(took) % 7)}), 0)
				return err
			},
		} {
			began := time.Now()
			require.NoError(b, ask())
			took[name] = append(took[name], time.Since(began))
		}
	}
	stop()
	all.Wait()
	for name, times := range took {
		slices.Sort(times)
		b.ReportMetric(float64(times[len(times)/2].Microseconds())/1000, name+"-p50-ms")
		b.ReportMetric(float64(times[len(times)*99/100].Microseconds())/1000, name+"-p99-ms")
	}
}
