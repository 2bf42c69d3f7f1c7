// Package baketest prepares and bakes levels for tests.
package baketest

import (
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
)

// Prepare validates and prepares a level.
func Prepare(t testing.TB, l *level.Level) *bake.Prepared {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	return p
}

// Layers bakes all sources.
func Layers(t testing.TB, p *bake.Prepared, q bake.Quality) []*layer.Layer {
	t.Helper()
	layers, err := p.Bake(t.Context(), source.All(p.Sources), q, nil)
	require.NoError(t, err)
	return layers
}

// Mix bakes all sources and adds their layers.
func Mix(t testing.TB, p *bake.Prepared, q bake.Quality) *layer.Image {
	t.Helper()
	return layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, Layers(t, p, q))
}
