package trace

import (
	"fmt"
	"math"
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
						newWide(tris)
					} else {
						newBinary(tris)
					}
				}
				b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
			})
		}
	}
}

// Rays as a bake sends them, tile by tile of neighbouring texels with directions
// spread alike, and the same rays in no order.
func BenchmarkOrder(b *testing.B) {
	const n, side, each = 300_000, 64, 64
	r := rand.New(rand.NewPCG(7, 8))
	s := New(field(n))
	var rays []Ray
	for tile := 0; tile < 16; tile++ {
		x0, z0 := r.Float64()*fieldSide(n), r.Float64()*fieldSide(n)
		for i := range side * side / 16 {
			turn := r.Float64()
			for k := range each {
				u, v := math.Mod((float64(k)+0.5)/each+turn, 1), math.Mod(float64(k)*0.618034+turn, 1)
				sin, cos := math.Sincos(2 * math.Pi * v)
				rays = append(rays, Ray{
					Vec{float32(x0 + 0.1*float64(i%16)), 0.002, float32(z0 + 0.1*float64(i/16))},
					Vec{float32(math.Sqrt(u) * cos), float32(math.Sqrt(1 - u)), float32(math.Sqrt(u) * sin)}, 1e6,
				})
			}
		}
	}
	run := func(name string, rays []Ray) {
		b.Run(name, func(b *testing.B) {
			i := 0
			for b.Loop() {
				s.Closest(rays[i])
				if i++; i == len(rays) {
					i = 0
				}
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
		})
	}
	run("baker", rays)
	shuffled := append([]Ray(nil), rays...)
	r.Shuffle(len(shuffled), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
	run("shuffled", shuffled)
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
