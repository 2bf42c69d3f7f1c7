package shot_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/shot"
	"grotta/demo"
)

// A finished picture of 1280 by 800, air and look and all, of a demo level that
// is baked.
func BenchmarkShot(b *testing.B) {
	for _, from := range []string{"demo", "mill"} {
		b.Run(from, func(b *testing.B) {
			p, err := bake.Prepare(demo.Start(from))
			require.NoError(b, err)
			ctx := context.Background()
			layers, err := p.Bake(ctx, bake.All(p.Sources), bake.Draft, nil)
			require.NoError(b, err)
			image := bake.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
			cam := shot.Of(p.Scene.World, p.Scene.Level.Viewpoints[0])
			b.ResetTimer()
			for range b.N {
				air, _, err := shot.Air(ctx, p, nil, nil, nil)
				require.NoError(b, err)
				_, err = shot.Render(ctx, p, image, cam, shot.Options{Width: 1280, Height: 800, Samples: 2, Air: air}, nil)
				require.NoError(b, err)
			}
		})
	}
}
