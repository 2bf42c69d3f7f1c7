package bake_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime"
	"runtime/pprof"
	"sync/atomic"
	"testing"
	"time"

	"grotta/core/bake"
	"grotta/core/level"
)

func posts(n int, density float64) *level.Level {
	l, r := hall(density), rand.New(rand.NewPCG(1, 1))
	for i := range n {
		at := level.Vec{38*r.Float64() - 19, r.Float64() - 4.5, 38*r.Float64() - 19}
		block(l, fmt.Sprint("post-", i), at, level.Vec{0.3, 1, 0.3})
	}
	return l
}

func TestZZ(t *testing.T) {
	runtime.MemProfileRate = 512
	n := 1000
	fmt.Sscan(os.Getenv("POSTS"), &n)
	l := posts(n, 2)
	before := live()
	stop, done := make(chan struct{}), make(chan struct{})
	var most uint64
	var packing atomic.Bool
	go func() {
		defer close(done)
		for {
			select {
			case <-stop:
				return
			case <-time.After(5 * time.Millisecond):
				if h := live(); h > most && !packing.Load() {
					most = h
					if h < before+37_500_000 {
						continue
					}
					f, _ := os.Create("/tmp/heap.out")
					pprof.Lookup("heap").WriteTo(f, 0)
					f.Close()
				}
			}
		}
	}()
	p, err := bake.Prepare(l)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Println("prepared", live()-before, "texels", len(p.Texels.List), "triangles", len(p.Scene.Triangles), "seams", len(p.Seams.List))
	if os.Getenv("BAKE") != "" {
		p.Bake(context.Background(), bake.All(p.Sources[:p.Together(12)]), bake.Good, func(x float64) { packing.Store(x > 0.551) })
	}
	close(stop)
	<-done
	fmt.Println("most", most-before, "budget", 200*len(p.Texels.List)+160*len(p.Scene.Triangles))
	runtime.KeepAlive(p)
}

func TestZY(t *testing.T) {
	runtime.MemProfileRate = 64
	n := 1000
	fmt.Sscan(os.Getenv("POSTS"), &n)
	l := posts(n, 2)
	for _, s := range l.Solids {
		s.Surface.ReceivesLight = false
		for i := range s.Faces {
			s.Faces[i].ReceivesLight = false
		}
	}
	before := live()
	start := time.Now()
	p, _ := bake.Prepare(l)
	fmt.Println("took", time.Since(start))
	fmt.Println("prepared", float64(live()-before)/float64(len(p.Scene.Triangles)))
	f, _ := os.Create("/tmp/heap.out")
	pprof.Lookup("heap").WriteTo(f, 0)
	f.Close()
	runtime.KeepAlive(p)
}

func BenchmarkZMemory(b *testing.B) {
	b.Run("9000", func(b *testing.B) { benchmarkMemory(b, posts(1000, 2)) })
	b.Run("tiny", func(b *testing.B) { benchmarkMemory(b, hall(1)) })
}

func TestZX(t *testing.T) {
	runtime.MemProfileRate = 128
	l := posts(1000, 2)
	for _, s := range l.Solids {
		s.Surface.ReceivesLight = false
		for i := range s.Faces {
			s.Faces[i].ReceivesLight = false
		}
	}
	before := live()
	var most uint64
	done := watch(func(h uint64) {
		if h > most {
			most = h
			fmt.Println(float64(h-before) / 12072)
			if float64(h-before)/12072 > 158 {
				f, _ := os.Create("/tmp/heap.out")
				pprof.Lookup("heap").WriteTo(f, 0)
				f.Close()
			}
		}
	})
	p, _ := bake.Prepare(l)
	done()
	runtime.KeepAlive(p)
}
