// Package half turns float32 into IEEE 754 half-floats and adds scaled runs of
// them, and runs of float32: the inner loops of packing a layer, of a mix and
// of bounced light. Where the processor has F16C they are assembly
// (kernel_amd64.s, which kernel/ generates), else Go; both round alike.
package half

import (
	"slices"
	"sync"

	"github.com/x448/float16"
)

// Group is how many values the loops take at a time: eight texels.
const Group = 24

// values decodes every half-float there is, for machines without F16C.
var values = sync.OnceValue(func() *[1 << 16]float32 {
	var t [1 << 16]float32
	for i := range t {
		t[i] = float16.Frombits(uint16(i)).Float32()
	}
	return &t
})

// AddScaled adds rows of red, green and blue in turn, times a weight for each, to
// rows of to that begin stride apart. The width of a row is a multiple of Group;
// from holds whole rows.
func AddScaled(to []float32, stride int, from []uint16, width int, weight [3]float32) {
	if width <= 0 || width%Group != 0 || len(from)%width != 0 || stride < width {
		panic("half: rows are of whole groups, and lie apart")
	}
	rows := len(from) / width
	if rows == 0 {
		return
	}
	to = to[:(rows-1)*stride+width]
	if fast {
		var w [Group]float32
		for i := range w {
			w[i] = weight[i%3]
		}
		addScaledF16C(&to[0], &from[0], &w[0], int64(rows), int64(width/Group), int64(4*(stride-width)))
		return
	}
	addScaled(to, stride, from, width, weight)
}

func addScaled(to []float32, stride int, from []uint16, width int, weight [3]float32) {
	value := values()
	for at := 0; at < len(from); at += width {
		row := to[at/width*stride:][:width]
		for k, v := range from[at : at+width] {
			row[k] += float32(weight[k%3] * value[v])
		}
	}
}

// AddTimes adds a weight times from to as many values of to. The length is a
// multiple of eight.
func AddTimes(to, from []float32, weight float32) {
	from = from[:len(to)]
	if fast && len(to) > 0 && len(to)%8 == 0 {
		addTimesAVX(&to[0], &from[0], int64(len(to)/8), weight)
		return
	}
	addTimes(to, from, weight)
}

func addTimes(to, from []float32, weight float32) {
	for i, v := range from {
		to[i] += float32(weight * v)
	}
}

// SumRows writes the sum of some rows of a table, each as long as the sum. The
// length is a multiple of eight.
func SumRows(to, table []float32, rows []uint32) {
	if fast && len(rows) > 0 && len(to) > 0 && len(to)%8 == 0 {
		_ = table[len(to)*(int(slices.Max(rows))+1)-1]
		sumRowsAVX(&to[0], &table[0], &rows[0], int64(len(rows)), int64(len(to)/8), int64(4*len(to)))
		return
	}
	sumRows(to, table, rows)
}

func sumRows(to, table []float32, rows []uint32) {
	clear(to)
	for _, row := range rows {
		for i, v := range table[int(row)*len(to) : (int(row)+1)*len(to)] {
			to[i] += v
		}
	}
}

// Encode writes scale times from as half-floats, rounded to the nearest, ties to
// even. The length is a multiple of eight.
func Encode(to []uint16, from []float32, scale float32) {
	to = to[:len(from)]
	if fast && len(from) > 0 && len(from)%8 == 0 {
		encodeF16C(&to[0], &from[0], scale, int64(len(from)/8))
		return
	}
	encode(to, from, scale)
}

// Inf and MinusInf are the half-floats beyond all others.
const Inf, MinusInf = 0x7c00, 0xfc00

// Decode is the value of one half-float.
func Decode(h uint16) float32 { return float16.Frombits(h).Float32() }

// Below is the largest half-float that is not above v.
func Below(v float32) uint16 {
	h := float16.Fromfloat32(v).Bits()
	if Decode(h) > v {
		if v < 0 {
			return h + 1 // below 0 larger bits are less
		}
		return h - 1
	}
	return h
}

// Above is the least half-float that is not below v.
func Above(v float32) uint16 { return Below(-v) ^ 0x8000 }

func encode(to []uint16, from []float32, scale float32) {
	for i, v := range from {
		to[i] = float16.Fromfloat32(v * scale).Bits()
	}
}
