// Package bake computes light: what every source sends to every texel, direct and by
// bounces, as one layer for each source.
//
// A layer holds a source's light for unit white strength. Light is linear, so the
// lightmap of any strengths and colours is a weighted sum of layers, without rays.
//
// The way of the data: level -> Prepare (scene, layout, texels, sources) -> directLight
// -> transport (what surfaces send each other) -> gather -> smooth -> pack into a layer of
// each source. Every random choice is seeded by the texel's place and the source, so the
// bytes do not depend on threads, order, or which sources are baked together.
package bake

// Engine is part of every layer's key: raise it when the same inputs would give
// other bytes.
const Engine = 12

// Quality is how many rays each texel sends.
type Quality string

// The qualities, cheap to dear.
const (
	Draft Quality = "draft"
	Good  Quality = "good"
	Final Quality = "final"
)

// Qualities lists them all.
var Qualities = []Quality{Draft, Good, Final}

// Samples is the number of shadow rays to a source that has a size, spread
// evenly over it. Sources without size take one, at every quality.
func (q Quality) Samples() int {
	switch q {
	case Draft:
		return 4
	case Final:
		return 64
	}
	return 16
}

// Rays is how many each texel sends over its hemisphere for bounces and sky. A
// draft sends none of its own and reads the patches' rays.
func (q Quality) Rays() int {
	switch q {
	case Draft:
		return patchRays
	case Final:
		return 256
	}
	return 64
}

// Noise is how far a texel is off at most, as a root mean square over a level and
// a share of its mean light. It is what tests hold the demo's levels to, against
// paths that share nothing with the bake.
func (q Quality) Noise() float64 {
	switch q {
	case Draft:
		return 0.07
	case Final:
		return 0.035
	}
	return 0.045
}

// tolerance is the share of all light that the last bounces may leave out.
func (q Quality) tolerance() float64 {
	if q == Draft {
		return 2e-3
	}
	return 1e-4
}

// Valid tells whether it is one of the qualities.
func (q Quality) Valid() bool { return q == Draft || q == Good || q == Final }
