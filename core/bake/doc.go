// Package bake computes light: what every source sends to every texel, direct and by
// bounces, as one layer for each source.
//
// A layer holds a source's light for unit white strength. Light is linear, so the
// lightmap of any strengths and colours is a weighted sum of layers, without rays.
//
// Bake reads from top to bottom: direct light (core/direct), links and bounces
// (core/radiosity), gathering and smoothing (core/gather, core/smooth), packing into a layer of
// each source (core/layer). Each of those knows nothing of the ones after it. Every random
// choice is seeded by the texel's place and the source, so the bytes do not depend on threads,
// order, or which sources are baked together.
package bake

import (
	"grotta/core/gather"
	"grotta/core/radiosity"
	"grotta/core/sampling"
)

// Engine is part of every layer's key: raise it when the same inputs would give
// other bytes.
const Engine = 24

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
		return radiosity.Rays
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

// goodFans and finalFans are the patterns of the rays that texels send.
var goodFans, finalFans = sampling.NewFans(Good.Rays()), sampling.NewFans(Final.Rays())

// effort is how light is gathered. More rays leave less noise, so they are smoothed less.
func (q Quality) effort() gather.Effort {
	switch q {
	case Draft:
		return gather.Effort{Rays: q.Rays(), Tolerance: 2e-3, Smoothing: 2}
	case Final:
		return gather.Effort{Rays: q.Rays(), Fans: finalFans, ToBright: radiosity.BrightRays{Rays: 8, Error: 0.015}, ToOpenings: 6, ToRims: 3, Tolerance: 1e-4, Smoothing: 2}
	}
	return gather.Effort{Rays: q.Rays(), Fans: goodFans, ToBright: radiosity.BrightRays{Rays: 6, Error: 0.03}, ToOpenings: 3, ToRims: 2, Tolerance: 1e-4, Smoothing: 3}
}

// Valid tells whether it is one of the qualities.
func (q Quality) Valid() bool { return q == Draft || q == Good || q == Final }
