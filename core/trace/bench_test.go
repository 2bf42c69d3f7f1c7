package trace

import (
	"fmt"
	"math/rand/v2"
	"testing"
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
