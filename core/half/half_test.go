package half

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func numbers(n int) []float32 {
	r := rand.New(rand.NewPCG(1, 1))
	v := make([]float32, n)
	for i := range v {
		v[i] = float32(math.Exp(r.NormFloat64() * 6))
		if i%17 == 0 {
			v[i] = 0
		}
	}
	return v
}

// The assembly and the Go round alike, over tiny, huge and plain values.
func TestKernelsAgreeWithGo(t *testing.T) {
	if !fast {
		t.Skip("this processor has no F16C")
	}
	v := numbers(24 * 500)
	a, b := make([]uint16, len(v)), make([]uint16, len(v))
	Encode(a, v, 0.37)
	encode(b, v, 0.37)
	require.Equal(t, b, a)
	x, y := numbers(2*len(v)), numbers(2*len(v))
	w := [3]float32{0.3, 7.1, 1e-4}
	for _, stride := range []int{48, 56, 96} {
		AddScaled(x, stride, a, 48, w)
		addScaled(y, stride, a, 48, w)
		require.Equal(t, y, x, "rows of 48, %d apart", stride)
	}
	AddTimes(x, y, 0.7)
	addTimes(y, y, 0.7)
	assert.Equal(t, y, x)
	from, less := numbers(480), numbers(488)[8:]
	sum, squares, sameSum, sameSquares := numbers(480), numbers(480), numbers(480), numbers(480)
	AddOff(sum, squares, from, less, 0.7)
	addOff(sameSum, sameSquares, from, less, 0.7)
	assert.Equal(t, sameSum, sum)
	assert.Equal(t, sameSquares, squares)
	assert.NotEqual(t, numbers(480), sum)
	for _, columns := range []int{8, 16, 40, 72} {
		rows := []uint32{3, 0, 9, 9, 1}
		sum, same := make([]float32, columns), make([]float32, columns)
		SumHalfRows(sum, a, rows)
		sumHalfRows(same, a, rows)
		assert.Equal(t, same, sum, "%d columns", columns)
		SumHalfRows(sum, a, nil)
		assert.Equal(t, make([]float32, columns), sum, "no rows")
	}
	assert.Panics(t, func() { SumHalfRows(make([]float32, 8), a[:80], []uint32{2, 10}) }, "no row 10")
}

// Links lead to the rows that they were made of, and what bounces over them is alike in
// Go and in assembly, and what it says it is.
func TestBounce(t *testing.T) {
	rows := [][]uint32{{0, 0, 3}, nil, {65534, 65535, 65536, 199_999, 199_999}, {131_070}, {7}}
	var links []uint16
	ends, want := []uint32{0}, make([][4]float32, len(rows))
	values := numbers(4 * 200_001)
	sent, direct := make([][4]float32, 200_001), make([][4]float32, len(rows))
	for i := range sent[1:] {
		sent[i+1] = [4]float32(values[4*i:])
	}
	albedo := [][4]float32{{0.1, 0.2, 0.3, 1}, {0.9, 0.8, 0.7}, {1, 1, 1, 1}, {0.5, 0, 0.25}, {0.3, 0.3, 0.3, 0.3}}
	for k, of := range rows {
		direct[k] = sent[100+k]
		own := AppendLinks(nil, of)
		assert.Equal(t, of, AppendRows(nil, own))
		links = append(links, own...)
		ends = append(ends, uint32(len(links)))
		for c := range 4 {
			sum := float64(0)
			for _, row := range of {
				sum += float64(sent[row+1][c])
			}
			want[k][c] = float32((sum/8 + float64(direct[k][c])) * float64(albedo[k][c]))
		}
	}
	next, same := make([][4]float32, len(rows)), make([][4]float32, len(rows))
	for from := range albedo { // a part of the rows, too
		Bounce(next[from:], direct[from:], sent, links, ends[from:], albedo[from:], 0.125)
		bounce(same[from:], direct[from:], sent, links, ends[from:], albedo[from:], 0.125)
		require.Equal(t, same, next)
	}
	for k := range want {
		for c := range 4 {
			assert.InDelta(t, want[k][c], next[k][c], 1e-5*math.Abs(float64(want[k][c])), "row %d", k)
		}
	}
	assert.Panics(t, func() { Bounce(next, direct, sent, links[:5], ends, albedo, 1) }, "links that are not there")
}

// A half-float of a normal number is within 2^-11 of it.
func TestRoundingBound(t *testing.T) {
	v := numbers(24 * 500)
	packed, back := make([]uint16, len(v)), make([]float32, len(v))
	Encode(packed, v, 1)
	AddScaled(back, 24, packed, 24, [3]float32{1, 1, 1})
	for i, x := range v {
		if x > 6.2e-5 && x < 65504 {
			require.InEpsilon(t, x, back[i], 1.0/2048+1e-9)
		}
	}
}

func TestLengthsThatAreNone(t *testing.T) {
	AddScaled(nil, 24, nil, 24, [3]float32{1, 1, 1})
	Encode(nil, nil, 1)
	assert.Panics(t, func() { AddScaled(make([]float32, 25), 25, make([]uint16, 25), 25, [3]float32{}) })
	assert.Panics(t, func() { AddScaled(make([]float32, 71), 48, make([]uint16, 48), 24, [3]float32{}) }, "the second row does not fit")
}

// Below and Above are the nearest half-floats on their side.
func TestRoundingToOneSide(t *testing.T) {
	inf := math.Inf(1)
	for _, v := range append(numbers(2000), 65504, 65519, 65520, 1e6, 6e-8, 5.9e-8, 1e-9, float32(inf)) {
		for _, v := range []float32{v, -v} {
			below, above := Decode(Below(v)), Decode(Above(v))
			require.LessOrEqual(t, below, v)
			require.GreaterOrEqual(t, above, v)
			room := max(math.Abs(float64(v))/1024, 6e-8) // of one step
			if math.Abs(float64(v)) < 65504 {
				require.LessOrEqual(t, float64(above)-float64(below), room, "%g", v)
			}
		}
	}
	assert.Equal(t, [2]uint16{Inf, MinusInf}, [2]uint16{Above(1e6), Below(-1e6)})
}
