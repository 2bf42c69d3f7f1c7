package picture

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"

	"grotta/core/half"
)

// exrRows is how many rows a block of ZIP compression has.
const exrRows = 16

// EncodeEXR writes a picture as OpenEXR 2: one part, scan lines, channels R, G and B as half-floats,
// ZIP compression. Values beyond the range of a half-float must be scaled by the caller. The layout
// is that of "OpenEXR File Layout" (openexr.com).
func EncodeEXR(p *Picture) []byte {
	var b bytes.Buffer
	put := func(v any) { binary.Write(&b, binary.LittleEndian, v) }
	put([]byte{0x76, 0x2f, 0x31, 0x01})
	put(uint32(2)) // version; no flags: scan lines of one part
	attribute := func(name, kind string, value []byte) {
		b.WriteString(name + "\x00" + kind + "\x00")
		put(uint32(len(value)))
		b.Write(value)
	}
	var channels bytes.Buffer
	for _, name := range []string{"B", "G", "R"} { // in alphabetical order
		channels.WriteString(name + "\x00")
		binary.Write(&channels, binary.LittleEndian, []int32{1, 0, 1, 1}) // half, not perceptually linear, no subsampling
	}
	channels.WriteByte(0)
	attribute("channels", "chlist", channels.Bytes())
	attribute("compression", "compression", []byte{3}) // ZIP, 16 rows
	window := numbers(int32(0), int32(0), int32(p.Width-1), int32(p.Height-1))
	attribute("dataWindow", "box2i", window)
	attribute("displayWindow", "box2i", window)
	attribute("lineOrder", "lineOrder", []byte{0}) // from the top
	attribute("pixelAspectRatio", "float", numbers(float32(1)))
	attribute("screenWindowCenter", "v2f", numbers(float32(0), float32(0)))
	attribute("screenWindowWidth", "float", numbers(float32(1)))
	b.WriteByte(0)

	blocks := (p.Height + exrRows - 1) / exrRows
	table := b.Len()
	b.Write(make([]byte, 8*blocks))
	for k := range blocks {
		binary.LittleEndian.PutUint64(b.Bytes()[table+8*k:], uint64(b.Len()))
		first := k * exrRows
		raw := exrBlock(p, first, min(first+exrRows, p.Height))
		packed := zipped(raw)
		if len(packed) >= len(raw) {
			packed = raw // as the format wants it
		}
		put(int32(first))
		put(uint32(len(packed)))
		b.Write(packed)
	}
	return b.Bytes()
}

// numbers are little-endian bytes of numbers.
func numbers[T int32 | float32](list ...T) []byte {
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, list)
	return b.Bytes()
}

// exrBlock are rows as half-floats, each row channel by channel.
func exrBlock(p *Picture, from, to int) []byte {
	channel, halves := make([]float32, p.Width), make([]uint16, p.Width)
	out := make([]byte, 0, 6*p.Width*(to-from))
	for y := from; y < to; y++ {
		row := p.Pix[3*y*p.Width:]
		for c := 2; c >= 0; c-- { // B, G, R
			for x := range channel {
				channel[x] = row[3*x+c]
			}
			half.Encode(halves, channel, 1)
			for _, h := range halves {
				out = binary.LittleEndian.AppendUint16(out, h)
			}
		}
	}
	return out
}

// zipped is a block as ZIP compression has it: even bytes before odd ones, each as the difference to
// the one before, then deflated.
func zipped(raw []byte) []byte {
	apart := make([]byte, 0, len(raw))
	for start := range 2 {
		for i := start; i < len(raw); i += 2 {
			apart = append(apart, raw[i])
		}
	}
	for i := len(apart) - 1; i > 0; i-- {
		apart[i] = apart[i] - apart[i-1] + 128
	}
	var b bytes.Buffer
	w := zlib.NewWriter(&b)
	w.Write(apart) // into memory, which does not fail
	w.Close()
	return b.Bytes()
}
