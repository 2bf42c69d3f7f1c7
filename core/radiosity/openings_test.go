package radiosity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
	"grotta/demo"
)

// In a room with a window the sky on a patch is near that of 2048 rays of its own, and no brighter or darker on average.
func TestTheSkyComesThroughAWindow(t *testing.T) {
	for _, place := range demo.HardPlaces() {
		if place.Label != "window, even sky" {
			continue
		}
		s := scene.Build(place.Level)
		m, err := lightmap.New(s)
		require.NoError(t, err)
		l, err := New(t.Context(), m, nil)
		require.NoError(t, err)
		var sky *source.Source
		for _, one := range source.All(source.List(place.Level, s)) {
			if one.IsSky() {
				sky = one
			}
		}
		require.NotNil(t, sky)
		all, mean, off, squares, plainSquares := 0, 0.0, 0.0, 0.0, 0.0
		for k := range l.Patches() {
			texels := l.texelsOf(k, nil)
			if !place.Judges(s.Surfaces[m.Texels.List[texels[0]].Surface(s)].Body().Solid.ID) {
				continue
			}
			var got [3]float32
			l.AddSky(sky, k, got[:])
			about := l.frameOf(k)
			by := func(rays int) (lux float64) {
				sent := Volley{Links: l, Met: func(_ int, dir geom.Vec3, target uint32, _ float64, _ geom.Vec3) {
					if target == Sky {
						lux += sky.EvenSky(dir)[1] * math.Pi / float64(rays)
					}
				}}
				for i := range rays {
					a, b := sampling.Pair(i, rays, sampling.TurnAt(1, m.Texels.List[texels[0]].Origin))
					sent.Send(i, sender(m, texels, i), sampling.CosineDirection(about.N, about.U, about.V, a, b))
				}
				sent.Land()
				return lux
			}
			truth, plain := by(2048), by(Rays)
			all++
			mean, off = mean+truth, off+float64(got[1])-truth
			squares += (float64(got[1]) - truth) * (float64(got[1]) - truth)
			plainSquares += (plain - truth) * (plain - truth)
		}
		require.Greater(t, all, 300)
		mean, off = mean/float64(all), off/float64(all)
		rms, plain := math.Sqrt(squares/float64(all)), math.Sqrt(plainSquares/float64(all))
		t.Logf("%d patches, mean %.4f: off by %.1f %% and %+.1f %% on average; with %d rays alone by %.1f %%", all, mean, 100*rms/mean, 100*off/mean, Rays, 100*plain/mean)
		assert.Less(t, rms, 0.5*plain)
		assert.InDelta(t, 0, off, 0.04*mean)
	}
}
