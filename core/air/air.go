// Package air is what light passes through on its way to the eye: haze now, and
// the place for every other fog. It knows levels and colours, and casts no rays.
package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/level"
)

// HazeShare is how much of what stands at a distance is hidden, 0 to h.Max.
//
// With a density it is 1 - exp(-density (d - start)), Beer and Lambert's law;
// else it grows evenly from start to end.
func HazeShare(h *level.Haze, distance float64) float64 {
	if !h.Enabled || distance <= h.StartM {
		return 0
	}
	share := 1.0
	switch {
	case h.Density > 0:
		share = 1 - math.Exp(-h.Density*(distance-h.StartM))
	case h.EndM > h.StartM:
		share = (distance - h.StartM) / (h.EndM - h.StartM)
	}
	return math.Min(share, h.Max)
}

// Through is the radiance that arrives through the haze, in nits.
func Through(h *level.Haze, radiance color.Linear, distance float64) color.Linear {
	share := HazeShare(h, distance)
	if share == 0 {
		return radiance
	}
	return radiance.Lerp(h.Radiance(), share)
}

// GlowFalloff is the brightness of a glow at a distance from its middle, given
// as a share of its radius: a Gaussian that is lowered to reach 0 at the rim.
func GlowFalloff(share float64) float64 {
	if share >= 1 {
		return 0
	}
	const rim = 0.011108996538242306 // exp(-4.5): three standard deviations
	return (math.Exp(-4.5*share*share) - rim) / (1 - rim)
}
