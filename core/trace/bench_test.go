package trace

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
)

// The benchmarks run every hierarchy on two sizes, on rays in no order.
// docs/bench prints their ratios.

var sizes = []int{20_000, 300_000}

func BenchmarkRays(b *testing.B) {
	r := rand.New(rand.NewPCG(7, 8))
	rays := make([]Ray, 1<<18)
	for _, n := range sizes {
		for i := range rays {
			rays[i] = fieldRay(r, n)
		}
		for kind, s := range kinds(field(n)) {
			b.Run(fmt.Sprintf("closest/%s/%dk", kind, n/1000), func(b *testing.B) {
				for i := 0; b.Loop(); i++ {
					s.Closest(rays[i&(len(rays)-1)])
				}
				b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
			})
			b.Run(fmt.Sprintf("any/%s/%dk", kind, n/1000), func(b *testing.B) {
				for i := 0; b.Loop(); i++ {
					s.Occluded(rays[i&(len(rays)-1)])
				}
				b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
			})
		}
	}
}

func BenchmarkBuild(b *testing.B) {
	for _, n := range sizes {
		tris := field(n)
		for _, kind := range []string{"binary", "wide"} {
			b.Run(fmt.Sprintf("%s/%dk", kind, n/1000), func(b *testing.B) {
				for b.Loop() {
					if kind == "wide" {
						newWide(listed(tris))
					} else {
						newBinary(listed(tris))
					}
				}
				b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
			})
		}
	}
}

// How the time of a ray grows with the triangles.
func BenchmarkGrowth(b *testing.B) {
	for _, n := range []int{20_000, 60_000, 150_000, 300_000} {
		s, r := New(field(n)), rand.New(rand.NewPCG(7, 8))
		rays := make([]Ray, 1<<16)
		for i := range rays {
			rays[i] = fieldRay(r, n)
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				s.Closest(rays[i&(len(rays)-1)])
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)*1e9, "ns/ray")
		})
	}
}

// Rays into 400 balls of 3 thousand triangles, each with triangles of its own or all of one scene.
func BenchmarkPlaced(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	tris := ball(40, 0.5)
	own := New(tris)
	var placed []Placed
	var all []Triangle
	for range 400 {
		p, flat := stand(own, tris, mgl64.Translate3D(r.Float64()*20, r.Float64()*3, r.Float64()*20), len(all))
		placed, all = append(placed, p), append(all, flat...)
	}
	rays := make([]Ray, 4096)
	for i := range rays {
		p := func(size float64) float32 { return float32(r.Float64() * size) }
		rays[i] = Ray{Vec{p(20), p(3), p(20)}, Vec{p(2) - 1, p(2) - 1, p(2) - 1}, 10}
	}
	for name, s := range map[string]*Scene{"own": New(all), "placed": NewWith(listed(nil), placed)} {
		b.Run("closest/"+name, func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				s.Closest(rays[i%len(rays)])
			}
			b.ReportMetric(float64(s.MemoryBytes())/1e6, "MB")
		})
		b.Run("occluded/"+name, func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				s.Occluded(rays[i%len(rays)])
			}
		})
	}
}
