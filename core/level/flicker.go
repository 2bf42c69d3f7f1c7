package level

import "math"

// At is what a flicker multiplies a light's strength by at a time, in seconds:
// 1 - depth to 1. The same time always gives the same; lights of one pattern and
// other seeds do not move together.
//
//   - candle: smooth noise of two octaves, uneasy and never still;
//   - faulty: on, but for short dips at random;
//   - pulse: an even swell, 1 at time 0.
func (f *Flicker) At(seconds float64, seed string) float64 {
	phase := float64(hash(seed)%1000) / 1000
	x := seconds*f.RateHz + 17*phase
	dip := 0.0
	switch f.Pattern {
	case "candle":
		dip = 0.7*noise(x, seed) + 0.3*noise(2.7*x, seed+"'")
	case "faulty":
		if value(math.Floor(x), seed) < 0.25 && math.Mod(x, 1) < 0.6 {
			dip = 1
		}
	case "pulse":
		dip = 0.5 - 0.5*math.Cos(2*math.Pi*seconds*f.RateHz)
	}
	return 1 - f.Depth*dip
}

// noise goes smoothly between values at whole numbers (Perlin's fade, 2002).
func noise(x float64, seed string) float64 {
	at := math.Floor(x)
	t := x - at
	t = t * t * t * (t*(6*t-15) + 10)
	return value(at, seed)*(1-t) + value(at+1, seed)*t
}

// value is a number of [0, 1) for a whole number (the finaliser of splitmix64).
func value(at float64, seed string) float64 {
	x := hash(seed) + uint64(int64(at))*0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	x ^= x >> 31
	return float64(x>>11) / (1 << 53)
}

// hash is FNV-1a, 64 bits.
func hash(s string) uint64 {
	h := uint64(14695981039346656037)
	for i := range len(s) {
		h = (h ^ uint64(s[i])) * 1099511628211
	}
	return h
}
