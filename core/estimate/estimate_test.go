package estimate

import (
	"context"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/demo"
)

// The prediction is held to a factor of two here, as other tests run beside it; the benchmark tells the
// ratio itself.
func TestBakesAreForeseen(t *testing.T) {
	lamps := demo.Yard() // with more than are sampled
	for i := range 120 {
		lamp := level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point)
		lamp.RangeM, lamp.Transform.Position = 5, level.Vec{float64(i%20)*3 - 30, 3, float64(i/20)*6 - 20}
		lamps.Lights = append(lamps.Lights, lamp)
	}
	for from, l := range map[string]*level.Level{"demo": demo.Start("demo"), "mill": demo.Start("mill"), "lamps": lamps} {
		p, err := bake.Prepare(l)
		require.NoError(t, err)
		e, err := Bake(context.Background(), p, bake.Draft, 0)
		require.NoError(t, err)
		begun := time.Now()
		_, err = p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
		require.NoError(t, err)
		ratio := e.Seconds / time.Since(begun).Seconds()
		t.Logf("%s: foreseen %.2f s, ratio %.2f", from, e.Seconds, ratio)
		assert.Greater(t, ratio, 0.4, from)
		assert.Less(t, ratio, 2.5, from)
		assert.Equal(t, len(p.Texels.List), e.Texels)
		assert.Less(t, e.Sampled, e.Texels)
	}
}

// What two samples say of a third place.
func TestGrowth(t *testing.T) {
	assert.InDelta(t, 32.0, grown([]float64{10, 40}, []float64{2, 4}, 640), 1e-12, "half way from a square root to in proportion")
	assert.InDelta(t, 8.0, grown([]float64{10, 20}, []float64{1, 4}, 40), 1e-12, "never faster than in proportion")
	assert.InDelta(t, 6.0, grown([]float64{20}, []float64{3}, 40), 1e-12)
}

func TestItEndsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	p, err := bake.Prepare(demo.Start("mill"))
	require.NoError(t, err)
	_, err = Bake(ctx, p, bake.Good, 0)
	assert.ErrorIs(t, err, context.Canceled)
}

// BenchmarkForesight tells how far the prediction is from the bake, by level and quality.
func BenchmarkForesight(b *testing.B) {
	for _, from := range demo.Levels {
		for _, q := range []bake.Quality{bake.Draft, bake.Good, bake.Final} {
			b.Run(from+" "+string(q), func(b *testing.B) {
				sum := 0.0
				for b.Loop() {
					p, err := bake.Prepare(demo.Start(from))
					require.NoError(b, err)
					e, err := Bake(context.Background(), p, q, 0)
					require.NoError(b, err)
					begun := time.Now()
					_, err = p.Bake(context.Background(), source.All(p.Sources), q, nil)
					require.NoError(b, err)
					sum += e.Seconds / time.Since(begun).Seconds()
				}
				b.ReportMetric(sum/float64(b.N), "foreseen/real")
			})
		}
	}
}
