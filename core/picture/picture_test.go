package picture_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/picture"
)

func asPNG(t testing.TB, img image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

func two() *image.NRGBA {
	img := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	img.SetNRGBA(0, 0, color.NRGBA{255, 0, 0, 255})
	img.SetNRGBA(1, 0, color.NRGBA{128, 128, 128, 64})
	return img
}

// The means of an image: linear by IEC 61966-2-1, and of what is stored.
func TestMean(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 3, 70)) // more rows than are read at once
	for i := range 3 * 70 {
		img.SetNRGBA(i%3, i/3, color.NRGBA{uint8(i % 3 * 100), 0, 51, 255})
	}
	m, err := picture.Mean(asPNG(t, img))
	require.NoError(t, err)
	assert.InDeltaSlice(t, []float64{300.0 / 3 / 255, 0, 0.2}, m.Stored[:], 1e-9)
	p, err := picture.Decode(asPNG(t, img))
	require.NoError(t, err)
	red := 0.0
	for x := range 3 {
		red += p.At((float64(x)+0.5)/3, 0.5)[0] / 3
	}
	assert.InDelta(t, red, m.Linear[0], 1e-6)
	for _, bad := range [][]byte{nil, []byte("#?RADIANCE\n"), asPNG(t, img)[:60]} {
		_, err := picture.Mean(bad)
		assert.Error(t, err)
	}
}

// sRGB is decoded (IEC 61966-2-1): 128 is 0.2159 linear.
func TestPNG(t *testing.T) {
	p, err := picture.Decode(asPNG(t, two()))
	require.NoError(t, err)
	assert.Equal(t, 2, p.Width)
	assert.InDelta(t, 1, p.At(0.25, 0.5)[0], 1e-6)
	assert.InDelta(t, 0.21586, p.At(0.75, 0.5)[1], 1e-4)
	assert.InDelta(t, (1+0.21586)/2, p.At(0.5, 0.5)[0], 1e-4, "half way between two pixels")
	assert.Equal(t, p.At(0.25, 0.5), p.At(1.25, -3.5), "it repeats")
	assert.True(t, p.Opaque(0.25, 0.5, 0.5))
	assert.False(t, p.Opaque(0.75, 0.5, 0.5))
	assert.True(t, p.Opaque(0.75, 0.5, 0.2))
	assert.InDelta(t, (1+0.21586)/2, p.Mean()[0], 1e-4)
}

func TestJPEGAndWithoutAlpha(t *testing.T) {
	img := image.NewGray(image.Rect(0, 0, 16, 16))
	for i := range img.Pix {
		img.Pix[i] = 188
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, img, nil))
	p, err := picture.Decode(b.Bytes())
	require.NoError(t, err)
	assert.Nil(t, p.Alpha)
	assert.InDelta(t, 0.5029, p.At(0.5, 0.5)[0], 0.01)
	assert.True(t, p.Opaque(0, 0, 1))
}

// hdr writes a flat or run-length encoded Radiance image of one colour.
func hdr(width, height int, rgbe [4]byte, runs bool) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, "#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y %d +X %d\n", height, width)
	for range height {
		if !runs {
			for range width {
				b.Write(rgbe[:])
			}
			continue
		}
		b.Write([]byte{2, 2, byte(width >> 8), byte(width)})
		for c := range 4 {
			b.Write([]byte{byte(128 + width - 1), rgbe[c], 1, rgbe[c]}) // a run, then a literal
		}
	}
	return b.Bytes()
}

// A mantissa of m with exponent e is m x 2^(e-136) (Ward, 1991).
func TestHDR(t *testing.T) {
	for _, runs := range []bool{false, true} {
		p, err := picture.Decode(hdr(9, 3, [4]byte{128, 64, 0, 132}, runs))
		require.NoError(t, err)
		assert.Equal(t, 3, p.Height)
		for c, want := range []float64{8, 4, 0} {
			assert.InDelta(t, want, p.At(0.5, 0.5)[c], 1e-6)
		}
	}
}

