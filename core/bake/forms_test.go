package bake

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/geom"
	"grotta/core/lightmap"
)

func direction(t *rapid.T, name string) geom.Vec3 {
	y := rapid.Float64Range(-1, 1).Draw(t, name+" height")
	a := rapid.Float64Range(0, 2*math.Pi).Draw(t, name+" angle")
	r := math.Sqrt(1 - y*y)
	return geom.Vec3{r * math.Cos(a), y, r * math.Sin(a)}
}

// A polygon that is cut in two lights as much as its halves together, wherever the
// horizon runs.
func TestPolygonsAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		quad := []geom.Vec3{{-1, 2, -1}, {-1, 2, 1}, {1, 2, 1}, {1, 2, -1}}
		cut := rapid.Float64Range(-0.9, 0.9).Draw(t, "cut")
		left := []geom.Vec3{quad[0], quad[1], {cut, 2, 1}, {cut, 2, -1}}
		right := []geom.Vec3{{cut, 2, -1}, {cut, 2, 1}, quad[2], quad[3]}
		at := geom.Vec3{rapid.Float64Range(-3, 3).Draw(t, "x"), rapid.Float64Range(-3, 1.9).Draw(t, "y"), rapid.Float64Range(-3, 3).Draw(t, "z")}
		n := direction(t, "normal")
		of := func(c []geom.Vec3) float64 {
			p := newPolygon(c)
			if p.normal[1] > 0 { // shine downward, whichever way they were listed
				for i, j := 0, len(c)-1; i < j; i, j = i+1, j-1 {
					c[i], c[j] = c[j], c[i]
				}
				p = newPolygon(c)
			}
			return p.irradiance(at, n)
		}
		whole := of(quad)
		if whole < 0 || whole > math.Pi+1e-9 {
			t.Fatalf("irradiance of %v for a radiance of 1", whole)
		}
		assert.InDelta(t, whole, of(left)+of(right), 1e-9)
	})
}

// Points of a polygon lie on it, and evenly: their mean is its middle.
func TestPointsOfAPolygonAreEven(t *testing.T) {
	p := newPolygon([]geom.Vec3{{0, 0, 0}, {0, 0, 2}, {3, 0, 2}, {3, 0, 0}})
	require.InDelta(t, 6, p.area, 1e-12)
	var sum geom.Vec3
	left := 0
	const n = 2000
	for i := range n {
		q := p.point(i, 0.7)
		require.True(t, q[0] >= -1e-9 && q[0] <= 3+1e-9 && q[2] >= -1e-9 && q[2] <= 2+1e-9 && q[1] == 0, "%v", q)
		sum = sum.Add(q)
		if q[0] < 1 {
			left++
		}
	}
	assert.InDelta(t, 0, sum.Mul(1.0/n).Sub(geom.Vec3{1.5, 0, 1}).Len(), 0.02)
	assert.InDelta(t, 1.0/3, float64(left)/n, 0.02)
}

// The closed form of a disc cut by the horizon against an integral over it.
func TestDiscFactor(t *testing.T) {
	for _, angular := range []float64{0.05, 0.3, 0.9} {
		sin := math.Sin(angular)
		for _, cos := range []float64{1, 0.5, sin, sin / 2, 0, -sin / 2, -sin, -0.9} {
			axis := geom.Vec3{math.Sqrt(1 - cos*cos), cos, 0}
			disc := newCone(axis, math.Cos(angular), 0)
			sum := 0.0
			const n = 40_000
			for i := range n {
				d, _ := disc.direction(i, n)
				sum += max(0, d[1])
			}
			want := sum / n * 2 * math.Pi * (1 - math.Cos(angular))
			assert.InDelta(t, want, discFactor(cos, sin*sin), 0.001*math.Pi*sin*sin, "half angle %v, cos %v", angular, cos)
		}
	}
}

// The sets of samples cover the square evenly, whatever they are shifted by.
func TestPairsAreEven(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 20 {
		turn := r.Float64() * 2 * math.Pi
		var cells [16]int
		for i := range 256 {
			a, b := pair(i, 256, turn)
			require.True(t, a >= 0 && a < 1 && b >= 0 && b < 1)
			cells[int(a*4)*4+int(b*4)]++
		}
		for _, n := range cells {
			assert.InDelta(t, 16, n, 4)
		}
	}
	assert.Equal(t, []float64{0, 0.5, 0.25, 0.75}, []float64{radicalInverse(0), radicalInverse(1), radicalInverse(2), radicalInverse(3)})
}

