package jobs

import (
	"context"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/source"
)

// InPlaceOfBaking sets what is called for every bake of layers, with what would be called
// otherwise.
func (b *Baker) InPlaceOfBaking(fn func(bake func() ([]*layer.Layer, error)) ([]*layer.Layer, error)) {
	was := b.bake
	b.bake = func(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error) {
		return fn(func() ([]*layer.Layer, error) { return was(ctx, p, sources, q, report) })
	}
}

// Sweep looks for bakes that nobody works on, as the service does every few seconds.
func (b *Baker) Sweep() { b.sweep(context.Background()) }