func TestOnePixel(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 1, 1))
	img.SetNRGBA(0, 0, color.NRGBA{0, 255, 0, 255})
	p, err := picture.Decode(asPNG(t, img))
	require.NoError(t, err)
	for _, at := range [][2]float64{{0, 0}, {0.99, 0.5}, {-7, 3}} {
		assert.InDelta(t, 1, p.At(at[0], at[1])[1], 1e-9)
	}
	assert.Equal(t, p.Width, p.Shrink(8).Width)
}

func TestShrinkKeepsTheMean(t *testing.T) {
	img := image.NewNRGBA(image.Rect(0, 0, 64, 32))
	for y := range 32 {
		for x := range 64 {
			img.SetNRGBA(x, y, color.NRGBA{uint8(x * 4), uint8(y * 8), 40, 255})
		}
	}
	p, err := picture.Decode(asPNG(t, img))
	require.NoError(t, err)
	small := p.Shrink(16)
	assert.Equal(t, []int{16, 8}, []int{small.Width, small.Height})
	for c := range 3 {
		assert.InDelta(t, p.Mean()[c], small.Mean()[c], 1e-6)
	}
}

func TestWhatCannotBeReadSaysWhy(t *testing.T) {
	whole := asPNG(t, two())
	huge := bytes.Clone(whole)
	copy(huge[16:24], []byte{0, 0, 0x40, 0, 0, 0, 0x40, 0}) // 16384 by 16384, said by the header
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"nothing":            {nil, "is no PNG, JPEG or Radiance HDR image"},
		"text":               {[]byte("hello"), "is no PNG"},
		"cut off":            {whole[:len(whole)-20], "cannot be read"},
		"16k by 16k":         {huge, "cannot be"},
		"HDR header cut":     {[]byte("#?RADIANCE\nFORMAT="), "within the header"},
		"HDR other format":   {[]byte("#?RADIANCE\nFORMAT=32-bit_rle_xyze\n\n-Y 1 +X 1\n"), "32-bit_rle_xyze"},
		"HDR bottom up":      {[]byte("#?RADIANCE\n\n+Y 1 +X 1\n"), "size line"},
		"HDR cut":            {hdr(9, 3, [4]byte{1, 2, 3, 130}, true)[:70], "row"},
		"HDR said to be big": {[]byte("#?RADIANCE\n\n-Y 4000 +X 8000\nxx"), "cannot hold them"},
		"HDR too big":        {[]byte("#?RADIANCE\n\n-Y 16384 +X 16384\n"), "the most is"},
		"HDR long run":       {append([]byte("#?RADIANCE\n\n-Y 1 +X 9\n"), 2, 2, 0, 9, 128+100, 5), "past the width"},
	} {
		if name == "16k by 16k" { // the checksum is wrong too: refused either way, before memory is taken
			_, err := picture.Decode(c.data)
			assert.Error(t, err, name)
			continue
		}
		_, err := picture.Decode(c.data)
		assert.ErrorContains(t, err, c.want, name)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(asPNG(f, two()))
	f.Add(hdr(9, 3, [4]byte{128, 64, 0, 132}, true))
	f.Add(hdr(9, 3, [4]byte{128, 64, 0, 132}, false))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := picture.Decode(data)
		if err != nil {
			return
		}
		for _, v := range p.Pix {
			if math.IsNaN(float64(v)) || math.IsInf(float64(v), 0) || v < 0 {
				t.Fatalf("a pixel of %v", v)
			}
		}
	})
}

// What is written is read back within the eight bits that a pixel keeps.
func TestHDRRoundTrip(t *testing.T) {
	p := &picture.Picture{Width: 40, Height: 3, Pix: make([]float32, 3*40*3)}
	for i := range p.Pix {
		p.Pix[i] = float32(math.Exp(float64(i%37) - 18))
	}
	p.Pix[0], p.Pix[1], p.Pix[2] = 0, 0, 0
	back, err := picture.Decode(picture.EncodeHDR(p))
	require.NoError(t, err)
	for i := 0; i < len(p.Pix); i += 3 {
		most := max(p.Pix[i], p.Pix[i+1], p.Pix[i+2])
		for c := range 3 {
			assert.InDelta(t, p.Pix[i+c], back.Pix[i+c], float64(most)/128+1e-30)
		}
	}
}
