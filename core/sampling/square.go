package sampling

import (
	"math"
	"math/bits"

	"grotta/core/geom"
)

// Cells are those of a square's 4 by 4 parts that count: a bit for each, along a curve (Morton,
// 1966), so that each four that follow each other are a quarter.
type Cells uint16

// AllCells are all parts of a square.
const AllCells Cells = 1<<CellCount - 1

// CellCount is how many parts a square has.
const CellCount = 16

// CellAt is where part i lies in the square, from 0 to 3 along each side.
func CellAt(i int) (x, y int) { return i&1 | i>>1&2, i>>1&1 | i>>2&2 }

// Has tells whether the part at a place is one of them.
func (c Cells) Has(x, y int) bool { return c>>(x&1|y&1<<1|x&2<<1|y&2<<2)&1 != 0 }

// Square is a square in the level, or a part of one.
type Square struct {
	U, V   geom.Vec3 // its sides
	Middle geom.Vec3
	Cells  Cells
}

// Spread fills a list with places that lie evenly over a square's parts. turn decides which.
// A power of two of them in a whole square form a net: each of as many strips along either side has one (Niederreiter,
// "Low-discrepancy and low-dispersion sequences", 1988), so that stripes of light are counted well.
func (s *Square) Spread(places []geom.Vec3, turn float64) []geom.Vec3 {
	if n := len(places); s.Cells == AllCells && n&(n-1) == 0 {
		s.net(places, turn)
		return places
	}
	var cells [CellCount]uint8
	count := 0
	for left := s.Cells; left != 0; left &= left - 1 {
		cells[count] = uint8(bits.TrailingZeros16(uint16(left)))
		count++
	}
	if count == 0 {
		return places[:0]
	}
	su, sv := Shifts(turn)
	stride := count / len(places)
	which := int(su * float64(max(stride, 1)))
	shift := su * CellCount
	for i := range places {
		x, y := CellAt(int(cells[(i*count/len(places)+which)%count]))
		a, b := shift+float64(i)*r2U, sv+float64(i)*r2V
		a, b = float64(x)+a-math.Floor(a), float64(y)+b-math.Floor(b)
		places[i] = s.Middle.Add(s.U.Mul(a/4 - 0.5)).Add(s.V.Mul(b/4 - 0.5))
	}
	return places
}

// net fills a list, whose length is a power of two, with a Hammersley net whose strips change places (Pair shifts it instead,
// which would part it from the square's parts). The order of its points has little to do with where they lie, as each is
// paired with another sample by its number.
func (s *Square) net(places []geom.Vec3, turn float64) {
	n := uint32(len(places))
	su, sv := Shifts(turn)
	flipU, flipV, step := uint32(su*float64(n))&(n-1), uint32(sv*float64(n))&(n-1), uint32(goldenShare*float64(n))|1
	for i := range n {
		k := i * step & (n - 1)
		du, dv := su*CellCount+float64(i)*r2U, sv*CellCount+float64(i)*r2V // within its strips
		u := float64(uint32(radicalInverse(k)*float64(n))^flipU) + du - math.Floor(du)
		v := float64(k^flipV) + dv - math.Floor(dv)
		places[i] = s.Middle.Add(s.U.Mul(u/float64(n) - 0.5)).Add(s.V.Mul(v/float64(n) - 0.5))
	}
}

const goldenShare = 0.6180339887498949

// Roberts' R2 sequence, 2018
const (
	r2U = 0.7548776662466927
	r2V = 0.5698402909980532
)
