package accuracy_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/accuracy"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/demo"
)

func baked(t *testing.T, l *level.Level, q bake.Quality) (*bake.Prepared, *layer.Image) {
	t.Helper()
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	layers, err := p.Bake(t.Context(), source.All(p.Sources), q, nil)
	require.NoError(t, err)
	return p, layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
}

// An error that is planted into a lightmap is measured as it is.
func TestPlantedErrorsAreMeasured(t *testing.T) {
	p, image := baked(t, demo.Room(), bake.Good)
	was, err := accuracy.Measure(t.Context(), p, image, 96, 2048)
	require.NoError(t, err)
	t.Logf("%+v", was)
	assert.Equal(t, 96, was.Texels)
	assert.Less(t, was.RMS, 0.12)
	assert.InDelta(t, 0, was.Bias, 0.05)
	assert.Less(t, was.Own, 0.02)

	for i := range image.Pix {
		image.Pix[i] *= 1.3
	}
	brighter, err := accuracy.Measure(t.Context(), p, image, 96, 2048)
	require.NoError(t, err)
	assert.Greater(t, brighter.Bias, was.Bias+0.1, "too bright by three tenths; less where it is darker than usual")
	assert.Less(t, brighter.Bias, was.Bias+0.35)
	assert.Greater(t, brighter.RMS, 0.15)
	clear(image.Pix)
	dark, err := accuracy.Measure(t.Context(), p, image, 96, 2048)
	require.NoError(t, err)
	assert.Less(t, dark.Bias, -0.3, "all is missing")
	assert.InDelta(t, was.Median, dark.Median, 1e-9, "the same texels, the same paths")
}

// Better qualities are measured as better, and a cancelled measurement ends.
func TestQualitiesAreToldApart(t *testing.T) {
	last := 1.0
	for _, q := range []bake.Quality{bake.Draft, bake.Good} {
		p, image := baked(t, demo.HardPlaces()[2].Level, q)
		a, err := accuracy.Measure(t.Context(), p, image, 96, 2048)
		require.NoError(t, err)
		t.Logf("%s: %+v", q, a)
		assert.Less(t, a.RMS, last)
		last = a.RMS
		ctx, cancel := context.WithCancel(t.Context())
		cancel()
		_, err = accuracy.Measure(ctx, p, image, 96, 2048)
		assert.ErrorIs(t, err, context.Canceled)
	}
	p, image := baked(t, level.New("Empty"), bake.Draft)
	a, err := accuracy.Measure(t.Context(), p, image, 10, 64)
	require.NoError(t, err)
	assert.Zero(t, a)
}
