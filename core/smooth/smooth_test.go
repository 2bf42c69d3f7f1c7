package smooth

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/rows"
)

// What stands between cells keeps them apart; what is clear does not.
func TestSurroundings(t *testing.T) {
	s := Survey{U: geom.Vec3{1, 0, 0}, V: geom.Vec3{0, 0, 1}}
	up, wall, side := geom.Vec3{0, 1, 0}, geom.Vec3{1, 0.2, 0}.Normalize(), geom.Vec3{0.3, 0.1, 0.6}.Normalize()
	for range 10 {
		s.Add(geom.Vec3{0, 1, 0.1}.Normalize(), 3, up)
		s.Add(geom.Vec3{-0.7, 0.7, 0}, 2, up)
		s.Add(wall, 0.25/wall[0], geom.Vec3{-3, 0, 0})
		s.Add(side, 0.25/side[0], geom.Vec3{-3, 0, 0}) // the same wall, from one who goes along it
	}
	got := s.Done(10) // ten cells a metre: the wall is two and a half cells off
	assert.True(t, got.Opens(2, 0))
	assert.False(t, got.Opens(3, 0))
	assert.True(t, got.Opens(-4, 0))
	assert.True(t, got.Opens(0, -60))
	assert.True(t, got.Opens(0, 60), "beside the wall")
	assert.InEpsilon(t, 4/(1/3.0+1/2.0+wall[0]/0.25+side[0]/0.25), got.nearM, 1e-5)
}

// plate is a chart of cells with nothing near, in rows; cells in holes are missing.
func plate(width, height int, hole func(x, y int) bool) *Field {
	f := &Field{Reach: 3, Charts: []Cells{{Width: width, Height: height, Step: 1, PerM: 4}}}
	for y := range height {
		for x := range width {
			if hole != nil && hole(x, y) {
				f.CellAt = append(f.CellAt, -1)
				continue
			}
			f.CellAt = append(f.CellAt, int32(len(f.Place)))
			f.Place = append(f.Place, int32(y*width+x))
			f.Around = append(f.Around, Surroundings{nearM: 10, free: [4]uint8{255, 255, 255, 255}})
		}
	}
	return f
}

func smoothed(t *testing.T, f *Field, value func(x, y int) float64, step int) func(cell int) float64 {
	t.Helper()
	from, to := rows.New(len(f.Place), 1), rows.New(len(f.Place), 1)
	for i, place := range f.Place {
		from.Row(i)[0] = float32(value(int(place)%f.Charts[0].Width, int(place)/f.Charts[0].Width))
	}
	require.NoError(t, f.average(t.Context(), 0, len(f.Place), &from, &to, step))
	return func(cell int) float64 { return float64(to.Row(cell)[0]) }
}

// A slope of the light stays as it is, in the middle of a chart and along its edges and corners, as
// far as no neighbour has to count less than nothing.
func TestSmoothingKeepsASlope(t *testing.T) {
	for _, step := range []int{1, 2} {
		f := plate(24, 20, func(x, y int) bool { return x > 10 && x < 14 && y > 8 })
		slope := func(x, y int) float64 { return 50 + 2*float64(x) - 1.5*float64(y) }
		got := smoothed(t, f, slope, step)
		worst, edge, inner := 0.0, 0.0, 0.0
		for i, place := range f.Place {
			x, y := int(place)%24, int(place)/24
			off := math.Abs(got(i) - slope(x, y))
			worst = max(worst, off)
			if x == 0 && y > 5 && y < 14 {
				edge = max(edge, off)
			}
			if x > 4 && x < 7 && y > 5 && y < 14 {
				inner = max(inner, off)
			}
		}
		// One side alone, with these weights, would be off by 1.3 at an edge across which light falls by
		// 2 a cell, and by 2.3 in a corner.
		assert.Less(t, edge, 1.0*float64(step), "step %d", step)
		assert.Less(t, worst, 1.7*float64(step), "step %d: in corners", step)
		assert.Less(t, inner, 1e-4, "step %d", step)
	}
}

// Noise gets less, and light does not get lost: the mean over a chart stays.
func TestSmoothingTakesNoiseAndNoLight(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	noise := map[[2]int]float64{}
	f := plate(40, 40, nil)
	got := smoothed(t, f, func(x, y int) float64 {
		noise[[2]int{x, y}] = 10 + random.NormFloat64()
		return noise[[2]int{x, y}]
	}, 1)
	before, after, sum, was := 0.0, 0.0, 0.0, 0.0
	for i, place := range f.Place {
		v := noise[[2]int{int(place) % 40, int(place) / 40}]
		before, after = before+(v-10)*(v-10), after+(got(i)-10)*(got(i)-10)
		sum, was = sum+got(i), was+v
	}
	assert.Less(t, after, before/8)
	assert.InEpsilon(t, was, sum, 0.005)
}

// Nothing passes from cells behind a wall, and light is never less than nothing.
func TestSmoothingStopsAtWallsAndAtZero(t *testing.T) {
	f := plate(12, 12, nil)
	for i, place := range f.Place {
		a := &f.Around[i]
		if x := int(place) % 12; x < 6 { // a wall between the columns 5 and 6
			a.free[0] = uint8(4*(5-x) + 2)
		} else {
			a.free[1] = uint8(4*(x-6) + 2)
		}
	}
	got := smoothed(t, f, func(x, y int) float64 {
		if x < 6 {
			return 0
		}
		return 100 * float64(x-6) // steep from the wall on
	}, 1)
	for i, place := range f.Place {
		if int(place)%12 < 6 {
			assert.Zero(t, got(i))
		} else {
			assert.GreaterOrEqual(t, got(i), 0.0)
		}
	}
}

