package color

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestSRGBAgainstTheStandard(t *testing.T) {
	// Anchor values of IEC 61966-2-1: the two branches meet, and mid grey is 0.2140.
	assert.InDelta(t, 0.0031308, DecodeSRGB(0.04045), 1e-7)
	assert.InDelta(t, 0.214041, DecodeSRGB(0.5), 1e-6)
	assert.InDelta(t, 0.735357, EncodeSRGB(0.5), 1e-6)
	assert.Equal(t, 1.0, EncodeSRGB(7))
	assert.Equal(t, 0.0, EncodeSRGB(-1))
}

func TestHexGoesBothWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.StringMatching(`#[0-9a-f]{6}`).Draw(t, "hex")
		c, err := ParseHex(s)
		require.NoError(t, err)
		assert.Equal(t, s, c.Hex())
		assert.Equal(t, s, c.Exact())
		long := rapid.StringMatching(`#[0-9a-f]{12}`).Draw(t, "long")
		c, err = ParseHex(long)
		require.NoError(t, err)
		again, err := ParseHex(c.Exact())
		require.NoError(t, err)
		assert.InDeltaSlice(t, c[:], again[:], 1e-5)
	})
}

// 16 bits for each channel are 1/65535 of the encoding; its steepest place, at white, makes 3.5e-5 of them.
func TestAnExactColour(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var c Linear
		for i := range c {
			c[i] = rapid.Float64Range(0, 1).Draw(t, "channel")
		}
		read, err := ParseHex(c.Exact())
		require.NoError(t, err)
		assert.InDeltaSlice(t, c[:], read[:], 1.8e-5)
	})
	assert.Equal(t, "#7c0a7c0a7c0a", Linear{0.2, 0.2, 0.2}.Exact())
	assert.Equal(t, "#808080", Linear{DecodeSRGB(128.0 / 255), DecodeSRGB(128.0 / 255), DecodeSRGB(128.0 / 255)}.Exact())
}

func TestHexRefusesWhatIsNotAColour(t *testing.T) {
	for _, s := range []string{"", "#fff", "red", "#12345g", "#1234567", "+12345f", "#+12345", "#1234567890", "#12345678901g"} {
		_, err := ParseHex(s)
		assert.ErrorContains(t, err, "#rrggbb", s)
	}
}

// Chromaticities of the Planckian locus as tabulated from the CIE 1931 observer.
func TestPlanckianLocus(t *testing.T) {
	for _, c := range []struct{ kelvin, x, y float64 }{
		{2000, 0.5267, 0.4133},
		{2856, 0.4476, 0.4074},
		{4000, 0.3805, 0.3768},
		{5000, 0.3451, 0.3516},
		{6500, 0.3135, 0.3237},
		{10000, 0.2807, 0.2884},
	} {
		x, y := planckianXY(c.kelvin)
		assert.InDelta(t, c.x, x, 0.003, "x at %v K", c.kelvin)
		assert.InDelta(t, c.y, y, 0.003, "y at %v K", c.kelvin)
		assert.InDelta(t, 1, Kelvin(c.kelvin).Luminance(), 1e-9)
	}
	warm, cold := Kelvin(2200), Kelvin(12000)
	assert.Greater(t, warm[0], warm[2])
	assert.Greater(t, cold[2], cold[0])
}

func TestASwatchKeepsTheHue(t *testing.T) {
	full, times := Linear{2.4, 0.6, 0.12}.Swatch()
	assert.InDeltaSlice(t, []float64{1, 0.25, 0.05}, full[:], 1e-12)
	assert.InDelta(t, 2.4, times, 1e-12)
	full, times = Linear{}.Swatch()
	assert.Equal(t, Linear{}, full)
	assert.Equal(t, 1.0, times)
}