// Directions by the cosine: their mean height is 2/3, and none goes under.
func TestCosineDirections(t *testing.T) {
	n := geom.Vec3{0.6, 0.8, 0}
	u, v := geom.Axes(n)
	sum := 0.0
	for i := range 4096 {
		a, b := pair(i, 4096, 1)
		d := cosineDirection(n, u, v, a, b)
		require.InDelta(t, 1, d.Len(), 1e-9)
		require.GreaterOrEqual(t, d.Dot(n), 0.0)
		sum += d.Dot(n)
	}
	assert.InDelta(t, 2.0/3, sum/4096, 1e-3)
}

// A tube that is short beside its distance shines as a point of L 2 r l candela
// across it.
func TestFarTubeIsAPoint(t *testing.T) {
	s := &shape{Kind: "tube", Position: geom.Vec3{0, 50, 0}, Right: geom.Vec3{1, 0, 0}, Width: 0.5, RadiusM: 0.02}
	assert.InEpsilon(t, 2*0.02*0.5/2500, s.tubeIrradiance(geom.Vec3{}, geom.Vec3{0, 1, 0}), 1e-4)
	assert.Zero(t, s.tubeIrradiance(geom.Vec3{}, geom.Vec3{0, -1, 0}))
	end := s.tubeIrradiance(geom.Vec3{30, 50, 0}, geom.Vec3{-1, 0, 0})
	assert.Less(t, end, 1e-7, "seen along its axis it shows no breadth")
}

func TestTurnsDependOnSeedAndTexel(t *testing.T) {
	seen := map[float64]bool{}
	for seed := range uint64(50) {
		for texel := range int32(50) {
			a := turn(seed, uint64(texel))
			require.True(t, a >= 0 && a < 2*math.Pi)
			assert.False(t, seen[a])
			seen[a] = true
			assert.Equal(t, a, turn(seed, uint64(texel)))
		}
	}
}

// Smoothing a penumbra takes noise off a slope, and leaves slopes, edges and lines.
func TestSmoothPenumbra(t *testing.T) {
	const side, noise = 8, 0.05
	r := rand.New(rand.NewPCG(1, 1))
	smooth := func(visible func(x, y int) float64) (after [side][side]float64) {
		var s penumbra
		var texels []lightmap.Texel
		for i := range side * side {
			texels = append(texels, lightmap.Texel{Index: int32(i/side*64 + i%side + 130)})
			s.visible = append(s.visible, visible(i%side, i/side))
			after[i/side][i%side] = s.visible[i]
		}
		s.place(texels, 64)
		for i, factor := range s.smooth(noise) {
			after[i/side][i%side] *= factor
		}
		return after
	}
	slope := func(x, y int) float64 { return 0.1 + 0.08*float64(x) + 0.02*float64(y) }
	edge := func(x, _ int) float64 { return float64(x / 4) }
	line := func(x, _ int) float64 {
		if x == 4 {
			return 0.5
		}
		return 0.8
	}
	var before, left float64
	slopes, edges, lines := smooth(slope), smooth(edge), smooth(line)
	noisy := smooth(func(x, y int) float64 {
		e := 0.02 * r.NormFloat64()
		before += e * e
		return slope(x, y) + e
	})
	for y := range side {
		for x := range side {
			assert.InDelta(t, slope(x, y), slopes[y][x], 1e-12)
			assert.Equal(t, edge(x, y), edges[y][x])
			assert.InDelta(t, line(x, y), lines[y][x], 1e-12)
			left += (noisy[y][x] - slope(x, y)) * (noisy[y][x] - slope(x, y))
		}
	}
	assert.Less(t, left, before/2)
}

// What stands between cells keeps them apart; what is clear does not.
func TestSurroundings(t *testing.T) {
	s := survey{u: geom.Vec3{1, 0, 0}, v: geom.Vec3{0, 0, 1}}
	up, wall, side := geom.Vec3{0, 1, 0}, geom.Vec3{1, 0.2, 0}.Normalize(), geom.Vec3{0.3, 0.1, 0.6}.Normalize()
	for range 10 {
		s.add(geom.Vec3{0, 1, 0.1}.Normalize(), 3, up)
		s.add(geom.Vec3{-0.7, 0.7, 0}, 2, up)
		s.add(wall, 0.25/wall[0], geom.Vec3{-3, 0, 0})
		s.add(side, 0.25/side[0], geom.Vec3{-3, 0, 0}) // the same wall, from one who goes along it
	}
	got := s.done(10) // ten cells a metre: the wall is two and a half cells off
	assert.True(t, got.opens(2, 0))
	assert.False(t, got.opens(3, 0))
	assert.True(t, got.opens(-4, 0))
	assert.True(t, got.opens(0, -60))
	assert.True(t, got.opens(0, 60), "beside the wall")
	assert.InEpsilon(t, 4/(1/3.0+1/2.0+wall[0]/0.25+side[0]/0.25), got.nearM, 1e-5)
}
