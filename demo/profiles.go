package demo

import (
	"fmt"
	"math"
	"strings"

	"grotta/core/level"
)

// profiles are made-up luminaires for the demo: how they shine is a formula, written as IES LM-63.
func profiles() []*level.LightProfile {
	return []*level.LightProfile{
		profile("pier-lantern", "Pier lantern", func(v, _ float64) float64 { // wide to the sides, shaded above
			if v > 100 {
				return 0
			}
			return 60 + 240*math.Pow(math.Sin(rad(v)), 3)
		}),
		profile("deep-shade", "Deep shade", func(v, _ float64) float64 { // a narrow pool below
			return 900 * math.Pow(max(0, math.Cos(rad(v))), 14)
		}),
		profile("wall-washer", "Wall washer", func(v, h float64) float64 { // to one side
			return 500 * max(0, math.Sin(rad(v))*math.Cos(rad(h))) * math.Pow(math.Sin(rad(min(2*v, 180))), 2)
		}),
	}
}

func rad(degrees float64) float64 { return degrees * math.Pi / 180 }

// profile writes a luminaire of some intensity, every 5 degrees down its axis and every 15 round it.
func profile(id, name string, candela func(v, h float64) float64) *level.LightProfile {
	var b strings.Builder
	fmt.Fprintf(&b, "IESNA:LM-63-2002\n[TEST] a formula\n[MANUFAC] Grotta\n[LUMINAIRE] %s\nTILT=NONE\n1 -1 1 37 25 1 2 0.1 0.1 0.1\n1 1 20\n", name)
	for v := 0; v <= 180; v += 5 {
		fmt.Fprintf(&b, "%d ", v)
	}
	b.WriteString("\n")
	for h := 0; h <= 360; h += 15 {
		fmt.Fprintf(&b, "%d ", h)
	}
	for h := 0; h <= 360; h += 15 {
		b.WriteString("\n")
		for v := 0; v <= 180; v += 5 {
			fmt.Fprintf(&b, "%.1f ", candela(float64(v), float64(h)))
		}
	}
	b.WriteString("\n")
	return &level.LightProfile{ID: id, Name: name, Data: []byte(b.String()), Credit: "Grotta", Licence: "CC0-1.0"}
}
