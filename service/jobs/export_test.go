package jobs

import (
	"context"

	"grotta/core/bake"
	"grotta/core/source"
)

// InPlaceOfBaking sets what is called for every bake of layers, with what would be called
// otherwise.
func (b *Baker) InPlaceOfBaking(fn func(bake func() ([]*bake.Layer, error)) ([]*bake.Layer, error)) {
	was := b.bake
	b.bake = func(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*bake.Layer, error) {
		return fn(func() ([]*bake.Layer, error) { return was(ctx, p, sources, q, report) })
	}
}
