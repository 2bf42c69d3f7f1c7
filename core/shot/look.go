package shot

import (
	"math"

	"grotta/core/color"
	"grotta/core/level"
)

// White is the luminance in nits that a camera set to ev (at ISO 100) shows as
// 1: 1.2 x 2^ev, the saturation-based exposure of ISO 12232 with 12.7 % grey.
func White(ev float64) float64 { return 1.2 * math.Exp2(ev) }

// filmicWhite is the exposed value that the filmic curve brings to 1.
const filmicWhite = 4.0

// Display turns radiance into linear display values in [0, 1] by the look:
// exposure, then tone. "clamp" cuts at 1; "filmic" is the extended curve
// x (1 + x/w²) / (1 + x) of Reinhard et al. (2002), equation 4, per channel with
// w = 4, which keeps what clamp would burn. An unlit picture skips the look.
func Display(look *level.Look, radiance color.Linear, unlit bool) color.Linear {
	if !unlit {
		radiance = radiance.Scale(1 / White(look.ExposureEV))
	}
	for c, x := range radiance {
		if look.Tone == "filmic" && !unlit {
			x = x * (1 + x/(filmicWhite*filmicWhite)) / (1 + x)
		}
		radiance[c] = math.Min(math.Max(x, 0), 1)
	}
	return radiance
}
