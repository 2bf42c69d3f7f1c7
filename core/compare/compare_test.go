package compare_test

import (
	"image"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	linear "grotta/core/color"
	"grotta/core/compare"
)

// Rows of the table that Sharma, Wu and Dalal (2005) give to test CIEDE2000 by:
// around the blue hues, across the grey axis, and far apart.
func TestDifferenceAgainstThePublishedTable(t *testing.T) {
	for _, row := range []struct {
		a, b compare.Lab
		want float64
	}{
		{compare.Lab{L: 50, A: 2.6772, B: -79.7751}, compare.Lab{L: 50, A: 0, B: -82.7485}, 2.0425},
		{compare.Lab{L: 50, A: 3.1571, B: -77.2803}, compare.Lab{L: 50, A: 0, B: -82.7485}, 2.8615},
		{compare.Lab{L: 50, A: -1.3802, B: -84.2814}, compare.Lab{L: 50, A: 0, B: -82.7485}, 1.0000},
		{compare.Lab{L: 50}, compare.Lab{L: 50, A: -1, B: 2}, 2.3669},
		{compare.Lab{L: 50, A: 2.49, B: -0.001}, compare.Lab{L: 50, A: -2.49, B: 0.0009}, 7.1792},
		{compare.Lab{L: 50, A: -0.001, B: 2.49}, compare.Lab{L: 50, A: 0.0009, B: -2.49}, 4.8045},
		{compare.Lab{L: 50, A: 2.5}, compare.Lab{L: 73, A: 25, B: -18}, 27.1492},
		{compare.Lab{L: 50, A: 2.5}, compare.Lab{L: 61, A: -5, B: 29}, 22.8977},
		{compare.Lab{L: 50, A: 2.5}, compare.Lab{L: 56, A: -27, B: -3}, 31.9030},
		{compare.Lab{L: 60.2574, A: -34.0099, B: 36.2677}, compare.Lab{L: 60.4626, A: -34.1751, B: 39.4387}, 1.2644},
		{compare.Lab{L: 2.0776, A: 0.0795, B: -1.1350}, compare.Lab{L: 0.9033, A: -0.0636, B: -0.5514}, 0.9082},
	} {
		assert.InDelta(t, row.want, compare.Difference(row.a, row.b), 1e-4, "%v %v", row.a, row.b)
		assert.InDelta(t, row.want, compare.Difference(row.b, row.a), 1e-4, "either way")
	}
}

func TestLabOfWhiteGreyAndRed(t *testing.T) {
	white := compare.LabOf(linear.White)
	assert.InDelta(t, 100, white.L, 1e-3)
	assert.InDelta(t, 0, white.A, 0.02)
	assert.InDelta(t, 0, white.B, 0.02)
	assert.InDelta(t, 76.07, compare.LabOf(linear.White.Scale(0.5)).L, 0.01) // 116 (1/2)^(1/3) - 16
	red := compare.LabOf(linear.Linear{1, 0, 0})
	assert.InDelta(t, 53.24, red.L, 0.02) // sRGB red, as published
	assert.InDelta(t, 80.09, red.A, 0.05)
	assert.InDelta(t, 67.20, red.B, 0.05)
}

func flat(w, h int, paint func(x, y int) uint8) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			v := paint(x, y)
			m.SetNRGBA(x, y, color.NRGBA{v, v, v, 255})
		}
	}
	return m
}

func TestPicturesThatAreAlikeAndNot(t *testing.T) {
	board := flat(64, 48, func(x, y int) uint8 { return uint8(60 + 120*((x/8+y/8)%2)) })
	same, err := compare.Pictures(board, board)
	require.NoError(t, err)
	assert.Zero(t, same.Mean)
	assert.InDelta(t, 1, same.SSIM, 1e-12)

	// Two even pictures: no structure, so SSIM is its luminance term alone.
	a, b := flat(32, 32, func(int, int) uint8 { return 100 }), flat(32, 32, func(int, int) uint8 { return 120 })
	got, err := compare.Pictures(a, b)
	require.NoError(t, err)
	c1 := 2.55 * 2.55
	assert.InDelta(t, (2*100*120+c1)/(100*100+120*120+c1), got.SSIM, 1e-9)
	assert.InDelta(t, got.Mean, got.P95, 1e-9)
	assert.InDelta(t, got.Mean, got.Max, 1e-9)

	turned := flat(64, 48, func(x, y int) uint8 { return uint8(180 - 120*((x/8+y/8)%2)) })
	opposite, err := compare.Pictures(board, turned)
	require.NoError(t, err)
	assert.Less(t, opposite.SSIM, 0.0, "the structure is turned round")

	_, err = compare.Pictures(board, a)
	assert.ErrorContains(t, err, "64 by 48 and 32 by 32")
}

func TestFormsOfAComparison(t *testing.T) {
	a, b := flat(20, 10, func(int, int) uint8 { return 10 }), flat(20, 10, func(x, _ int) uint8 { return uint8(10 + 10*x) })
	assert.Equal(t, image.Rect(0, 0, 44, 10), compare.Side(a, b).Bounds())
	divided := compare.Divide(a, b, 0.5)
	assert.Equal(t, uint8(10), divided.NRGBAAt(3, 5).R)
	assert.Equal(t, b.NRGBAAt(15, 5), divided.NRGBAAt(15, 5))
	got, err := compare.Pictures(a, b)
	require.NoError(t, err)
	shown := compare.FalseColor(got)
	assert.Equal(t, color.NRGBA{20, 20, 20, 255}, shown.NRGBAAt(0, 0), "alike is grey")
	most := shown.NRGBAAt(19, 5)
	assert.Greater(t, most.R, most.B, "far apart is red")
}
