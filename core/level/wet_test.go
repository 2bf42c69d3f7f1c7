package level_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/level"
)

// Wet albedos follow the table of Ångström's formula for water; metals and what shines stay dry.
func TestWetSurfacesAreDarker(t *testing.T) {
	m := level.Default[level.Material]()
	m.Color, m.Porosity = "#ffffff", 1
	assert.InDelta(t, 1, m.Wet(1).Albedo()[0], 1e-12, "white stays white")
	for _, c := range []struct {
		hex      string
		dry, wet float64
	}{{"#bcbcbc", 0.5029, 0.3638}, {"#585858", 0.0976, 0.0576}} {
		m.Color = c.hex
		assert.InDelta(t, c.dry, m.Albedo()[1], 1e-3)
		assert.InDelta(t, c.wet, m.Wet(1).Albedo()[1], 1e-3, c.hex)
		half := m.Wet(0.5).Albedo()[1]
		assert.InDelta(t, (c.dry+c.wet)/2, half, 1e-3)
	}
	assert.InDelta(t, 0.2, m.Wet(1).Roughness, 1e-12)
	assert.InDelta(t, 0.6, m.Wet(0.5).Roughness, 1e-12)
	assert.Same(t, &m, m.Wet(0))
	m.Metalness = 1
	assert.Equal(t, m.Albedo(), m.Wet(1).Albedo())
	m.Roughness = 0.02
	assert.Equal(t, 0.02, m.Wet(1).Roughness, "water makes nothing rougher")
	m.Emission = 10
	assert.Same(t, &m, m.Wet(1))
}

// It rains outdoors; a zone may say for itself.
func TestWhereItIsWet(t *testing.T) {
	l := level.New("Rain")
	l.Environment.Wetness = 0.8
	z := level.Default[level.Zone]()
	assert.Equal(t, 0.8, l.Wetness(nil))
	assert.Zero(t, l.Wetness(&z), "indoors")
	z.Mode = "outdoor"
	assert.Equal(t, 0.8, l.Wetness(&z))
	own := 0.3
	z.Wetness = &own
	assert.Equal(t, 0.3, l.Wetness(&z))
	l.Environment.Mode = "indoor"
	assert.Zero(t, l.Wetness(nil))
}
