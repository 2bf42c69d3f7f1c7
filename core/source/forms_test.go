package source

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/geom"
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

// A tube that is short beside its distance shines as a point of L 2 r l candela
// across it.
func TestFarTubeIsAPoint(t *testing.T) {
	s := &tube{shape{Kind: "tube", Position: geom.Vec3{0, 50, 0}, Right: geom.Vec3{1, 0, 0}, Width: 0.5, RadiusM: 0.02}}
	assert.InEpsilon(t, 2*0.02*0.5/2500, s.irradiance(geom.Vec3{}, geom.Vec3{0, 1, 0}), 5e-4, "its skin is nearer than its axis")
	assert.Zero(t, s.irradiance(geom.Vec3{}, geom.Vec3{0, -1, 0}))
	end := s.irradiance(geom.Vec3{30, 50, 0}, geom.Vec3{-1, 0, 0})
	assert.Less(t, end, 1e-7, "seen along its axis it shows no breadth")
}

// A tube against the sum over small pieces of its skin, from near its skin to far away, for any normal,
// also where the horizon cuts it.
func TestTubeAgainstItsSkin(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 11))
	for _, ratio := range []float64{1.05, 1.3, 2, 3.9, 4.1, 7, 20, 60} { // distance to the axis, in radii
		for range 6 {
			const radius, width = 0.05, 1.2
			s := &tube{shape{Kind: "tube", Right: geom.Vec3{1, 0, 0}, Width: width, RadiusM: radius}}
			p := geom.Vec3{1.6 * (rng.Float64() - 0.5), 0, ratio * radius}
			n := geom.Vec3{rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()}.Normalize()
			along, around := 1500, 300
			want, part := 0.0, width/float64(along)*2*math.Pi*radius/float64(around)
			for k := range around {
				sin, cos := math.Sincos(2 * math.Pi * (float64(k) + 0.5) / float64(around))
				out := geom.Vec3{0, sin, cos}
				if out[2]*p[2] <= radius {
					continue // it faces away
				}
				for i := range along {
					to := geom.Vec3{width * ((float64(i)+0.5)/float64(along) - 0.5), radius * out[1], radius * out[2]}.Sub(p)
					d2 := to.Dot(to)
					want += max(0, to.Dot(n)) * max(0, -to.Dot(out)) / (d2 * d2) * part
				}
			}
			whole := math.Pi * min(1, 1/ratio)
			assert.InDelta(t, want, s.irradiance(p, n), 2e-3*whole, "%v radii away, place %v, normal %v", ratio, p, n)
		}
	}
}
