package exchange

import (
	"math"

	"grotta/core/color"
	"grotta/core/level"
)

// shine makes a material send out light: so much radiance on each channel, in nits. A level's
// material shines in its base colour, which takes the light's where it is another.
func shine(m *level.Material, light color.Linear, where string, report *Report) {
	most := max(light[0], light[1], light[2])
	if !(most > 0) || math.IsInf(most, 0) {
		return
	}
	base := m.Albedo()
	hue := light.Scale(1 / most)
	if base.Luminance() < 0.02 || !alike(base, hue) {
		if m.Image == "" {
			m.Color = hue.Exact()
			base = m.Albedo()
			report.note("%s: the material shines in another colour than its base has; it takes the one it shines in, %s", where, m.Color)
		} else {
			report.note("%s: the material shines in the colours of its image", where)
		}
	}
	m.Emission = min(light.Luminance()/max(base.Luminance(), 1e-3), maxEmission)
}

const maxEmission = 1e9

// alike tells whether two colours have about the same hue.
func alike(a, b color.Linear) bool {
	a = a.Scale(1 / max(a[0], a[1], a[2], 1e-9))
	for i := range a {
		if math.Abs(a[i]-b[i]) > 0.1 {
			return false
		}
	}
	return true
}
