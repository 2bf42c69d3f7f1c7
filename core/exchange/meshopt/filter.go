package meshopt

import (
	"encoding/binary"
	"fmt"
	"math"
	"math/bits"
)

// Filter undoes what was done to attributes before they were packed, in place. The filters are NONE,
// OCTAHEDRAL, QUATERNION, EXPONENTIAL and COLOR; "" is NONE.
func Filter(name string, data []byte, stride int) error {
	wrong := func(allowed string) error {
		return fmt.Errorf("the filter %s takes elements of %s bytes, not of %d", name, allowed, stride)
	}
	switch name {
	case "", "NONE":
	case "OCTAHEDRAL":
		switch stride {
		case 4:
			octahedral(data, stride, func(p []byte) float64 { return float64(int8(p[0])) }, func(p []byte, v float64) { p[0] = byte(int8(v)) }, 1, math.MaxInt8)
		case 8:
			octahedral(data, stride, short, putShort, 2, math.MaxInt16)
		default:
			return wrong("4 or 8")
		}
	case "QUATERNION":
		if stride != 8 {
			return wrong("8")
		}
		for ; len(data) >= 8; data = data[8:] {
			quaternion(data)
		}
	case "EXPONENTIAL":
		if stride%4 != 0 {
			return wrong("4, 8 and so on")
		}
		for ; len(data) >= 4; data = data[4:] {
			v := int32(binary.LittleEndian.Uint32(data))
			f := math.Ldexp(float64(v<<8>>8), int(v>>24))
			binary.LittleEndian.PutUint32(data, math.Float32bits(float32(f)))
		}
	case "COLOR":
		switch stride {
		case 4:
			colors(data, stride, func(p []byte) int { return int(p[0]) }, func(p []byte, v int) { p[0] = byte(v) }, 1)
		case 8:
			colors(data, stride, func(p []byte) int { return int(binary.LittleEndian.Uint16(p)) }, func(p []byte, v int) { binary.LittleEndian.PutUint16(p, uint16(v)) }, 2)
		default:
			return wrong("4 or 8")
		}
	default:
		return fmt.Errorf("%q is no filter; there are NONE, OCTAHEDRAL, QUATERNION, EXPONENTIAL and COLOR", name)
	}
	return nil
}

func short(p []byte) float64       { return float64(int16(binary.LittleEndian.Uint16(p))) }
func putShort(p []byte, v float64) { binary.LittleEndian.PutUint16(p, uint16(int16(v))) }

// octahedral turns places on an octahedron into unit vectors. The third number is what 1 is there; the fourth is
// left as it is.
func octahedral(data []byte, stride int, get func([]byte) float64, put func([]byte, float64), size int, most float64) {
	for ; len(data) >= stride; data = data[stride:] {
		x, y := get(data), get(data[size:])
		z := get(data[2*size:]) - math.Abs(x) - math.Abs(y)
		fold := math.Min(z, 0) // the lower half is folded outward
		x -= math.Copysign(fold, x)
		y -= math.Copysign(fold, y)
		scale := 0.0
		if length := math.Sqrt(x*x + y*y + z*z); length > 0 {
			scale = most / length
		}
		for i, v := range [3]float64{x, y, z} {
			put(data[i*size:], math.Round(v*scale))
		}
	}
}

// quaternion restores the largest of four numbers from the other three. The lowest two bits of the last one tell
// which it is.
func quaternion(p []byte) {
	last := int(binary.LittleEndian.Uint16(p[6:]))
	scale := 1 / math.Sqrt2 / short([]byte{p[6] | 3, p[7]})
	x, y, z := short(p)*scale, short(p[2:])*scale, short(p[4:])*scale
	w := math.Sqrt(math.Max(0, 1-x*x-y*y-z*z))
	for i, v := range [4]float64{x, y, z, w} {
		putShort(p[(last+1+i)&3*2:], math.Round(v*math.MaxInt16))
	}
}

// colors turns luma with two chroma parts (YCoCg) and alpha into red, green, blue and alpha. The highest bit of alpha
// that is set tells how many bits the colour has.
func colors(data []byte, stride int, get func([]byte) int, put func([]byte, int), size int) {
	most := 1<<(8*size) - 1
	signed := func(v int) int { return v << (64 - 8*size) >> (64 - 8*size) }
	for ; len(data) >= stride; data = data[stride:] {
		y, co, cg, a := get(data), signed(get(data[size:])), signed(get(data[2*size:])), get(data[3*size:])
		full := 1<<bits.Len(uint(a)) - 1
		a = a<<1&full | a&1
		scale := 0.0
		if full > 0 {
			scale = float64(most) / float64(full)
		}
		for i, v := range [4]int{y + co - cg, y + cg, y - co - cg, a} {
			put(data[i*size:], int(math.Round(float64(v)*scale)))
		}
	}
}
