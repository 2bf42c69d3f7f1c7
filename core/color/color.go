// Package color holds linear light colours and their encodings.
//
// All arithmetic in Grotta happens in linear Rec. 709 primaries with the D65
// white point. Documents and screens hold sRGB; this package converts at that
// edge and nowhere else. It knows nothing of lights, levels or pictures.
package color

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Linear is a colour in linear Rec. 709: red, green, blue. Values are relative
// (a colour) or photometric (lux, nits), as the holder says.
type Linear [3]float64

// White has luminance 1.
var White = Linear{1, 1, 1}

// Luminance is the Y of CIE 1931 for Rec. 709 primaries (ITU-R BT.709-6).
func (c Linear) Luminance() float64 {
	return 0.2126*c[0] + 0.7152*c[1] + 0.0722*c[2]
}

// Scale multiplies every channel by k.
func (c Linear) Scale(k float64) Linear { return Linear{c[0] * k, c[1] * k, c[2] * k} }

// Add sums two colours channel by channel.
func (c Linear) Add(d Linear) Linear { return Linear{c[0] + d[0], c[1] + d[1], c[2] + d[2]} }

// Mul multiplies two colours channel by channel.
func (c Linear) Mul(d Linear) Linear { return Linear{c[0] * d[0], c[1] * d[1], c[2] * d[2]} }

// Lerp goes from c at t=0 to d at t=1.
func (c Linear) Lerp(d Linear, t float64) Linear { return c.Scale(1 - t).Add(d.Scale(t)) }

// DecodeSRGB turns one encoded channel in [0,1] into linear light (IEC 61966-2-1).
func DecodeSRGB(v float64) float64 {
	if v <= 0.04045 {
		return v / 12.92
	}
	return math.Pow((v+0.055)/1.055, 2.4)
}

// EncodeSRGB turns one linear channel into its sRGB encoding (IEC 61966-2-1).
// Values outside [0,1] are clamped, as a display does.
func EncodeSRGB(v float64) float64 {
	switch {
	case !(v > 0):
		return 0
	case v >= 1:
		return 1
	case v <= 0.0031308:
		return v * 12.92
	}
	return 1.055*math.Pow(v, 1/2.4) - 0.055
}

// ParseHex reads "#rrggbb" as sRGB, or "#rrrrggggbbbb", which has 16 bits for each channel.
func ParseHex(s string) (Linear, error) {
	n, err := strconv.ParseUint(strings.TrimPrefix(s, "#"), 16, 64)
	if err != nil || !strings.HasPrefix(s, "#") || len(s) != 7 && len(s) != 13 {
		return Linear{}, fmt.Errorf("%q is not a colour: write #rrggbb, such as #ffd9a0, or #rrrrggggbbbb", s)
	}
	bits := 8 * (len(s) / 6)
	full := uint64(1)<<bits - 1
	var c Linear
	for i := range c {
		c[i] = DecodeSRGB(float64(n>>(bits*(2-i))&full) / float64(full))
	}
	return c, nil
}

// Swatch is c with its brightest channel at 1, and how many times as bright c is. A lamp of a low temperature and
// luminance 1 has more than 1 in red: as a hex it would be clipped to yellow.
func (c Linear) Swatch() (full Linear, times float64) {
	if times = max(c[0], c[1], c[2]); times <= 0 {
		return c, 1
	}
	return c.Scale(1 / times), times
}

// Hex writes the colour as "#rrggbb" in sRGB, clamped to what that can hold.
func (c Linear) Hex() string { return c.hex(8) }

// Exact is Hex where that is c to a hundred thousandth, and else "#rrrrggggbbbb", which is within 2e-5 of c.
func (c Linear) Exact() string {
	short := c.Hex()
	read, _ := ParseHex(short)
	for i := range c {
		if math.Abs(read[i]-min(max(c[i], 0), 1)) > 1e-5 {
			return c.hex(16)
		}
	}
	return short
}

func (c Linear) hex(bits int) string {
	full := float64(uint(1)<<bits - 1)
	code := "#"
	for _, v := range c {
		code += fmt.Sprintf("%0*x", bits/4, int(math.Round(EncodeSRGB(v)*full)))
	}
	return code
}