// allPasses is the light of one source before and after each pass, by cell.
func allPasses(t *testing.T, f *Field, value func(x, y int) float64) (raw, averaged, done func(cell int) float64) {
	t.Helper()
	light := NewLight(len(f.Place), 1)
	for i, place := range f.Place {
		light.Raw.Row(i)[0] = float32(value(int(place)%f.Charts[0].Width, int(place)/f.Charts[0].Width))
	}
	for pass := 1; pass <= Passes; pass++ {
		require.NoError(t, f.Pass(t.Context(), pass, 0, len(f.Place), &light))
	}
	of := func(table *rows.Table) func(int) float64 {
		return func(cell int) float64 { return float64(table.Row(cell)[0]) }
	}
	return of(&light.Raw), of(&light.twice), of(&light.Done)
}

// What smoothing does to a round spot of light, for spots of several widths under noise of several strengths: it keeps
// the top of a clean spot, takes most of strong noise, and is nowhere much worse than no smoothing or than the two means alone.
func TestSmoothingKnowsNoiseFromLight(t *testing.T) {
	const side = 48
	for _, width := range []float64{2, 4, 8} {
		for _, noise := range []float64{0, 0.3, 1, 3, 10} {
			random := rand.New(rand.NewPCG(7, 8))
			light := func(x, y int) float64 {
				away := math.Hypot(float64(x)-side/2, float64(y)-side/2) / width
				return 50 + 50*math.Exp(-away*away/2)
			}
			f := plate(side, side, nil)
			raw, averaged, done := allPasses(t, f, func(x, y int) float64 { return light(x, y) + noise*random.NormFloat64() })
			off := func(of func(int) float64) float64 {
				sum, n := 0.0, 0
				for i, place := range f.Place {
					x, y := int(place)%side, int(place)/side
					if d := of(i) - light(x, y); math.Hypot(float64(x)-side/2, float64(y)-side/2) < 2*width {
						sum, n = sum+d*d, n+1
					}
				}
				return math.Sqrt(sum / float64(n))
			}
			of, none, two := off(done), off(raw), off(averaged)
			t.Logf("width %g, noise %g: %.2f, not smoothed %.2f, by two means %.2f", width, noise, of, none, two)
			assert.Less(t, of, 1.25*two+0.02)
			if noise == 0 {
				assert.Less(t, of, 0.45*two, "width %g", width)
			}
			if noise >= 1 && width > 2 {
				assert.Less(t, of, 0.95*none, "width %g, noise %g", width, noise)
			}
		}
	}
}

// Where things are near, light that curves stays nearer to what it was the less far the first pass of a field reaches, and its
// noise still gets less.
func TestSmoothingReachesLessWhereThingsAreNear(t *testing.T) {
	const side, distance = 32, 3 // cells
	light := func(x, y int) float64 {
		squared := math.Pow(float64(x)-side/2, 2) + math.Pow(float64(y)-side/2, 2) + distance*distance
		return 100 * distance * distance / squared
	}
	off := func(reach int, noise float64) float64 {
		random := rand.New(rand.NewPCG(9, 10))
		f := plate(side, side, nil)
		f.Reach = reach
		for i := range f.Around {
			f.Around[i].nearM = distance / 4.0
		}
		_, _, done := allPasses(t, f, func(x, y int) float64 { return light(x, y) * (1 + noise*random.NormFloat64()) })
		sum := 0.0
		for i, place := range f.Place {
			sum += math.Pow(done(i)/light(int(place)%side, int(place)/side)-1, 2)
		}
		return math.Sqrt(sum / float64(len(f.Place)))
	}
	bends, noisy := [2]float64{off(2, 0), off(3, 0)}, [2]float64{off(2, 0.1), off(3, 0.1)}
	t.Logf("bends %.4f, noise of 0.1 left %.4f", bends, noisy)
	assert.Less(t, bends[0], 0.005)
	assert.Less(t, bends[0], 0.7*bends[1])
	assert.Less(t, noisy[1], noisy[0])
	assert.Less(t, noisy[0], 0.06)
}

// Each source is smoothed as if it were alone, so that layers can be baked apart.
func TestSourcesAreSmoothedAlone(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	f := plate(20, 20, nil)
	both, alone := NewLight(len(f.Place), 3), NewLight(len(f.Place), 1)
	for i := range f.Place {
		for c := range 9 {
			both.Raw.Row(i)[c] = float32(10 * random.Float64())
		}
		copy(alone.Raw.Row(i), both.Raw.Row(i)[3:6])
	}
	for pass := 1; pass <= Passes; pass++ {
		require.NoError(t, f.Pass(t.Context(), pass, 0, len(f.Place), &both))
		require.NoError(t, f.Pass(t.Context(), pass, 0, len(f.Place), &alone))
	}
	for i := range f.Place {
		assert.Equal(t, alone.Done.Row(i)[:3], both.Done.Row(i)[3:6])
	}
}
