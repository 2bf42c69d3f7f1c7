package bake_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/demo"
)

// What a person waits for on the demo: all of it coarse for the first time, a
// moved light's layer at draft, all of it good, a mix.
func BenchmarkDemo(b *testing.B) {
	run := func(b *testing.B, p *bake.Prepared, s []*bake.Source, q bake.Quality) []*bake.Layer {
		layers, err := p.Bake(context.Background(), s, q, nil)
		require.NoError(b, err)
		return layers
	}
	b.Run("first", func(b *testing.B) {
		for b.Loop() {
			p := prepare(b, demo.Saltmarsh())
			run(b, p, bake.All(p.Sources), bake.Draft)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
	p := prepare(b, demo.Saltmarsh())
	layers := run(b, p, bake.All(p.Sources), bake.Draft)
	b.Run("moved", func(b *testing.B) {
		for i := 0; b.Loop(); i++ {
			run(b, p, bake.All(p.Sources[i%len(p.Scene.Level.Lights):][:1]), bake.Draft)
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
					run(b, p, bake.All(p.Sources), bake.Good)
					continue
				}
				run(b, p, bake.All(p.Sources[:len(l.Lights)]), bake.Good)
			}
			b.ReportMetric(float64(b.N)*float64(len(p.Texels.List))/b.Elapsed().Seconds()/1e6, "Mtexels/s")
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
		})
	}
	b.Run("mix", func(b *testing.B) {
		for b.Loop() {
			bake.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
		}
		b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
	})
}

// The mix by texel and layer, and the plain loop over as many bytes that it is
// held against: a layer's half-floats read, and the image read and written.
func BenchmarkMix(b *testing.B) {
	p := prepare(b, demo.Saltmarsh())
	layers, err := p.Bake(context.Background(), bake.All(p.Sources), bake.Draft, nil)
	require.NoError(b, err)
	m := bake.NewImage(p.Layout.PageSize, p.Layout.Pages)
	texels := 0
	for _, l := range layers {
		texels += len(l.Tiles) * bake.TileSize * bake.TileSize
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
