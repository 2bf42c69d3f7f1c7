package level

import (
	"math"

	"grotta/core/color"
)

// Water is what a block of a material is filled with, in place of a solid: light goes in and out of it.
type Water struct {
	Tint     string  `json:"tint" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#5a9690" doc:"The colour that white light has after clarity_m metres."`
	ClarityM float64 `json:"clarity_m" exclusiveMinimum:"0" maximum:"1000" default:"2" doc:"Metres in which light takes on the tint, and again with each as many more."`
	WaveM    float64 `json:"wave_m" minimum:"0" maximum:"10" default:"0.02" doc:"How high waves are, from trough to crest, metres; 0 is still water."`
	LengthM  float64 `json:"length_m" exclusiveMinimum:"0" maximum:"200" default:"1.2" doc:"From crest to crest of the longest waves, metres. They run with the wind."`
}

// enteringShare is the share of even light that goes through the surface of water; the rest is mirrored. It is the integral of
// Fresnel's formula over the hemisphere for an index of 1.33 (Walsh, "The reflection factor of a polished glass surface
// for diffused light", 1926).
const enteringShare = 0.934

// Entering is the share of even light that goes through the surface of water.
func Entering() float64 { return enteringShare }

// Through is the share of light that is left after so many metres of it (Beer and Lambert's law).
func (w *Water) Through(metres float64) color.Linear {
	tint := mustHex(w.Tint)
	for c := range tint {
		tint[c] = math.Pow(max(tint[c], leastTint), metres/w.ClarityM)
	}
	return tint
}

// Fades is how fast light fades in it, for each metre: the logarithm of the share that is left.
func (w *Water) Fades() color.Linear {
	fades := w.Through(1)
	for c := range fades {
		fades[c] = -math.Log(fades[c])
	}
	return fades
}

// leastTint keeps a channel of black from being cut off at once.
const leastTint = 1e-4

// ripples are the waves that run over water: the angle to the wind, the length as a share of the longest and the share of
// the height. Shorter ones are lower, as those that the wind raises are.
var ripples = [...]struct{ turn, length, height float64 }{
	{0.1, 1, 0.34}, {-0.55, 0.71, 0.25}, {0.62, 0.53, 0.18}, {-0.2, 0.37, 0.12}, {1.2, 0.23, 0.07}, {-1.05, 0.16, 0.04},
}

const gravity = 9.81 // m/s²

// Slope is how steep the surface of water is at a place after so many seconds, along x and along z, and the variance of
// what is left out because it is finer than a pixel of so many metres. Waves run by the speed of those of deep water,
// √(g λ / 2π) (Airy's linear theory). windX and windZ say where the wind blows to; without wind they run to +x.
func (w *Water) Slope(x, z, seconds, windX, windZ, pixelM float64) (alongX, alongZ, variance float64) {
	toward := 0.0
	if windX != 0 || windZ != 0 {
		toward = math.Atan2(windZ, windX)
	}
	for i, r := range ripples {
		length := r.length * w.LengthM
		k := 2 * math.Pi / length
		steep := r.height * w.WaveM / 2 * k
		shown := min(max(length/(4*pixelM)-0.5, 0), 1) // of waves of less than two pixels nothing, of more than six all
		sin, cos := math.Sincos(toward + r.turn)
		slope := steep * math.Cos(k*(x*cos+z*sin)-math.Sqrt(gravity*k)*seconds+2.4*float64(i))
		alongX, alongZ = alongX+shown*slope*cos, alongZ+shown*slope*sin
		variance += (1 - shown*shown) * steep * steep / 2
	}
	return alongX, alongZ, variance
}

// WaterRoughness is that of still water.
const WaterRoughness = 0.02

// IsWater tells whether blocks of the material are filled with water. What shines is solid.
func (m *Material) IsWater() bool { return m.Water != nil && m.Emission == 0 }

// Waters are the ids of the materials that fill blocks with water.
func (l *Level) Waters() map[string]bool {
	waters := map[string]bool{}
	for _, m := range l.Materials {
		if m.IsWater() {
			waters[m.ID] = true
		}
	}
	return waters
}

// Filled is a material of water on a block, which is as smooth as still water, or on anything else, which stays solid.
func (m *Material) Filled(isBlock bool) *Material {
	if !m.IsWater() {
		return m
	}
	made := *m
	if isBlock {
		made.Roughness = min(m.Roughness, WaterRoughness)
	} else {
		made.Water = nil
	}
	return &made
}
