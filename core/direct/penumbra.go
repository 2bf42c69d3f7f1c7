package direct

import (
	"iter"
	"math"

	"grotta/core/lightmap"
)

// penumbra is the soft shadow of a source on a chunk of texels. Each texel estimated by a
// few samples how much of the source it sees; averaging neighbours reduces the noise.
type penumbra struct {
	visible     []float64                   // the share of the source that each texel sees
	dark        float64                     // that of one that sees nothing of it
	row, column [lightmap.ChunkTexels]int32 // where each stands; pages lie one below the other
}

// place stores the places of the texels on pages of a width.
func (s *penumbra) place(texels []lightmap.Texel, pageSize int) {
	for i := range texels {
		s.row[i] = texels[i].Index / int32(pageSize)
		s.column[i] = texels[i].Index - s.row[i]*int32(pageSize)
	}
}

// has tells whether a texel sees a part of the source.
func (s *penumbra) has(i int) bool { return s.visible[i] > s.dark && s.visible[i] < 1 }

// beside returns the eight neighbours of a texel and itself, row by row; -1 where there is
// none. Neighbours k and 8-k are opposite.
func (s *penumbra) beside(i int) (all [9]int) {
	for k := range all {
		all[k] = -1
	}
	row, column := s.row[i]-1, s.column[i]-1
	for j := range s.visible {
		// Padding keeps those of other charts and pages farther away.
		if y, x := uint32(s.row[j]-row), uint32(s.column[j]-column); y < 3 && x < 3 {
			all[3*y+x] = j
		}
	}
	return all
}

// smooth returns the texels in the penumbra, each with the factor for its light that gives
// it the mean visibility of itself and its neighbours. Neighbours count in opposite pairs,
// so a linear slope does not change. A pair counts only if its mean differs by no more than
// the noise, so edges and thin shadows stay.
func (s *penumbra) smooth(noise float64) iter.Seq2[int, float64] {
	return func(yield func(int, float64) bool) {
		for i := range s.visible {
			if !s.has(i) {
				continue
			}
			sum, count := s.visible[i], 1.0
			all := s.beside(i)
			for k := range 4 {
				a, b := all[k], all[8-k]
				if a < 0 || b < 0 || !s.has(a) || !s.has(b) {
					continue
				}
				if pair := s.visible[a] + s.visible[b]; math.Abs(pair/2-s.visible[i]) <= noise {
					sum, count = sum+pair, count+2
				}
			}
			if !yield(i, sum/count/s.visible[i]) {
				return
			}
		}
	}
}
