package level_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/level"
)

// Lumens against the intensity integrated over the sphere in steps of a thousandth of a degree.
func TestLumensAgainstTheIntegral(t *testing.T) {
	integral := func(candela func(cos float64) float64) float64 {
		const n = 180_000
		sum := 0.0
		for i := range n {
			theta := (float64(i) + 0.5) * math.Pi / n
			sum += candela(math.Cos(theta)) * 2 * math.Pi * math.Sin(theta) * math.Pi / n
		}
		return sum
	}
	spot := level.NewLight("s", level.Spot)
	spot.Strength, spot.InnerDeg, spot.OuterDeg = 80, 15, 50
	inner, outer := math.Cos(15*math.Pi/180), math.Cos(50*math.Pi/180)
	assert.InEpsilon(t, integral(func(cos float64) float64 {
		a := min(max((cos-outer)/(inner-outer), 0), 1)
		return 80 * a * a
	}), spot.Lumens(), 1e-6)
	dome := level.NewLight("d", level.Dome)
	dome.Strength = 7
	assert.InEpsilon(t, integral(func(cos float64) float64 { return map[bool]float64{true: 7}[cos > 0] }), dome.Lumens(), 1e-4)
	rect := level.NewLight("r", level.Rect)
	rect.Strength, rect.WidthM, rect.HeightM = 30, 2, 0.5 // 30 cd along its axis, by the cosine beside it
	assert.InEpsilon(t, integral(func(cos float64) float64 { return 30 * max(cos, 0) }), rect.Lumens(), 1e-6)
	tube := level.NewLight("t", level.Tube)
	tube.Strength, tube.RadiusM, tube.LengthM = 100, 0.02, 1.5 // by the sine of the angle to its axis
	assert.InEpsilon(t, integral(func(cos float64) float64 { return tube.Candela() * math.Sqrt(1-cos*cos) }), tube.Lumens(), 1e-6)
	assert.Zero(t, level.NewLight("x", level.Directional).Lumens())
}

// A light of another kind is as bright along its axis.
func TestAsKeepsTheBrightnessAlongTheAxis(t *testing.T) {
	rect := level.NewLight("r", level.Rect)
	rect.Strength, rect.WidthM, rect.HeightM = 30, 2, 0.5
	for _, kind := range []string{level.Point, level.Spot, level.Dome, level.Tube, level.Rect} {
		as := rect.As(kind)
		assert.Equal(t, kind, as.Kind)
		assert.InEpsilon(t, 30, as.Candela(), 1e-12, kind)
	}
	box := level.NewLight("b", level.BoxLight)
	box.Strength = 500
	assert.Equal(t, 500.0, box.As(level.Directional).Strength)
}
