package compare

import (
	"math"

	"grotta/core/color"
)

// Lab is a colour in CIE 1976 L*a*b*, for the white of D65.
type Lab struct{ L, A, B float64 }

// LabOf converts linear Rec. 709 (CIE 15:2004).
func LabOf(c color.Linear) Lab {
	x := (0.4124564*c[0] + 0.3575761*c[1] + 0.1804375*c[2]) / 0.95047
	y := 0.2126729*c[0] + 0.7151522*c[1] + 0.0721750*c[2]
	z := (0.0193339*c[0] + 0.1191920*c[1] + 0.9503041*c[2]) / 1.08883
	f := func(t float64) float64 {
		if t > 216.0/24389 {
			return math.Cbrt(t)
		}
		return (24389.0/27*t + 16) / 116
	}
	return Lab{116*f(y) - 16, 500 * (f(x) - f(y)), 200 * (f(y) - f(z))}
}

// Difference is CIEDE2000 with all weights 1 (CIE 142-2001), as Sharma, Wu and
// Dalal write it ("The CIEDE2000 color-difference formula", Color Research and
// Application 30, 2005).
func Difference(p, q Lab) float64 {
	c1, c2 := math.Hypot(p.A, p.B), math.Hypot(q.A, q.B)
	mean7 := math.Pow((c1+c2)/2, 7)
	g := 0.5 * (1 - math.Sqrt(mean7/(mean7+math.Pow(25, 7))))
	a1, a2 := (1+g)*p.A, (1+g)*q.A
	c1, c2 = math.Hypot(a1, p.B), math.Hypot(a2, q.B)
	h1, h2 := hue(a1, p.B), hue(a2, q.B)
	dL, dC := q.L-p.L, c2-c1
	dh, mean := 0.0, h1+h2
	if c1*c2 != 0 {
		switch dh = h2 - h1; {
		case dh > 180:
			dh -= 360
		case dh < -180:
			dh += 360
		}
		switch {
		case math.Abs(h1-h2) <= 180:
			mean = (h1 + h2) / 2
		case h1+h2 < 360:
			mean = (h1 + h2 + 360) / 2
		default:
			mean = (h1 + h2 - 360) / 2
		}
	}
	dH := 2 * math.Sqrt(c1*c2) * sinDeg(dh/2)
	l, c := (p.L+q.L)/2, (c1+c2)/2
	t := 1 - 0.17*cosDeg(mean-30) + 0.24*cosDeg(2*mean) + 0.32*cosDeg(3*mean+6) - 0.20*cosDeg(4*mean-63)
	sL := 1 + 0.015*(l-50)*(l-50)/math.Sqrt(20+(l-50)*(l-50))
	sC, sH := 1+0.045*c, 1+0.015*c*t
	c7 := math.Pow(c, 7)
	turn := 30 * math.Exp(-((mean-275)/25)*((mean-275)/25))
	rT := -2 * math.Sqrt(c7/(c7+math.Pow(25, 7))) * sinDeg(2*turn)
	x, y, z := dL/sL, dC/sC, dH/sH
	return math.Sqrt(x*x + y*y + z*z + rT*y*z)
}

func hue(a, b float64) float64 {
	if a == 0 && b == 0 {
		return 0
	}
	h := math.Atan2(b, a) * 180 / math.Pi
	if h < 0 {
		h += 360
	}
	return h
}

func sinDeg(d float64) float64 { return math.Sin(d * math.Pi / 180) }
func cosDeg(d float64) float64 { return math.Cos(d * math.Pi / 180) }
