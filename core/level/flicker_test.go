package level_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/level"
)

func TestFlicker(t *testing.T) {
	for _, pattern := range []string{"candle", "faulty", "pulse"} {
		f := level.Flicker{Pattern: pattern, RateHz: 5, Depth: 0.4}
		low, high, other := 1.0, 0.0, 0
		for i := range 2000 {
			at := float64(i) / 100
			v := f.At(at, "lamp")
			assert.Equal(t, v, f.At(at, "lamp"), "the same at any time it is asked")
			low, high = min(low, v), max(high, v)
			if v != f.At(at, "other") {
				other++
			}
		}
		assert.GreaterOrEqual(t, low, 0.6, pattern)
		assert.Less(t, low, 0.75, "%s goes down", pattern)
		assert.LessOrEqual(t, high, 1.0, pattern)
		assert.Greater(t, high, 0.95, "%s comes up", pattern)
		if pattern != "pulse" {
			assert.Greater(t, other, 200, "%s: two lamps do not move as one", pattern)
		}
	}
	pulse := level.Flicker{Pattern: "pulse", RateHz: 2, Depth: 1}
	assert.InDelta(t, 1, pulse.At(0, ""), 1e-12)
	assert.InDelta(t, 0, pulse.At(0.25, ""), 1e-12)
}
