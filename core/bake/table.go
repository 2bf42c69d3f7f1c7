package bake

import (
	"context"
	"math"

	"grotta/core/half"
	"grotta/core/layer"
)

// table holds values on patches or texels for some sources. A row is one patch or texel:
// three float32 for each source, padded to a multiple of eight.
type table struct {
	v       []float32
	columns int
}

func newTable(rows, sources int) table {
	columns := columnsOf(sources)
	return table{make([]float32, rows*columns), columns}
}

func columnsOf(sources int) int { return (3*sources + 7) &^ 7 }

func (t *table) row(i int) []float32 { return t.v[i*t.columns : (i+1)*t.columns : (i+1)*t.columns] }

// after is the part of the table from a row on.
func (t *table) after(row int) table { return table{t.v[row*t.columns:], t.columns} }

// shift moves the rows from one row up to an end to the front.
func (t *table) shift(from, end int) { copy(t.v, t.v[from*t.columns:end*t.columns]) }

// halves is a table of half-floats. Each source has its own power of two, so its values do
// not depend on the other sources.
type halves struct {
	v       []uint16
	columns int
	scale   []float32 // of each column: what its values are times
}

func newHalves(rows, sources int) *halves {
	columns := columnsOf(sources)
	return &halves{make([]uint16, rows*columns), columns, make([]float32, columns)}
}

// put rounds the values of a source into its columns. A factor is applied when they are
// read.
func (h *halves) put(ctx context.Context, from [][4]float32, source int, factor float32) error {
	brightest := float32(0)
	for k := range from {
		brightest = max(brightest, from[k][0], from[k][1], from[k][2])
	}
	e, first := layer.ExponentFor(brightest), 3*source
	for c := range 3 {
		h.scale[first+c] = factor * float32(math.Ldexp(1, e))
	}
	return inParallel(ctx, len(from), 4096, func(a, b int) {
		var values [8]float32
		var packed [8]uint16
		for k := a; k < b; k++ {
			copy(values[:], from[k][:3])
			half.Encode(packed[:], values[:], float32(math.Ldexp(1, -e)))
			copy(h.v[k*h.columns+first:][:3], packed[:])
		}
	}, nil)
}

// mean writes the sum of some rows over a count into a row of float32.
func (h *halves) mean(row []float32, of []uint32, count int) {
	half.SumHalfRows(row, h.v, of)
	for c := range row {
		row[c] *= h.scale[c] / float32(count)
	}
}
