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

// AddOff adds weight·(from-less) to sum and weight·(from-less)² to squares, value by value. The length is a multiple
// of eight.
func AddOff(sum, squares, from, less []float32, weight float32) {
	squares, from, less = squares[:len(sum)], from[:len(sum)], less[:len(sum)]
	if fast && len(sum) > 0 && len(sum)%8 == 0 {
		addOffAVX(&sum[0], &squares[0], &from[0], &less[0], int64(len(sum)/8), weight)
		return
	}
	addOff(sum, squares, from, less, weight)
}

func addOff(sum, squares, from, less []float32, weight float32) {
	for i, v := range from {
		d := float32(v - less[i])
		off := float32(weight * d)
		sum[i] += off
		squares[i] += float32(off * d)
	}
}

// SumHalfRows writes the sum of some rows of a table of half-floats, each as long as
// the sum. The length is a multiple of eight.
func SumHalfRows(to []float32, table []uint16, rows []uint32) {
	if fast && len(rows) > 0 && len(to) > 0 && len(to)%8 == 0 {
		_ = table[len(to)*(int(slices.Max(rows))+1)-1]
		sumHalfRowsF16C(&to[0], &table[0], &rows[0], int64(len(rows)), int64(len(to)/8), int64(2*len(to)))
		return
	}
	sumHalfRows(to, table, rows)
}

func sumHalfRows(to []float32, table []uint16, rows []uint32) {
	clear(to)
	value := values()
	for _, row := range rows {
		for i, v := range table[int(row)*len(to) : (int(row)+1)*len(to)] {
			to[i] += value[v]
		}
	}
}

// A link is how many rows it is behind the one before it, or behind the first row;
// lead is so many rows that no link of its own is there. Links of a row are of whole
// fours: the first may lead to the first row, which is dark.
const lead = 1<<16 - 1

// AppendLinks adds links to some rows, which are in order and count from 0 behind the
// dark one.
func AppendLinks(links []uint16, rows []uint32) []uint16 {
	first, last := len(links), uint32(0)
	for _, row := range rows {
		step := row + 1 - last
		for ; step >= lead; step -= lead {
			links = append(links, lead)
		}
		links, last = append(links, uint16(step)), row+1
	}
	for (len(links)-first)%4 != 0 {
		links = slices.Insert(links, first, 0)
	}
	return links
}

// AppendRows adds the rows that links lead to, without the dark one.
func AppendRows(rows []uint32, links []uint16) []uint32 {
	row := uint32(0)
	for _, step := range links {
		if row += uint32(step); row > 0 && step != lead {
			rows = append(rows, row-1)
		}
	}
	return rows
}

// Bounce writes rows of light: what comes directly and a share of the sum of the rows
// of sent that its links lead to, times its albedo. Row k has links[ends[k]:ends[k+1]];
// the first of sent is dark. There are as many rows as albedos, and every link leads to
// one of sent: this is not looked at again, for speed.
func Bounce(next, direct, sent [][4]float32, links []uint16, ends []uint32, albedo [][4]float32, share float32) {
	rows := len(albedo)
	next, direct, ends = next[:rows], direct[:rows], ends[:rows+1]
	if int(ends[rows]) > len(links) {
		panic("half: rows have links that are not there")
	}
	if !fast || rows == 0 || len(links) == 0 {
		bounce(next, direct, sent, links, ends, albedo, share)
		return
	}
	if len(sent) > lead { // called by name, as what goes through a variable would have to be on the heap
		bounceLeadsAVX(&next[0], &direct[0], &sent[0], &links[0], &ends[0], &albedo[0], int64(rows), share)
	} else {
		bounceAVX(&next[0], &direct[0], &sent[0], &links[0], &ends[0], &albedo[0], int64(rows), share)
	}
}

func bounce(next, direct, sent [][4]float32, links []uint16, ends []uint32, albedo [][4]float32, share float32) {
	for k := range albedo {
		var sums [4][4]float32 // by turns
		row := 0
		for i, step := range links[ends[k]:ends[k+1]] {
			if row += int(step); step != lead {
				for c, v := range sent[row] {
					sums[i%4][c] += v
				}
			}
		}
		for c := range next[k] {
			sum := (sums[0][c] + sums[1][c]) + (sums[2][c] + sums[3][c])
			next[k][c] = float32(float32(sum*share)+direct[k][c]) * albedo[k][c]
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
