package check

import (
	"fmt"
	"math"
	"testing"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/platform"
)

// field is hilly ground of so many triangles with lamps on posts, a few metres apart.
func field(triangles, lamps int) *plan {
	p := hall()
	p.Solids, p.Lights = nil, nil
	whole, err := platform.Named("baked-arena")
	if err != nil {
		panic(err)
	}
	p.profile = whole // with its limits, all of which are looked at
	n := int(math.Sqrt(float64(triangles) / 2))
	side := 2.5 * math.Sqrt(float64(lamps))
	at := func(i int) float64 { return side * (float64(i)/float64(n) - 0.5) }
	height := func(x, z float64) float64 { return 0.6 * math.Sin(x/7) * math.Cos(z/9) }
	ground := level.Default[level.Mesh]()
	ground.ID, ground.Surface.Density = "ground", 0.5
	for k := range n + 1 {
		for i := range n + 1 {
			ground.Positions = append(ground.Positions, at(i), height(at(i), at(k)), at(k))
		}
	}
	for k := range n {
		for i := range n {
			a := uint32(k*(n+1) + i)
			b := a + uint32(n) + 1
			ground.Indices = append(ground.Indices, a, b, b+1, a, b+1, a+1)
		}
	}
	p.Meshes = append(p.Meshes, &ground)
	p.Zones[0].Boxes = []level.Box{{Min: level.Vec{-side / 2, -2, -side / 2}, Max: level.Vec{side / 2, 4, side / 2}}}
	across := int(math.Ceil(math.Sqrt(float64(lamps))))
	for i := range lamps {
		x, z := side*((float64(i%across)+0.5)/float64(across)-0.5), side*((float64(i/across)+0.5)/float64(across)-0.5)
		p.lamp(fmt.Sprintf("lamp-%d", i), level.Vec{x, height(x, z) + 2, z}, 40).RangeM = 2.4
	}
	return p
}

// BenchmarkCheck is a whole check, without what is known of a level that was checked before.
func BenchmarkCheck(b *testing.B) {
	for _, size := range []struct{ triangles, lamps int }{{20_000, 100}, {75_000, 500}, {150_000, 1000}, {300_000, 2000}} {
		b.Run(fmt.Sprintf("triangles=%d/lamps=%d", size.triangles, size.lamps), func(b *testing.B) {
			p := field(size.triangles, size.lamps)
			ready, err := bake.Prepare(p.Level)
			if err != nil {
				b.Fatal(err)
			}
			for b.Loop() {
				Run(ready, p.profile)
			}
		})
	}
}

// BenchmarkCheckAgain is a check after an edit of one lamp.
func BenchmarkCheckAgain(b *testing.B) {
	for _, size := range []struct{ triangles, lamps int }{{20_000, 100}, {75_000, 500}, {150_000, 1000}, {300_000, 2000}} {
		b.Run(fmt.Sprintf("triangles=%d/lamps=%d", size.triangles, size.lamps), func(b *testing.B) {
			p := field(size.triangles, size.lamps)
			ready, err := bake.Prepare(p.Level)
			if err != nil {
				b.Fatal(err)
			}
			sub := Of(ready)
			sub.Against(p.profile)
			l, strength := p.Level, 40.0
			for b.Loop() {
				strength++
				if l, _, err = l.Apply(level.Set("lamp-7", map[string]any{"strength": strength})); err != nil {
					b.Fatal(err)
				}
				if ready, err = ready.Again(l); err != nil {
					b.Fatal(err)
				}
				sub = sub.Again(ready)
				sub.Against(p.profile)
			}
		})
	}
}
