package picture_test

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"image/png"
	"io"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/half"
	"grotta/core/picture"
)

func gradient(width, height int) *picture.Picture {
	p := &picture.Picture{Width: width, Height: height, Pix: make([]float32, 3*width*height)}
	for i := range p.Pix {
		p.Pix[i] = float32(i%97) * 0.25
	}
	return p
}

// The eight bits, read by what the encoding says of them, are the light to half a step.
func TestEightBitsHoldLightAsStated(t *testing.T) {
	p := gradient(16, 9)
	const most = 20.0
	for _, encoding := range []string{picture.Linear8, picture.SRGB8, picture.RGBM8} {
		data, cut, err := picture.EncodePNG(p, encoding, most)
		require.NoError(t, err)
		assert.Positive(t, cut, "24 lx is over the range")
		shown, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		for i := range 16 * 9 {
			r, g, b, a := shown.At(i%16, i/16).RGBA()
			for c, v := range []uint32{r, g, b} {
				byteOf := float64(v) / float64(a) // without what RGBA multiplied
				want := min(float64(p.Pix[3*i+c]), most) / most
				switch encoding {
				case picture.SRGB8:
					byteOf, want = color.DecodeSRGB(byteOf), color.DecodeSRGB(color.EncodeSRGB(want))
				case picture.RGBM8:
					byteOf *= float64(a) / 0xffff
				}
				assert.InDelta(t, want, byteOf, 0.006, "%s pixel %d", encoding, i)
			}
		}
	}
}

// A reader of one's own for the layout of the standard; another program reads it in the tests of the
// console.
func TestEXRHoldsHalfFloats(t *testing.T) {
	p := gradient(20, 37)
	data := picture.EncodeEXR(p)
	require.Equal(t, []byte{0x76, 0x2f, 0x31, 0x01, 2, 0, 0, 0}, data[:8])
	at := 8
	text := func() string {
		end := at + bytes.IndexByte(data[at:], 0)
		s := string(data[at:end])
		at = end + 1
		return s
	}
	for {
		name := text()
		if name == "" {
			break
		}
		text()
		size := int(binary.LittleEndian.Uint32(data[at:]))
		if at += 4; name == "dataWindow" {
			assert.Equal(t, uint32(19), binary.LittleEndian.Uint32(data[at+8:]))
			assert.Equal(t, uint32(36), binary.LittleEndian.Uint32(data[at+12:]))
		}
		at += size
	}
	for k := range 3 { // blocks of 16 rows
		block := data[binary.LittleEndian.Uint64(data[at+8*k:]):]
		first, size := int(binary.LittleEndian.Uint32(block)), int(binary.LittleEndian.Uint32(block[4:]))
		assert.Equal(t, 16*k, first)
		rows := min(16, 37-first)
		raw := block[8 : 8+size]
		if size < 6*20*rows {
			r, err := zlib.NewReader(bytes.NewReader(raw))
			require.NoError(t, err)
			packed, err := io.ReadAll(r)
			require.NoError(t, err)
			for i := 1; i < len(packed); i++ {
				packed[i] += packed[i-1] - 128
			}
			raw = make([]byte, len(packed))
			for i := range raw {
				raw[i] = packed[i/2+(i%2)*(len(packed)+1)/2]
			}
		}
		for y := range rows {
			for c, channel := range []int{2, 1, 0} { // B, G, R
				for x := range 20 {
					h := binary.LittleEndian.Uint16(raw[2*((3*y+c)*20+x):])
					require.Equal(t, p.Pix[3*((first+y)*20+x)+channel], half.Decode(h))
				}
			}
		}
	}
}
