package level

import "grotta/core/color"

// Wetness is how wet surfaces of a zone are, or those in no zone for nil: the zone's own, or else the level's
// where it is outdoors.
func (l *Level) Wetness(z *Zone) float64 {
	mode := l.Environment.Mode
	if z != nil {
		if z.Wetness != nil {
			return *z.Wetness
		}
		mode = z.Mode
	}
	if mode != "outdoor" {
		return 0
	}
	return l.Environment.Wetness
}

// Water's refractive index, and how rough the film is that stands on a surface when it is wet through.
const (
	waterIndex    = 1.33
	filmRoughness = 0.2
)

// Wet is the material with water on and in it, 0 to 1. The film darkens what is porous: light that was scattered
// is reflected back by the film from within and is scattered again, so an albedo a becomes a / (n² - a (n² - 1))
// (Ångström, "The albedo of various surfaces of ground", 1925; Lekner and Dorf, "Why some things are darker when
// wet", 1988). The roughness goes over to that of the film. What shines stays as it is.
func (m *Material) Wet(wetness float64) *Material {
	if wetness <= 0 || m.Emission > 0 || m.IsWater() {
		return m
	}
	wet := *m
	wet.soaked = wetness * m.Porosity * (1 - m.Metalness)
	wet.Roughness += wetness * (min(filmRoughness, m.Roughness) - m.Roughness)
	return &wet
}

// soakedAlbedo is an albedo where a share of the surface is soaked.
func soakedAlbedo(dry color.Linear, share float64) color.Linear {
	const n2 = waterIndex * waterIndex
	for c, a := range dry {
		dry[c] += share * (a/(n2-a*(n2-1)) - a)
	}
	return dry
}
