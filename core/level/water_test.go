package level_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

func water() *level.Water {
	w := level.Default[level.Water]()
	return &w
}

// After each clarity_m the light has the tint once more.
func TestWaterTakesItsTint(t *testing.T) {
	w := water()
	w.Tint, w.ClarityM = "#80c0ff", 3
	one, two := w.Through(3), w.Through(6)
	assert.InDelta(t, 0.2159, one[0], 1e-3)
	assert.InDelta(t, 1, one[2], 1e-9)
	for c := range one {
		assert.InDelta(t, one[c]*one[c], two[c], 1e-12)
		assert.InDelta(t, 1, w.Through(0)[c], 1e-12)
	}
	w.Tint = "#000000"
	assert.Positive(t, w.Through(1)[0], "no logarithm of nothing")
}

// What enters water is the mean of Fresnel's formula over even light.
func TestWhatEntersWater(t *testing.T) {
	const n, steps = 1.33, 20000
	sum := 0.0
	for i := range steps {
		sin2 := (float64(i) + 0.5) / steps // even light on a surface has even sin²
		a, b := math.Sqrt(1-sin2), math.Sqrt(1-sin2/n/n)
		s, p := (a-n*b)/(a+n*b), (b-n*a)/(b+n*a)
		sum += 1 - (s*s+p*p)/2
	}
	assert.InDelta(t, sum/steps, level.Entering(), 0.001)
}

// The slope of waves is that of one height of water: going round comes back to the same height. Its height fits wave_m,
// and what a coarse pixel leaves out of the slope is in the variance.
func TestWavesAreOneSurface(t *testing.T) {
	w := water()
	w.WaveM, w.LengthM = 0.3, 4
	walk := func(round []float64) (height, low, high float64) { // along the corners x, z of a way
		const steps = 4000
		for i := 0; i+3 < len(round); i += 2 {
			dx, dz := (round[i+2]-round[i])/steps, (round[i+3]-round[i+1])/steps
			for k := range steps {
				t := float64(k) + 0.5
				x, z, _ := w.Slope(round[i]+dx*t, round[i+1]+dz*t, 7.5, 1, 2, 1e-9)
				height += x*dx + z*dz
				low, high = min(low, height), max(high, height)
			}
		}
		return height, low, high
	}
	height, _, _ := walk([]float64{0, 0, 5, 1, 2, 7, -3, 4, 0, 0})
	assert.InDelta(t, 0, height, 1e-4)
	_, low, high := walk([]float64{0, 0, 300, 170})
	assert.Greater(t, high-low, 0.5*w.WaveM)
	assert.Less(t, high-low, 1.05*w.WaveM)

	squares, n := 0.0, 0
	for i := range 40000 {
		x, z, left := w.Slope(float64(i)*0.737, float64(i%211)*0.391, 0, 0, 0, 1e-9)
		require.Zero(t, left)
		squares, n = squares+x*x+z*z, n+1
	}
	_, _, all := w.Slope(1, 2, 0, 0, 0, 100)
	assert.InEpsilon(t, squares/float64(n), all, 0.05, "the variance of all waves")
	w.WaveM = 0
	x, z, left := w.Slope(1, 2, 3, 1, 0, 0.1)
	assert.Zero(t, []float64{x, z, left}[0]+z+left)
}

// Waves move by the speed of deep water, √(g λ / 2π), with the wind.
func TestWavesRunWithTheWind(t *testing.T) {
	w := water()
	w.WaveM, w.LengthM = 0.2, 5
	speed := math.Sqrt(9.81 * 5 / (2 * math.Pi))
	// The slope correlates with itself best where the longest waves have come to.
	best, at := -1.0, 0.0
	for d := -3.0; d <= 3; d += 0.05 {
		sum := 0.0
		for i := range 2000 {
			x := float64(i) * 0.31
			a, _, _ := w.Slope(x, 0.17*x, 0, 1, 0, 1e-9)
			b, _, _ := w.Slope(x+d, 0.17*x, 0.5, 1, 0, 1e-9)
			sum += a * b
		}
		if sum > best {
			best, at = sum, d
		}
	}
	assert.InDelta(t, speed*0.5, at, 0.5)
}
