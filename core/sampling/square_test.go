package sampling

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
)

func unitSquare(cells Cells) *Square {
	return &Square{U: geom.Vec3{1, 0, 0}, V: geom.Vec3{0, 0, 1}, Cells: cells}
}

// cellOfPlace is the part of the unit square that a place is in.
func cellOfPlace(p geom.Vec3) (x, y int) {
	return int(math.Floor((p[0] + 0.5) * 4)), int(math.Floor((p[2] + 0.5) * 4))
}

// Sixteen places take each part once; four take a part of each quarter.
func TestPlacesSpreadOverTheSquare(t *testing.T) {
	for turn := 0.1; turn < 2*math.Pi; turn += 0.37 {
		var room [16]geom.Vec3
		places := unitSquare(AllCells).Spread(room[:], turn)
		require.Len(t, places, 16)
		seen := map[[2]int]bool{}
		for _, p := range places {
			x, y := cellOfPlace(p)
			seen[[2]int{x, y}] = true
		}
		assert.Len(t, seen, 16, "turn %v", turn)

		quarters := map[[2]int]bool{}
		for _, p := range unitSquare(AllCells).Spread(room[:4], turn) {
			x, y := cellOfPlace(p)
			quarters[[2]int{x / 2, y / 2}] = true
		}
		assert.Len(t, quarters, 4, "turn %v", turn)
	}
}

// A power of two of places is a net: each of as many strips along either side has one, and each of as many parts of a shape
// between.
func TestPlacesOfAWholeSquareAreANet(t *testing.T) {
	for _, n := range []int{4, 16, 64, 256} {
		for turn := 0.1; turn < 8*math.Pi; turn += 0.37 { // more than once round, as some sources turn it
			places := unitSquare(AllCells).Spread(make([]geom.Vec3, n), turn)
			for across := 1; across <= n; across *= 2 {
				seen := map[[2]int]bool{}
				for _, p := range places {
					assert.LessOrEqual(t, max(math.Abs(p[0]), math.Abs(p[2])), 0.5)
					seen[[2]int{int(math.Floor((p[0] + 0.5) * float64(across))), int(math.Floor((p[2] + 0.5) * float64(n/across)))}] = true
				}
				assert.Len(t, seen, n, "%d places in %d by %d parts, turn %v", n, across, n/across, turn)
			}
		}
	}
}

// Stripes of light that are narrower than a square are counted to a few hundredths of it.
func TestPlacesCountStripes(t *testing.T) {
	for _, pitch := range []float64{0.2, 0.37, 0.66} {
		sum, n := 0.0, 0
		for turn := 0.0; turn < 2*math.Pi; turn += 0.1 {
			for phase := 0.0; phase < 1; phase += 0.1 {
				lit, want := 0.0, 0.0
				is := func(x float64) float64 {
					if _, part := math.Modf((x+0.5)/pitch + phase); part < 0.5 {
						return 1
					}
					return 0
				}
				for _, p := range unitSquare(AllCells).Spread(make([]geom.Vec3, 64), turn) {
					lit += is(p[0]) / 64
				}
				const fine = 4096
				for k := range fine {
					want += is((float64(k)+0.5)/fine-0.5) / fine
				}
				sum, n = sum+(lit-want)*(lit-want), n+1
			}
		}
		assert.Less(t, math.Sqrt(sum/float64(n)), 0.03, "stripes of %v", pitch)
	}
}

// Places lie in the parts that count alone, and in all of those.
func TestPlacesKeepToTheirParts(t *testing.T) {
	for _, cells := range []Cells{1, 0x8000, 0x00ff, 0x1248, 0x7fff} {
		var room [16]geom.Vec3
		used := Cells(0)
		for _, p := range unitSquare(cells).Spread(room[:], 1) {
			x, y := cellOfPlace(p)
			for i := range CellCount {
				if cx, cy := CellAt(i); cx == x && cy == y {
					require.NotZero(t, cells>>i&1, "%016b", cells)
					used |= 1 << i
				}
			}
		}
		assert.Equal(t, cells, used)
	}
	var room [4]geom.Vec3
	assert.Empty(t, unitSquare(0).Spread(room[:], 1))
}

// Over many turns the places are even: the mean of a slope is that of its middle.
func TestPlacesAreEvenOverTurns(t *testing.T) {
	sum, n := geom.Vec3{}, 0
	for k := range 2000 {
		var room [4]geom.Vec3
		for _, p := range unitSquare(AllCells).Spread(room[:], Turn(7, uint64(k))) {
			sum, n = sum.Add(p), n+1
		}
	}
	assert.InDelta(t, 0, sum[0]/float64(n), 0.01)
	assert.InDelta(t, 0, sum[2]/float64(n), 0.01)
}

// The parts follow a curve: each four that follow each other are a quarter.
func TestCellsOfAQuarterFollowEachOther(t *testing.T) {
	for first := 0; first < CellCount; first += 4 {
		x0, y0 := CellAt(first)
		for i := first; i < first+4; i++ {
			x, y := CellAt(i)
			assert.Equal(t, x0/2, x/2)
			assert.Equal(t, y0/2, y/2)
		}
	}
}

func TestCellsHaveTheirPlaces(t *testing.T) {
	for i := range CellCount {
		x, y := CellAt(i)
		for j := range CellCount {
			a, b := CellAt(j)
			assert.Equal(t, i == j, Cells(1<<i).Has(a, b), "%d, %d in %d, %d", a, b, x, y)
		}
	}
}
