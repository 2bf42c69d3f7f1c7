package handover

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"grotta/core/level"
)

// dimension is what kind of value a source has.
type dimension int

const (
	words     dimension = iota // a text
	flag                       // true or false
	number                     // without a unit, or in one that every target shares, such as nits
	length                     // metres
	density                    // per metre
	angle                      // degrees
	colour                     // linear, its channels at most 1
	intensity                  // a light's strength
	place                      // a point, metres
	direction                  // a unit vector
	extent                     // a size along the axes, metres
)

// origin is where a field's value comes from.
type origin struct {
	dimension
	own bool // of this package; else a field of the document at its path
}

// derived are the sources that are not a field of the document, and what has them.
var derived = map[string]struct {
	dimension
	of func(of string) bool
}{
	"position":  {place, isPlaced},
	"direction": {direction, isAimed},
	"azimuth":   {angle, isAimed},
	"altitude":  {angle, isAimed},
	"roll":      {angle, func(of string) bool { return isAimed(of) && of != "sun" && of != "moon" }},
	"color":     {colour, func(of string) bool { return isLight(of) || of == "sun" || of == "moon" }},
	"strength":  {intensity, func(of string) bool { return isLight(of) || of == "sun" || of == "moon" }},
	"min":       {place, func(of string) bool { return of == "zone" }},
	"max":       {place, func(of string) bool { return of == "zone" }},
}

func isLight(of string) bool {
	return slices.Contains([]string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube}, of)
}

// weakens tells whether a kind of light follows a law of falloff.
func weakens(of string) bool { return of == level.Point || of == level.Spot || of == level.Dome }

func isPlaced(of string) bool {
	return isLight(of) || slices.Contains([]string{"fog_volume", "glow", "beam", "motes", "viewpoint"}, of)
}

func isAimed(of string) bool { return isPlaced(of) || of == "sun" || of == "moon" }

// documentType is the type of a kind of thing in the document.
func documentType(of string) reflect.Type {
	if isLight(of) {
		return reflect.TypeFor[level.Light]()
	}
	return map[string]reflect.Type{
		"sun": reflect.TypeFor[level.Sun](), "moon": reflect.TypeFor[level.Sun](), "sky": reflect.TypeFor[level.Sky](), "ambient": reflect.TypeFor[level.Ambient](),
		"haze": reflect.TypeFor[level.Haze](), "height_fog": reflect.TypeFor[level.HeightFog](), "fog_volume": reflect.TypeFor[level.FogVolume](),
		"glow": reflect.TypeFor[level.Glow](), "beam": reflect.TypeFor[level.Beam](), "motes": reflect.TypeFor[level.Motes](),
		"zone": reflect.TypeFor[level.Zone](), "viewpoint": reflect.TypeFor[level.Viewpoint](),
	}[of]
}

// originOf finds where a field of a rule takes its value, and refuses settings that do not fit it.
func originOf(of string, f *Field) (origin, error) {
	s, err := originNamed(of, f.From)
	if err != nil {
		return s, err
	}
	return s, s.fits(f)
}

func originNamed(of, from string) (origin, error) {
	if d, ok := derived[from]; ok && d.of(of) {
		return origin{d.dimension, true}, nil
	}
	field, err := level.FieldAt(documentType(of), from)
	if err != nil {
		var own []string
		for _, name := range slices.Sorted(maps.Keys(derived)) {
			if derived[name].of(of) {
				own = append(own, name)
			}
		}
		return origin{}, fmt.Errorf("%w; and %s", err, strings.Join(own, ", "))
	}
	s := origin{number, false}
	switch field.Type.Kind() {
	case reflect.String:
		if s.dimension = words; strings.HasPrefix(field.Tag.Get("pattern"), "^#") {
			s.dimension = colour
		}
	case reflect.Bool:
		s.dimension = flag
	case reflect.Float64, reflect.Int:
		name := from[strings.LastIndexByte(from, '.')+1:]
		switch {
		case strings.HasSuffix(name, "_m"):
			s.dimension = length
		case strings.HasSuffix(name, "_deg"):
			s.dimension = angle
		case name == "density":
			s.dimension = density
		}
	case reflect.Array:
		if from != "size" {
			return s, fmt.Errorf("%q is a list, which no field can hold", from)
		}
		s.dimension = extent
	default:
		return s, fmt.Errorf("%q holds other fields; name one of them", from)
	}
	return s, nil
}

// units are the units that a dimension may be written in.
var units = map[dimension][]string{
	length: {"metres"}, density: {"metres"}, place: {"metres"}, extent: {"metres"},
	angle: {"degrees", "radians", "turns"}, intensity: {"candela", "lumens", "lux", "nits"},
}

func (s origin) fits(f *Field) error {
	allowed := units[s.dimension]
	if s.dimension == colour && f.Lit {
		allowed = units[intensity]
	}
	if f.Unit != "" && !slices.Contains(allowed, f.Unit) {
		return fmt.Errorf("%q cannot be in %s", f.From, f.Unit)
	}
	part := "xyz"
	if s.dimension == colour {
		part = "rgb"
	}
	several := s.dimension == place || s.dimension == direction || s.dimension == extent || s.dimension == colour
	switch {
	case f.Part != "" && (!several || !strings.Contains(part, f.Part)):
		return fmt.Errorf("%q has no part %s", f.From, f.Part)
	case f.Color != "" && s.dimension != colour:
		return fmt.Errorf("%q is not a colour", f.From)
	case f.Part != "" && f.Color == "hex":
		return fmt.Errorf("%q as hex has no parts", f.From)
	case f.Lit && (f.From != "color" || !strings.HasPrefix(f.Color, "linear")):
		return fmt.Errorf("lit is for the color of a light that is written as linear_1 or linear_255")
	case (s.dimension == words || s.dimension == flag) && (f.Times != 1 || f.Plus != 0 || f.Wrap != 0):
		return fmt.Errorf("%q is no number", f.From)
	case f.Wrap != 0 && s.dimension != angle:
		return fmt.Errorf("%q is no angle; only these can wrap", f.From)
	case len(f.Words) > 0 && s.dimension != words && s.dimension != flag:
		return fmt.Errorf("%q is neither a word nor true or false; it takes no words", f.From)
	}
	return nil
}

// numbers is how many numbers, or words, a field writes.
func (s origin) numbers(f *Field) int {
	switch s.dimension {
	case place, direction, extent, colour:
		if f.Part == "" && f.Color != "hex" {
			return 3
		}
	}
	return 1
}
