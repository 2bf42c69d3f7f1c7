package trace

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ball is a closed sphere of n by 2n quads, so that truth is known.
func ball(n int, radius float64) []Triangle {
	at := func(i, j int) Vec {
		theta, phi := math.Pi*float64(i)/float64(n), math.Pi*float64(j)/float64(n)
		return Vec{
			float32(radius * math.Sin(theta) * math.Cos(phi)),
			float32(radius * math.Cos(theta)),
			float32(radius * math.Sin(theta) * math.Sin(phi)),
		}
	}
	var out []Triangle
	for i := range n {
		for j := range 2 * n {
			k := (j + 1) % (2 * n)
			a, b, c, d := at(i, j), at(i+1, j), at(i+1, k), at(i, k)
			if i < n-1 {
				out = append(out, Triangle{a, b, c})
			}
			if i > 0 {
				out = append(out, Triangle{a, c, d})
			}
		}
	}
	return out
}

func randomRay(r *rand.Rand) Ray {
	p := func() float32 { return float32(r.Float64()*4 - 2) }
	return Ray{Vec{p(), p(), p()}, Vec{p(), p(), p()}, float32(r.Float64() * 5)}
}

// The hierarchy must find what trying every triangle finds.
func TestAgreesWithTryingEveryTriangle(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	var tris []Triangle
	for range 300 {
		c := Vec{float32(r.Float64()*3 - 1.5), float32(r.Float64()*3 - 1.5), float32(r.Float64()*3 - 1.5)}
		v := func() Vec {
			return Vec{c[0] + float32(r.NormFloat64()*0.2), c[1] + float32(r.NormFloat64()*0.2), c[2] + float32(r.NormFloat64()*0.2)}
		}
		tris = append(tris, Triangle{v(), v(), v()})
	}
	s := New(tris)
	hits := 0
	for range 5000 {
		ray := randomRay(r)
		want, found := float32(math.Inf(1)), false
		for _, tri := range tris {
			p := prepared{tri.A, sub(tri.B, tri.A), sub(tri.C, tri.A)}
			if d, _, _, ok := p.meet(ray.Origin, ray.Dir, ray.Max); ok && d < want {
				want, found = d, true
			}
		}
		hit, ok := s.Closest(ray)
		require.Equal(t, found, ok)
		require.Equal(t, found, s.Occluded(ray))
		if found {
			hits++
			require.Equal(t, want, hit.T)
		}
	}
	assert.Greater(t, hits, 500, "the rays must meet something for this to say anything")
}

// No ray aimed at a shared edge or corner of a closed mesh gets through.
func TestClosedMeshDoesNotLeak(t *testing.T) {
	tris := ball(24, 1)
	s := New(tris)
	r := rand.New(rand.NewPCG(3, 4))
	for i := range 200_000 {
		tri := tris[r.IntN(len(tris))]
		k := float32(r.Float64())
		if i%10 == 0 {
			k = 0 // a corner
		}
		aim := Vec{tri.A[0] + k*(tri.B[0]-tri.A[0]), tri.A[1] + k*(tri.B[1]-tri.A[1]), tri.A[2] + k*(tri.B[2]-tri.A[2])}
		from := Vec{float32(r.Float64()*0.6 - 0.3), float32(r.Float64()*0.6 - 0.3), float32(r.Float64()*0.6 - 0.3)}
		ray := Ray{from, sub(aim, from), 1e6}
		require.True(t, s.Occluded(ray), "ray %d from %v to %v", i, from, aim)
		_, ok := s.Closest(ray)
		require.True(t, ok)
	}
}

func TestOddGeometryIsSurvived(t *testing.T) {
	nan := float32(math.NaN())
	same := Triangle{Vec{1, 1, 1}, Vec{1, 1, 1}, Vec{1, 1, 1}}
	many := make([]Triangle, 5000)
	for i := range many {
		many[i] = same
	}
	for name, tris := range map[string][]Triangle{
		"none":        nil,
		"not finite":  {{Vec{nan, 0, 0}, Vec{0, 1, 0}, Vec{0, 0, 1}}},
		"no area":     many,
		"needle":      {{Vec{0, 0, 0}, Vec{1e6, 1e-9, 0}, Vec{2e6, 0, 0}}},
		"doubled":     {{Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{0, 1, 0}}, {Vec{0, 0, 0}, Vec{1, 0, 0}, Vec{0, 1, 0}}},
		"axis planes": ball(4, 2),
	} {
		s := New(tris)
		for _, d := range []Vec{{1, 0, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, 0}} {
			hit, ok := s.Closest(Ray{Vec{0.1, 0.1, -1}, d, 100})
			assert.Equal(t, ok, s.Occluded(Ray{Vec{0.1, 0.1, -1}, d, 100}), name)
			assert.False(t, math.IsNaN(float64(hit.T)), name)
		}
	}
}

func benchScene(n int) (*Scene, []Ray) {
	r := rand.New(rand.NewPCG(5, 6))
	var tris []Triangle
	for len(tris) < n {
		shift := Vec{float32(r.Float64()*40 - 20), float32(r.Float64() * 6), float32(r.Float64()*40 - 20)}
		for _, t := range ball(10, 0.3+r.Float64()*0.5) {
			for _, v := range []*Vec{&t.A, &t.B, &t.C} {
				*v = Vec{v[0] + shift[0], v[1] + shift[1], v[2] + shift[2]}
			}
			tris = append(tris, t)
		}
	}
	rays := make([]Ray, 4096)
	for i := range rays {
		rays[i] = Ray{
			Vec{float32(r.Float64()*40 - 20), float32(r.Float64() * 6), float32(r.Float64()*40 - 20)},
			Vec{float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())}, 30,
		}
	}
	return New(tris), rays
}

func BenchmarkRays(b *testing.B) {
	for _, size := range []struct {
		name string
		n    int
	}{{"20k", 20_000}, {"300k", 300_000}} {
		s, rays := benchScene(size.n)
		report := func(b *testing.B) {
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
		}
		b.Run("closest/"+size.name, func(b *testing.B) {
			for i := range b.N {
				s.Closest(rays[i&4095])
			}
			report(b)
		})
		b.Run("any/"+size.name, func(b *testing.B) {
			for i := range b.N {
				s.Occluded(rays[i&4095])
			}
			report(b)
		})
	}
}
