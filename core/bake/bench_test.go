package bake_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"math"
	"math/rand/v2"
	"runtime"
	"runtime/metrics"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/radiosity"
	"grotta/core/source"
	"grotta/core/trace"
	"grotta/demo"
)

// What a person waits for on the demo: all of it coarse for the first time, a
// moved light's layer at draft, all of it good, a mix.
func BenchmarkDemo(b *testing.B) {
	run := func(b *testing.B, p *bake.Prepared, s []*source.Source, q bake.Quality) []*layer.Layer {
		layers, err := p.Bake(context.Background(), s, q, nil)
		require.NoError(b, err)
		return layers
	}
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			p := prepare(b, demo.Saltmarsh())
			run(b, p, source.All(p.Sources), bake.Draft)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
	p := prepare(b, demo.Saltmarsh())
	layers := run(b, p, source.All(p.Sources), bake.Draft)
	b.Run("moved", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			run(b, p, source.All(p.Sources[i%len(p.Scene.Level.Lights):][:1]), bake.Draft)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
	b.Run("moved-direct", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			_, err := p.Direct(context.Background(), source.All(p.Sources[i%len(p.Scene.Level.Lights):][:1]), bake.Draft)
			require.NoError(b, err)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
	for _, c := range []struct {
		name   string
		bounce bool
	}{{"direct", false}, {"bounced", true}} {
		b.Run("good/"+c.name, func(b *testing.B) {
			l := demo.Saltmarsh()
			l.Lightmap.Bounces = c.bounce
			l.Environment.Sky.Lights = c.bounce
			p := prepare(b, l)
			for b.Loop() {
				if c.bounce {
					run(b, p, source.All(p.Sources), bake.Good)
					continue
				}
				run(b, p, source.All(p.Sources[:len(l.Lights)]), bake.Good)
			}
			b.ReportMetric(float64(b.N)*float64(len(p.Texels.List))/b.Elapsed().Seconds()/1e6, "Mtexels/s")
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
		})
	}
	for _, n := range []int{5, together} {
		b.Run(fmt.Sprintf("messages/%d", n), func(b *testing.B) {
			for b.Loop() {
				for group := range slices.Chunk(source.All(p.Sources), n) {
					run(b, p, group, bake.Good)
				}
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
		})
	}
	b.Run("mix", func(b *testing.B) {
		for b.Loop() {
			layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
}

// The mix by texel and layer, and the plain loop over as many bytes that it is
// held against: a layer's half-floats read, and the image read and written.
func BenchmarkMix(b *testing.B) {
	p := prepare(b, demo.Saltmarsh())
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
	require.NoError(b, err)
	m := layer.NewImage(p.Layout.PageSize, p.Layout.Pages)
	texels := 0
	for _, l := range layers {
		texels += len(l.Tiles) * layer.TileSize * layer.TileSize
	}
	const bytesPerTexel = 6 + 12 + 12
	b.Run("layers", func(b *testing.B) {
		for b.Loop() {
			for i, l := range layers {
				l.AddTo(m, p.Sources[i].Weight.Add(color.Linear{1e-9, 1e-9, 1e-9}))
			}
		}
		b.ReportMetric(b.Elapsed().Seconds()*1000/float64(b.N)/(float64(texels)/1e6), "ms/Mtexel-layer")
		b.ReportMetric(float64(b.N)*float64(texels)*bytesPerTexel/b.Elapsed().Seconds()/1e9, "GB/s")
	})
	b.Run("plain", func(b *testing.B) {
		from, to := make([]float32, len(m.Pix)), make([]float32, len(m.Pix))
		for b.Loop() {
			for i, v := range from {
				to[i] += 1.5 * v
			}
		}
		b.ReportMetric(float64(b.N)*float64(len(from))*12/b.Elapsed().Seconds()/1e9, "GB/s")
	})
}

// Rays as a bake sends them, in packets, and the same rays one by one in no order: those
// of texels and those of links, over a floor strewn with balls, of 300 thousand triangles
// and of 20 thousand, where all is lit and where the floor alone is, and on the demo.
func BenchmarkOrder(b *testing.B) {
	strewn := func(balls, n int, lit bool) *level.Level {
		l, r := plane(), rand.New(rand.NewPCG(7, 8))
		for i := range balls {
			m := ball(n, 0.1+0.3*r.Float64())
			m.ID, m.Surface.ReceivesLight = fmt.Sprint("ball", i), lit
			m.Transform.Position = level.Vec{20*r.Float64() - 10, 3 * r.Float64(), 20*r.Float64() - 10}
			l.Meshes = append(l.Meshes, m)
		}
		return l
	}
	for _, c := range []struct {
		name string
		l    *level.Level
	}{
		{"300k", strewn(400, 14, true)}, {"300k-floor", strewn(400, 14, false)},
		{"20k", strewn(55, 10, true)}, {"20k-floor", strewn(55, 10, false)}, {"demo", demo.Saltmarsh()},
	} {
		p := prepare(b, c.l)
		b.Run(c.name, func(b *testing.B) { benchmarkOrder(b, p, p.GatherRays()) })
		b.Run(c.name+"-links", func(b *testing.B) { benchmarkOrder(b, p, linkRays(b, p)) })
	}
}

func linkRays(b *testing.B, p *bake.Prepared) (rays []trace.Ray) {
	require.NoError(b, radiosity.EachRay(b.Context(), p.Map, func(r trace.Ray) { rays = append(rays, r) }))
	return rays
}

func benchmarkOrder(b *testing.B, p *bake.Prepared, rays []trace.Ray) {
	triangles := make([]trace.Triangle, p.Scene.Triangles())
	for i := range triangles {
		triangles[i] = p.Scene.Triangle(i)
	}
	scene := trace.New(triangles)
	shuffled := slices.Clone(rays)
	rand.New(rand.NewPCG(7, 8)).Shuffle(len(rays), func(i, j int) { shuffled[i], shuffled[j] = shuffled[j], shuffled[i] })
	const batch = 1 << 15
	baker := func(rays []trace.Ray) {
		var p trace.Packet
		for i := 0; i < len(rays); i += len(p.Max) {
			for k := range p.Max {
				p.Put(k, &rays[i+k])
			}
			scene.ClosestOf(&p)
		}
	}
	single := func(rays []trace.Ray) {
		for i := range rays {
			scene.Closest(rays[i])
		}
	}
	timed := func(trace func([]trace.Ray), rays []trace.Ray) time.Duration {
		start := time.Now()
		trace(rays)
		return time.Since(start)
	}
	var ordered, without time.Duration
	for i := 0; b.Loop(); i++ { // by turns, so that a machine that slows down slows both
		at := i % (len(rays) / batch) * batch
		ordered += timed(baker, rays[at:at+batch])
		without += timed(single, shuffled[at:at+batch])
	}
	million := float64(b.N) * batch / 1e6
	b.ReportMetric(million/ordered.Seconds(), "baker-Mrays/s")
	b.ReportMetric(million/without.Seconds(), "shuffled-Mrays/s")
}

// How time grows with the texels, one light at a time, and with the lights where
// as many reach each texel: direct light and its packing.
func BenchmarkGrowth(b *testing.B) {
	b.Run("texels", func(b *testing.B) {
		benchmarkGrowth(b, []string{"5", "7", "10", "15.811"}, func(density float64) *level.Level {
			l := demo.Saltmarsh()
			l.Lightmap.Density = density
			for _, s := range l.Solids {
				s.Surface.Density = 0
				for i := range s.Faces {
					s.Faces[i].Density = 0
				}
			}
			l.Lightmap.PageSize = 2048
			l.Solids = slices.DeleteFunc(l.Solids, func(s *level.Solid) bool { return s.ID == "sea" || s.ID == "rock" })
			return l
		})
	})
	b.Run("lights", func(b *testing.B) {
		benchmarkGrowth(b, []string{"10", "32", "100", "316", "1000"}, func(n float64) *level.Level {
			l := plane()
			l.Lightmap.Density = 16
			r := rand.New(rand.NewPCG(1, 1))
			at := make([][2]float64, int(n))
			for i := range at {
				at[i] = [2]float64{r.Float64()*20 - 10, r.Float64()*20 - 10}
			}
			reach := reachFor(at, 4)
			for i := range at {
				lamp := light(fmt.Sprintf("l%d", i), level.Point, 10, level.Vec{at[i][0], 0.2 * reach, at[i][1]}, down)
				lamp.RangeM, lamp.RadiusM = reach, 0.02*reach
				l.Lights = append(l.Lights, lamp)
			}
			return l
		})
	})
}

// benchmarkGrowth bakes the lights of levels of some sizes, by turns, so that a machine
// that slows down slows all.
func benchmarkGrowth(b *testing.B, sizes []string, of func(size float64) *level.Level) {
	all, took := make([]*bake.Prepared, len(sizes)), make([]time.Duration, len(sizes))
	for i, text := range sizes {
		size, err := strconv.ParseFloat(text, 64)
		require.NoError(b, err)
		l := of(size)
		l.Lightmap.Bounces = false
		all[i] = prepare(b, l)
	}
	for b.Loop() {
		for i, p := range all {
			start := time.Now()
			for group := range slices.Chunk(source.All(p.Sources[:len(p.Scene.Level.Lights)]), together) {
				_, err := p.Bake(context.Background(), group, bake.Good, nil)
				require.NoError(b, err)
			}
			took[i] += time.Since(start)
		}
	}
	for i, p := range all {
		b.ReportMetric(took[i].Seconds()/float64(b.N), sizes[i]+"-s")
		b.ReportMetric(float64(len(p.Texels.List)), sizes[i]+"-texels")
	}
}

// reachFor is the range at which so many of some lights, hung at a fifth of it,
// reach a place of the plane on average.
func reachFor(at [][2]float64, wanted float64) float64 {
	low, high := 0.01, 100.0
	for range 40 {
		reach, sum, n := (low+high)/2, 0.0, 0.0
		for i := range 40 {
			for j := range 40 {
				x, z := float64(i)/2-9.75, float64(j)/2-9.75
				for _, a := range at {
					if math.Hypot(math.Hypot(x-a[0], z-a[1]), 0.2*reach) < reach {
						sum++
					}
				}
				n++
			}
		}
		if sum/n < wanted {
			low = reach
		} else {
			high = reach
		}
	}
	return high
}

// What a bake holds at its peak, beyond the layers themselves, with as many sources
// as the queue takes at once: the demo as it is and at a high density, a sealed hall
// where every lamp lights every texel, and the hall full of posts whose faces have a
// texel or few each, up to more triangles than texels.
func BenchmarkMemory(b *testing.B) {
	fine := demo.Saltmarsh()
	fine.Lightmap.Density = 24
	b.Run("large", func(b *testing.B) { benchmarkMemory(b, fine) })
	b.Run("demo", func(b *testing.B) { benchmarkMemory(b, demo.Saltmarsh()) })
	b.Run("hall", func(b *testing.B) { benchmarkMemory(b, hall(8)) })
	b.Run("coarse", func(b *testing.B) { benchmarkMemory(b, hall(2)) })
	b.Run("small", func(b *testing.B) { benchmarkMemory(b, hall(1)) })
	b.Run("cluttered", func(b *testing.B) { benchmarkMemory(b, posts(1000)) })
	b.Run("crowded", func(b *testing.B) { benchmarkMemory(b, posts(9000)) })
	b.Run("cubes", func(b *testing.B) { benchmarkMemory(b, cubes(9000)) })
	b.Run("stacks-2", func(b *testing.B) { benchmarkMemory(b, stacks(2)) })
	b.Run("stacks-1", func(b *testing.B) { benchmarkMemory(b, stacks(1)) })
	b.Run("wedges", func(b *testing.B) { benchmarkMemory(b, wedges()) })
	b.Run("tiles", func(b *testing.B) { benchmarkMemory(b, tiles()) })
	b.Run("gobos", func(b *testing.B) { benchmarkMemory(b, gobos()) })
	b.Run("leaves", func(b *testing.B) { benchmarkMemory(b, leaves(20_000)) })
	b.Run("foliage", func(b *testing.B) { benchmarkMemory(b, withHoles(leaves(20_000))) })
	b.Run("many-leaves", func(b *testing.B) { benchmarkMemory(b, leaves(100_000)) })
}

// leaves is the hall at 2 texels a metre with so many loose triangles of one mesh, each
// facing its own way.
func leaves(n int) *level.Level {
	l, r := hall(2), rand.New(rand.NewPCG(1, 1))
	m := level.Default[level.Mesh]()
	m.ID = "leaves"
	for i := range uint32(n) {
		x, y, z := 38*r.Float64()-19, 8*r.Float64()-4, 38*r.Float64()-19
		m.Positions = append(m.Positions, x, y, z, x+0.2, y+0.1*r.Float64(), z, x, y, z+0.2)
		m.Indices = append(m.Indices, 3*i, 3*i+2, 3*i+1)
	}
	l.Meshes = []*level.Mesh{&m}
	return l
}

// levelsByMemory are those of them that take little time.
func levelsByMemory() map[string]*level.Level {
	return map[string]*level.Level{"coarse": hall(2), "small": hall(1), "cluttered": posts(1000), "crowded": posts(4000), "leaves": leaves(5000)}
}

// together is as many sources as a message of the queue.
const together = 12

// hall is a sealed room of 40 by 10 by 40 metres with as many lamps.
func hall(density float64) *level.Level {
	l := level.New("Hall")
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
	l.Lightmap.Density = density
	for axis, size := range []float64{40, 10, 40} {
		for k, side := range []float64{-1, 1} {
			at, wall := level.Vec{}, level.Vec{40.4, 10.4, 40.4}
			at[axis], wall[axis] = side*(size/2+0.1), 0.2
			block(l, fmt.Sprintf("wall-%d-%d", axis, k), at, wall)
			s := l.Solids[len(l.Solids)-1]
			s.Faces = []level.Face{{Index: 2*axis + k, Surface: s.Surface}}
			s.Surface.ReceivesLight = false // outside
		}
	}
	for i := range together {
		at := level.Vec{6*float64(i%6) - 15, 3, 10*float64(i/6) - 5}
		l.Lights = append(l.Lights, light(fmt.Sprintf("lamp-%d", i), level.Point, 1000, at, down))
	}
	return l
}

// posts is the hall at 2 texels a metre with so many posts.
func posts(n int) *level.Level {
	l, r := hall(2), rand.New(rand.NewPCG(1, 1))
	for i := range n {
		at := level.Vec{38*r.Float64() - 19, r.Float64() - 4.5, 38*r.Float64() - 19}
		block(l, fmt.Sprint("post-", i), at, level.Vec{0.3, 1, 0.3})
	}
	return l
}

// cubes is the hall with so many cubes at random angles, a texel a face at most.
func cubes(n int) *level.Level {
	l, r := hall(2), rand.New(rand.NewPCG(1, 1))
	for i := range n {
		at := level.Vec{38*r.Float64() - 19, 9*r.Float64() - 4.5, 38*r.Float64() - 19}
		block(l, fmt.Sprint("cube-", i), at, level.Vec{0.3, 0.3, 0.3})
		q := geom.LookRotation(geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()})
		l.Solids[len(l.Solids)-1].Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	}
	return l
}

// stacks is a hall that is full of stacks of cubes of a metre, side by side, whose hidden
// sides take light too.
func stacks(density float64) *level.Level {
	l, r := hall(density), rand.New(rand.NewPCG(1, 1))
	for i := range 38 * 38 {
		for k := range 1 + r.IntN(4) {
			at := level.Vec{float64(i%38) - 18.5, float64(k) - 4.5, float64(i/38) - 18.5}
			block(l, fmt.Sprintf("cube-%d-%d", i, k), at, level.Vec{1, 1, 1})
		}
	}
	return l
}

// wedges is stacks at 1 texel a metre, each cube of it of two wedges.
func wedges() *level.Level {
	l, n := stacks(1), 1/math.Sqrt2
	lower := []level.Plane{
		{Normal: level.Vec{-1, 0, 0}, Distance: 0.5}, {Normal: level.Vec{0, -1, 0}, Distance: 0.5},
		{Normal: level.Vec{0, 0, 1}, Distance: 0.5}, {Normal: level.Vec{0, 0, -1}, Distance: 0.5}, {Normal: level.Vec{n, n, 0}},
	}
	upper := slices.Clone(lower)
	for _, i := range []int{0, 1, 4} {
		for axis := range upper[i].Normal {
			upper[i].Normal[axis] *= -1
		}
	}
	for _, s := range l.Solids {
		if strings.HasPrefix(s.ID, "cube") {
			other := *s
			other.ID = "upper-" + s.ID
			s.Planes, other.Planes = lower, upper
			l.Solids = append(l.Solids, &other)
		}
	}
	return l
}

// tiles is the hall at 1 texel a metre with a floor of ten thousand tiles, whose sides
// are less than a texel and hidden.
func tiles() *level.Level {
	l := hall(1)
	for i := range 100 * 100 {
		at := level.Vec{0.38*float64(i%100) - 19, -4.95, 0.38*float64(i/100) - 19}
		block(l, fmt.Sprint("tile-", i), at, level.Vec{0.38, 0.1, 0.38})
	}
	return l
}

// gobos is the hall with an image before every lamp.
func gobos() *level.Level {
	l := hall(2)
	l.Images = []*level.Image{holes()}
	for _, lamp := range l.Lights {
		gobo := level.Default[level.Gobo]()
		gobo.Image, gobo.FovDeg, gobo.Spill = "holes", 150, 0.5
		lamp.Kind, lamp.OuterDeg, lamp.Gobo = level.Spot, 80, &gobo
	}
	return l
}

func benchmarkMemory(b *testing.B, l *level.Level) {
	worst := 0.0
	for b.Loop() {
		before := settled()
		var peak, packing uint64 // layers grow only while packing, and all else stays as it is
		var share atomic.Uint64
		done := watch(func(held uint64) {
			at := &peak
			if math.Float64frombits(share.Load()) > 0.551 { // asked last: by then it may hold layers
				at = &packing
			}
			*at = max(*at, held)
		})
		p := prepare(b, l)
		sources := source.All(p.Sources[:together])
		sources = sources[:p.Together(sources, bake.Good)] // layers of a part before would count
		layers, err := p.Bake(context.Background(), sources, bake.Good, func(x float64) { share.Store(math.Float64bits(x)) })
		done()
		require.NoError(b, err)
		held := 0
		for _, l := range layers {
			held += l.MemoryBytes()
		}
		most := max(float64(peak), float64(packing)-float64(held)) - float64(before)
		worst = max(worst, most/float64(len(p.Texels.List)))
		b.ReportMetric(worst, "bytes/texel")
		b.ReportMetric(worst*float64(len(p.Texels.List))/float64(allowed(p)), "of-allowed")
		b.ReportMetric(float64(len(p.Texels.List)), "texels")
		b.ReportMetric(float64(p.Scene.Triangles()), "triangles")
		b.ReportMetric(float64(len(sources)), "sources")
		p, sources, layers = nil, nil, nil // the next one is to begin without them
	}
}

// watch tells every few milliseconds what is held, until it is done.
func watch(tell func(held uint64)) (done func()) {
	stop, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-stop:
				return
			case <-time.After(5 * time.Millisecond):
				tell(live())
			}
		}
	}()
	return func() {
		close(stop)
		<-ended
	}
}

// allowed is what a bake may hold beside its layers, in bytes.
func allowed(p *bake.Prepared) int { return 200*len(p.Texels.List) + 160*p.Scene.Triangles() }

// settled is what is held once pools have let go, which takes them a few collections.
func settled() (held uint64) {
	for range 4 {
		held = live()
	}
	return held
}

// live collects garbage and is what is still held then, in bytes.
func live() uint64 {
	runtime.GC()
	sample := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	metrics.Read(sample)
	return sample[0].Value.Uint64()
}

// What a level's triangles take at the peak of making them ready for rays and after,
// beside the document: of one mesh, and of blocks.
func BenchmarkTriangleMemory(b *testing.B) {
	mesh := heap(390)
	b.Run("mesh", func(b *testing.B) { benchmarkTriangleMemory(b, mesh) })
	blocks := posts(9000)
	for _, s := range blocks.Solids {
		s.Surface.ReceivesLight = false
		for i := range s.Faces {
			s.Faces[i].ReceivesLight = false
		}
	}
	b.Run("blocks", func(b *testing.B) { benchmarkTriangleMemory(b, blocks) })
	loose := leaves(300_000)
	loose.Meshes[0].Surface.ReceivesLight = false
	b.Run("leaves", func(b *testing.B) { benchmarkTriangleMemory(b, loose) })
	roles := *mesh
	block(&roles, "blocker", level.Vec{0, 5, 0}, level.Vec{1, 1, 1})
	roles.Solids[0].Surface.Visible = false
	b.Run("roles", func(b *testing.B) { benchmarkTriangleMemory(b, &roles) })
	b.Run("cut-outs", func(b *testing.B) { benchmarkTriangleMemory(b, withHoles(loose)) })
	lit := heap(390)
	lit.Meshes[0].Surface.ReceivesLight, lit.Lightmap.Density = true, 0.5
	b.Run("lit", func(b *testing.B) { benchmarkTriangleMemory(b, lit) })
}

// heap is a mesh of so many quads along each side, which takes no light.
func heap(side int) *level.Level {
	l, r := level.New("Heap"), rand.New(rand.NewPCG(1, 1))
	m := level.Default[level.Mesh]()
	m.ID, m.Surface.ReceivesLight = "heap", false
	for i := range (side + 1) * (side + 1) {
		m.Positions = append(m.Positions, float64(i%(side+1))/10, r.Float64()/10, float64(i/(side+1))/10)
	}
	for y := range uint32(side) {
		for x := range uint32(side) {
			a, row := y*uint32(side+1)+x, uint32(side+1)
			m.Indices = append(m.Indices, a, a+row, a+1, a+1, a+row, a+row+1)
		}
	}
	l.Meshes = []*level.Mesh{&m}
	return l
}

// withHoles cuts holes into what a level's first mesh shows.
func withHoles(l *level.Level) *level.Level {
	m := level.Default[level.Material]()
	m.ID, m.Image, m.Cutoff = "leaf", "holes", 0.5
	l.Images, l.Materials = []*level.Image{holes()}, []*level.Material{&m}
	l.Meshes[0].Surface.Material = "leaf"
	return l
}

// holes is an image, half of which is one.
func holes() *level.Image {
	picture, data := image.NewNRGBA(image.Rect(0, 0, 2, 1)), bytes.Buffer{}
	picture.Pix[3] = 255
	if err := png.Encode(&data, picture); err != nil {
		panic(err)
	}
	return &level.Image{ID: "holes", Data: data.Bytes()}
}

func benchmarkTriangleMemory(b *testing.B, l *level.Level) {
	// Once counts what was let go while a collection went on, too; what two in a row find
	// is held.
	var peak, once uint64
	for b.Loop() {
		before := settled()
		last := before
		done := watch(func(held uint64) {
			peak, once = max(peak, min(last, held)-min(last, held, before)), max(once, held-min(held, before))
			last = held
		})
		p := prepare(b, l)
		done()
		b.ReportMetric(float64(peak)/float64(p.Scene.Triangles()), "bytes/triangle")
		b.ReportMetric(float64(once)/float64(p.Scene.Triangles()), "once/triangle")
		b.ReportMetric(float64(live()-before)/float64(p.Scene.Triangles()), "kept/triangle")
		runtime.KeepAlive(p)
	}
}

// ball is a mesh of n by 2n quads.
func ball(n int, radius float64) *level.Mesh {
	m := level.Default[level.Mesh]()
	for i := range n + 1 {
		for j := range 2 * n {
			sin, cos := math.Sincos(math.Pi * float64(i) / float64(n))
			sinJ, cosJ := math.Sincos(math.Pi * float64(j) / float64(n))
			m.Positions = append(m.Positions, radius*sin*cosJ, radius*cos, radius*sin*sinJ)
		}
	}
	for i := range n {
		for j := range 2 * n {
			k := (j + 1) % (2 * n)
			a, b, c, d := uint32(2*n*i+j), uint32(2*n*(i+1)+j), uint32(2*n*(i+1)+k), uint32(2*n*i+k)
			if i < n-1 {
				m.Indices = append(m.Indices, a, c, b)
			}
			if i > 0 {
				m.Indices = append(m.Indices, a, d, c)
			}
		}
	}
	return &m
}

// The direct light of one light of the demo at draft, as while it is dragged.
func BenchmarkPreview(b *testing.B) {
	p := prepare(b, demo.Saltmarsh())
	for _, id := range []string{"table-light", "great-lens", "door-lamp"} {
		b.Run(id, func(b *testing.B) {
			for b.Loop() {
				_, err := p.Direct(b.Context(), []*source.Source{p.Source(id)}, bake.Draft)
				require.NoError(b, err)
			}
		})
	}
}
