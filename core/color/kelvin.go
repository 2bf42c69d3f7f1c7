package color

import "math"

// Range of colour temperatures that Kelvin accepts, in kelvin.
const (
	MinKelvin = 1000
	MaxKelvin = 40000
)

// Kelvin is the colour of a Planckian radiator at t kelvin, scaled to luminance
// 1 so that a lamp of so many candela keeps them whatever its temperature.
// Channels outside the Rec. 709 gamut (blue below about 1900 K) are set to 0
// and the rest rescaled. t is clamped to [MinKelvin, MaxKelvin].
func Kelvin(t float64) Linear {
	x, y := planckianXY(t)
	// xyY to linear Rec. 709 (IEC 61966-2-1, D65), Y = 1.
	X, Z := x/y, (1-x-y)/y
	c := Linear{
		3.2404542*X - 1.5371385 - 0.4985314*Z,
		-0.9692660*X + 1.8760108 + 0.0415560*Z,
		0.0556434*X - 0.2040259 + 1.0572252*Z,
	}
	for i := range c {
		c[i] = max(0, c[i])
	}
	return c.Scale(1 / c.Luminance())
}

// planckianXY integrates Planck's law over the CIE 1931 2-degree observer from
// 380 to 780 nm and returns the chromaticity. The observer is the multi-lobe fit
// of Wyman, Sloan and Shirley, "Simple Analytic Approximations to the CIE XYZ
// Color Matching Functions", JCGT 2(2), 2013. Within 0.003 of the tabulated locus
// in x and y at the six temperatures from 2000 K to 10000 K that its test holds.
func planckianXY(t float64) (x, y float64) {
	t = min(max(t, MinKelvin), MaxKelvin)
	const c2 = 1.438776877e-2 // second radiation constant, m K (CODATA 2018)
	var X, Y, Z float64
	for nm := 380.0; nm <= 780; nm += 5 {
		l := nm * 1e-9
		p := math.Pow(nm/560, -5) / (math.Exp(c2/(l*t)) - 1)
		X += p * (1.056*lobe(nm, 599.8, 37.9, 31.0) + 0.362*lobe(nm, 442.0, 16.0, 26.7) - 0.065*lobe(nm, 501.1, 20.4, 26.2))
		Y += p * (0.821*lobe(nm, 568.8, 46.9, 40.5) + 0.286*lobe(nm, 530.9, 16.3, 31.1))
		Z += p * (1.217*lobe(nm, 437.0, 11.8, 36.0) + 0.681*lobe(nm, 459.0, 26.0, 13.8))
	}
	return X / (X + Y + Z), Y / (X + Y + Z)
}

// lobe is a Gaussian with its own width on each side of its middle.
func lobe(v, middle, below, above float64) float64 {
	w := below
	if v >= middle {
		w = above
	}
	d := (v - middle) / w
	return math.Exp(-d * d / 2)
}
