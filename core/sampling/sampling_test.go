package sampling

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
)

// The sets of samples cover the square evenly, whatever they are shifted by.
func TestPairsAreEven(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 20 {
		turn := r.Float64() * 2 * math.Pi
		var cells [16]int
		for i := range 256 {
			a, b := Pair(i, 256, turn)
			require.True(t, a >= 0 && a < 1 && b >= 0 && b < 1)
			cells[int(a*4)*4+int(b*4)]++
		}
		for _, n := range cells {
			assert.InDelta(t, 16, n, 4)
		}
	}
	assert.Equal(t, []float64{0, 0.5, 0.25, 0.75}, []float64{radicalInverse(0), radicalInverse(1), radicalInverse(2), radicalInverse(3)})
}

// Directions by the cosine: their mean height is 2/3, and none goes under.
func TestCosineDirections(t *testing.T) {
	n := geom.Vec3{0.6, 0.8, 0}
	u, v := geom.Axes(n)
	sum := 0.0
	for i := range 4096 {
		a, b := Pair(i, 4096, 1)
		d := CosineDirection(n, u, v, a, b)
		require.InDelta(t, 1, d.Len(), 1e-9)
		require.GreaterOrEqual(t, d.Dot(n), 0.0)
		sum += d.Dot(n)
	}
	assert.InDelta(t, 2.0/3, sum/4096, 1e-3)
}

func TestTurnsDependOnSeedAndNumber(t *testing.T) {
	seen := map[float64]bool{}
	for seed := range uint64(50) {
		for texel := range int32(50) {
			a := Turn(seed, uint64(texel))
			require.True(t, a >= 0 && a < 2*math.Pi)
			assert.False(t, seen[a])
			seen[a] = true
			assert.Equal(t, a, Turn(seed, uint64(texel)))
		}
	}
}

// Places that lie beside each other have turns that spread evenly, and a place has the
// same turn however its zero is signed.
func TestTurnsOfPlacesAreEven(t *testing.T) {
	var cells [16]int
	for x := range 40 {
		for z := range 40 {
			turn := TurnAt(7, [3]float32{float32(x) / 8, 0.002, float32(z) / 8})
			cells[int(turn/(2*math.Pi)*16)]++
		}
	}
	for _, n := range cells {
		assert.InDelta(t, 100, n, 40) // four standard deviations
	}
	zero := float32(math.Copysign(0, -1))
	assert.Equal(t, TurnAt(7, [3]float32{0, 0, 0}), TurnAt(7, [3]float32{zero, 0, zero}))
}

// A fan is turned about its normal, and covers its hemisphere by the cosine.
func TestFansCoverTheirHemisphere(t *testing.T) {
	fans, about := NewFans(64), FrameOf(geom.Vec3{0.6, 0.8, 0})
	for _, turn := range []float64{0, 1, 3, 6.28} {
		sum := 0.0
		for _, d := range fans.Of(turn) {
			sum += about.Toward(&d).Dot(about.N)
		}
		assert.InDelta(t, 2.0/3, sum/64, 0.02)
	}
}
