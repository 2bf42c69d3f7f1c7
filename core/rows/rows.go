// Package rows holds the light of several sources on patches or texels, a row for each, as
// float32 to compute with and as half-floats to keep.
package rows

import (
	"context"
	"math"

	"grotta/core/half"
	"grotta/core/layer"
	"grotta/core/parallel"
)

// Table holds values on patches or texels for some sources. A row is one patch or texel:
// three float32 for each source, padded to a multiple of eight.
type Table struct {
	v       []float32
	columns int
}

// New returns a table of zeros.
func New(rows, sources int) Table {
	columns := Columns(sources)
	return Table{make([]float32, rows*columns), columns}
}

// Columns is the length of a row for a number of sources.
func Columns(sources int) int { return (3*sources + 7) &^ 7 }

// Row is one row. Writing to it changes the table.
func (t *Table) Row(i int) []float32 { return t.v[i*t.columns : (i+1)*t.columns : (i+1)*t.columns] }

// After is the part of the table from a row on.
func (t *Table) After(row int) Table { return Table{t.v[row*t.columns:], t.columns} }

// Shift moves the rows from one row up to an end to the front.
func (t *Table) Shift(from, end int) { copy(t.v, t.v[from*t.columns:end*t.columns]) }

// Halves is a table of half-floats. Each source has its own power of two, so its values do
// not depend on the other sources.
type Halves struct {
	v       []uint16
	columns int
	scale   []float32 // of each column: what its values are times
}

// NewHalves returns a table of zeros.
func NewHalves(rows, sources int) *Halves {
	columns := Columns(sources)
	return &Halves{make([]uint16, rows*columns), columns, make([]float32, columns)}
}

// Put rounds the values of a source, one for each row, into its columns. A factor is applied
// when they are read. It ends early with the context's error.
func (h *Halves) Put(ctx context.Context, from [][4]float32, source int, factor float32) error {
	brightest := float32(0)
	for k := range from {
		brightest = max(brightest, from[k][0], from[k][1], from[k][2])
	}
	e, first := layer.ExponentFor(brightest), 3*source
	for c := range 3 {
		h.scale[first+c] = factor * float32(math.Ldexp(1, e))
	}
	return parallel.Steps(ctx, len(from), 4096, func(a, b int) {
		var values [8]float32
		var packed [8]uint16
		for k := a; k < b; k++ {
			copy(values[:], from[k][:3])
			half.Encode(packed[:], values[:], float32(math.Ldexp(1, -e)))
			copy(h.v[k*h.columns+first:][:3], packed[:])
		}
	}, nil)
}

// Mean writes the sum of some rows over a count into a row of float32.
func (h *Halves) Mean(row []float32, of []uint32, count int) {
	half.SumHalfRows(row, h.v, of)
	for c := range row {
		row[c] *= h.scale[c] / float32(count)
	}
}
