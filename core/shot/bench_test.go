package shot_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/scatter"
	"grotta/core/shot"
	"grotta/core/source"
	"grotta/demo"
)

// A finished picture of 1280 by 800 of a demo level that is baked, air and look
// and all; and the light in its fog, from nothing.
func BenchmarkShot(b *testing.B) {
	for _, from := range []string{"demo", "mill"} {
		p, err := bake.Prepare(demo.Start(from))
		require.NoError(b, err)
		ctx := context.Background()
		layers, err := p.Bake(ctx, source.All(p.Sources), bake.Draft, nil)
		require.NoError(b, err)
		image := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
		cam := shot.Of(p.Scene.World, p.Scene.Level.Viewpoints[0])
		air, _, err := shot.Air(ctx, p, scatter.Ask{})
		require.NoError(b, err)
		b.Run(from, func(b *testing.B) {
			for range b.N {
				_, err := shot.Render(ctx, p, image, cam, shot.Options{Width: 1280, Height: 800, Samples: 2, Air: air}, nil)
				require.NoError(b, err)
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
		})
		b.Run(from+"-fog", func(b *testing.B) {
			for range b.N {
				_, _, err := shot.Air(ctx, p, scatter.Ask{})
				require.NoError(b, err)
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N), "s")
		})
	}
}
