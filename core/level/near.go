package level

import (
	"fmt"
	"math"
	"reflect"
	"strings"
)

// tubeRadius is the radius that a tube counts with where it has none, in metres.
const tubeRadius = 0.01

// Falloff is what a light that has a place weakens by at a distance d, in metres: lux for a candela.
// The inverse square and the custom law are brought to nothing at the range (KHR_lights_punctual).
func Falloff(law string, rangeM float64, terms Vec, d float64) float64 {
	switch law {
	case Linear:
		return max(0, 1-d/rangeM)
	case Smooth:
		q := min(d/rangeM, 1)
		return (1 - q*q) * (1 - q*q)
	case Custom:
		return Window(rangeM, d) / max(terms[0]+terms[1]*d+terms[2]*d*d, 1e-6)
	}
	return Window(rangeM, d) / (d * d)
}

// Window falls from 1 to 0 at the range of a light; it is 1 where there is none.
func Window(rangeM, d float64) float64 {
	if rangeM == 0 {
		return 1
	}
	q := d / rangeM
	return max(0, 1-q*q*q*q)
}

// Candela is the intensity along a light's axis. A rect of L nits and area A has L A; a tube, seen
// from its side, 2 r l L. It is 0 for parallel light, which has none.
func (l *Light) Candela() float64 {
	switch l.Kind {
	case Point, Spot, Dome:
		return l.Strength
	case Rect:
		return l.Strength * l.WidthM * l.HeightM
	case Tube:
		return l.Strength * 2 * max(l.RadiusM, tubeRadius) * l.LengthM
	}
	return 0
}

// Lumens is all the light that a light sends out. An even source of I candela sends 4π I, one half
// of it 2π I. A spot fades by ((c - co) / (ci - co))² between the cosines of its cones
// (KHR_lights_punctual), which integrates to 2π I ((1 - ci) + (ci - co) / 3). A shining surface of
// area A sends π L A to one side (Lambert). A box of E lux sends E A; a directional light has no
// bound, so 0.
func (l *Light) Lumens() float64 {
	switch l.Kind {
	case Point:
		return 4 * math.Pi * l.Strength
	case Dome:
		return 2 * math.Pi * l.Strength
	case Spot:
		inner, outer := math.Cos(l.InnerDeg*math.Pi/180), math.Cos(l.OuterDeg*math.Pi/180)
		inner = max(inner, outer)
		return 2 * math.Pi * l.Strength * ((1 - inner) + (inner-outer)/3)
	case Rect:
		return math.Pi * l.Strength * l.WidthM * l.HeightM
	case Tube:
		return math.Pi * l.Strength * 2 * math.Pi * max(l.RadiusM, tubeRadius) * l.LengthM
	case BoxLight:
		return l.Strength * l.WidthM * l.HeightM
	}
	return 0
}

// As is the light of another kind that comes nearest to this one, as bright along its axis: a rect or
// dome becomes a spot as wide as can be or a point, a tube a point, a box a directional light that
// loses its edges. Between parallel light and light from a place there is no such light; then the
// strength is that of the light at a metre.
func (l *Light) As(kind string) *Light {
	out := *l
	if out.Kind = kind; kind == l.Kind {
		return &out
	}
	axis := l.Strength // lux at a metre, or of parallel light
	if candela := l.Candela(); candela > 0 {
		axis = candela
	}
	switch kind {
	case Rect:
		out.Strength = axis / (l.WidthM * l.HeightM)
	case Tube:
		out.Strength = axis / (2 * max(l.RadiusM, tubeRadius) * l.LengthM)
	default:
		out.Strength = axis
	}
	if kind == Spot {
		out.InnerDeg, out.OuterDeg = 0, 89.9
	}
	return &out
}

// FieldAt is the field of a document's type at a dotted path, such as "shadows.cast".
func FieldAt(t reflect.Type, path string) (reflect.StructField, error) {
	var field reflect.StructField
	for _, name := range strings.Split(path, ".") {
		if t = structOf(t); t.Kind() != reflect.Struct {
			return field, fmt.Errorf("%q is no field", path)
		}
		f, ok := fieldNamed(t, name)
		if !ok {
			return field, fmt.Errorf("%q is no field; there are %s", path, strings.Join(fieldNames(t), ", "))
		}
		field, t = f, f.Type
	}
	return field, nil
}
