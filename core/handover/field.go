package handover

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// writer writes the values of things by the rules of a file.
type writer struct {
	file  *File
	space space
}

func newWriter(f *File) (*writer, error) {
	s, err := newSpace(&f.Space)
	return &writer{f, s}, err
}

// value is what a field of a thing is in the target: a text, a number, true or false, or a list of these.
func (w *writer) value(f *Field, t *thing) any {
	switch {
	case f.Value != nil:
		return f.Value
	case len(f.Parts) > 0:
		list := make([]any, len(f.Parts))
		for i := range f.Parts {
			list[i] = w.value(&f.Parts[i], t)
		}
		return list
	}
	s, err := originOf(t.of, f)
	if err != nil {
		return nil // a validated file has no such field
	}
	switch s.dimension {
	case words, flag:
		return w.word(f, plainText(t.plain(f.From, s)), s)
	case colour:
		return w.colour(f, t, s)
	case place, direction, extent:
		return w.vector(f, t.vector(f.From), s)
	}
	return w.number(f, t.number(f.From, s)*w.factor(f, s, t.light))
}

// word is a text or flag, in the target's words.
func (w *writer) word(f *Field, text string, s origin) any {
	if word, ok := f.Words[text]; ok {
		return word
	}
	if s.dimension == flag && len(f.Words) == 0 {
		return text == "true"
	}
	return text
}

// number is a value in the target's unit, scaled, wrapped and rounded.
func (w *writer) number(f *Field, v float64) float64 {
	v = v*f.Times + f.Plus
	if f.Wrap > 0 {
		v = math.Mod(math.Mod(v, f.Wrap)+f.Wrap, f.Wrap)
	}
	v = w.round(v)
	if f.Wrap > 0 && v >= f.Wrap { // rounding brought it there
		v = 0
	}
	return v
}

// round keeps the decimals of the file; a number that is too small for them keeps four digits.
func (w *writer) round(v float64) float64 {
	scale := math.Pow(10, float64(w.file.Text.Decimals))
	if v != 0 && math.Abs(v)*scale < 1000 && math.Abs(v) > 1e-12 {
		scale = math.Pow(10, math.Ceil(3-math.Log10(math.Abs(v))))
	}
	if math.Abs(v) > 1e15/scale {
		return v
	}
	return math.Round(v*scale)/scale + 0 // no -0
}

// factor takes a source's value, in the document's unit, to the unit of its field.
func (w *writer) factor(f *Field, s origin, light *level.Light) float64 {
	switch s.dimension {
	case length, place, extent:
		if f.Unit != "metres" {
			return 1 / w.space.unitM
		}
	case density:
		if f.Unit != "metres" {
			return w.space.unitM
		}
	case angle:
		switch f.Unit {
		case "radians":
			return math.Pi / 180
		case "turns":
			return 1.0 / 360
		}
	case intensity, colour:
		return intensityFactor(light, f.Unit)
	}
	return 1
}

// intensityFactor takes a light's strength to a unit; 1 where the light has none in it.
func intensityFactor(light *level.Light, unit string) float64 {
	if light == nil || unit == "" {
		return 1
	}
	one := *light
	one.Strength = 1
	switch unit {
	case "lumens":
		if v := one.Lumens(); v > 0 {
			return v
		}
	case "candela", "lux": // at a metre
		if v := one.Candela(); v > 0 {
			return v
		}
	case "nits":
		if light.Kind != level.Rect && light.Kind != level.Tube { // these are in nits already
			r := max(light.RadiusM, 0.01) // of a ball the disc of its radius
			return one.Candela() / (math.Pi * r * r)
		}
	}
	return 1
}

func (w *writer) vector(f *Field, v geom.Vec3, s origin) any {
	if s.dimension == extent {
		v = w.space.extent(v)
	} else {
		v = w.space.out(v)
	}
	factor := w.factor(f, s, nil)
	if f.Part != "" {
		return w.number(f, v[f.Part[0]-'x']*factor)
	}
	return []any{w.number(f, v[0]*factor), w.number(f, v[1]*factor), w.number(f, v[2]*factor)}
}

func (w *writer) colour(f *Field, t *thing, s origin) any {
	c := t.colour(f.From, s)
	if f.Color == "hex" {
		return c.Hex()
	}
	factor := 1.0
	if f.Lit {
		factor = t.strength * w.factor(f, s, t.light) * f.Times
	}
	var list [3]any
	for i, v := range c {
		list[i] = w.channel(f, v*factor)
	}
	if f.Part != "" {
		return list[strings.IndexByte("rgb", f.Part[0])]
	}
	return list[:]
}

// channel writes one channel of a colour.
func (w *writer) channel(f *Field, v float64) float64 {
	switch f.Color {
	case "linear_1":
		return w.round(v)
	case "linear_255":
		return w.round(v * 255)
	case "srgb_1":
		return w.round(color.EncodeSRGB(v))
	}
	return math.Round(color.EncodeSRGB(v) * 255)
}

func channelBack(f *Field, v float64) float64 {
	switch f.Color {
	case "linear_1":
		return v
	case "linear_255":
		return v / 255
	case "srgb_1":
		return color.DecodeSRGB(v)
	}
	return color.DecodeSRGB(v / 255)
}

// plain is a word or flag of a thing.
func (t *thing) plain(from string, s origin) any {
	if v := at(t.tree, from); v != nil {
		return v
	}
	if s.dimension == flag {
		return false
	}
	return ""
}

func (t *thing) number(from string, s origin) float64 {
	if !s.own {
		v, _ := at(t.tree, from).(float64)
		return v
	}
	azimuth, altitude, roll := angles(t.facing())
	switch from {
	case "azimuth":
		return azimuth
	case "altitude":
		return altitude
	case "roll":
		return roll
	}
	return t.strength
}

// facing is the pose whose angles count: a sun's are those of where it stands.
func (t *thing) facing() geom.Pose {
	if t.of == "sun" || t.of == "moon" {
		return geom.Pose{Rotation: geom.LookRotation(t.pose.Forward().Mul(-1))}
	}
	return t.pose
}

func (t *thing) vector(from string) geom.Vec3 {
	switch from {
	case "position":
		return t.pose.Position
	case "direction":
		return t.pose.Forward()
	case "min":
		return geom.Vec3(t.box.Min)
	case "max":
		return geom.Vec3(t.box.Max)
	}
	var v geom.Vec3
	if list, ok := at(t.tree, from).([]any); ok {
		for i := range min(3, len(list)) {
			v[i], _ = list[i].(float64)
		}
	}
	return v
}

func (t *thing) colour(from string, s origin) color.Linear {
	if s.own {
		return t.color
	}
	text, _ := at(t.tree, from).(string)
	if c, err := color.ParseHex(text); err == nil {
		return c
	}
	return color.White
}

// draft is what the values of one thing say, by source.
type draft struct {
	plain   map[string]any         // texts, flags and numbers in the document's unit
	vectors map[string]*[3]number3 // places, directions, sizes and colours, in the target's axes
	raw     map[string]*Field      // the field that a strength came from: its unit is resolved last
}

// number3 is one number of three, and whether it was there.
type number3 struct {
	v  float64
	is bool
}

func newDraft() *draft {
	return &draft{map[string]any{}, map[string]*[3]number3{}, map[string]*Field{}}
}

// fill takes over what a draft does not say from another of the same thing.
func (d *draft) fill(from *draft) {
	for path, v := range from.plain {
		if _, said := d.plain[path]; !said {
			d.plain[path] = v
		}
	}
	for path, v := range from.vectors {
		own := d.vectors[path]
		if own == nil {
			d.vectors[path] = v
			continue
		}
		for i := range own {
			if !own[i].is {
				own[i] = v[i]
			}
		}
	}
	for path, f := range from.raw {
		if d.raw[path] == nil {
			d.raw[path] = f
		}
	}
}

// take reads the value of a field into a draft.
func (w *writer) take(d *draft, of string, f *Field, value any) error {
	switch {
	case f.Value != nil:
		return nil
	case len(f.Parts) > 0:
		list, err := severalOf(f, value, len(f.Parts))
		if err != nil {
			return err
		}
		for i := range f.Parts {
			if err := w.take(d, of, &f.Parts[i], list[i]); err != nil {
				return err
			}
		}
		return nil
	}
	s, err := originOf(of, f)
	if err != nil {
		return err
	}
	switch s.dimension {
	case words, flag:
		return w.takeWord(d, f, value, s)
	case colour, place, direction, extent:
		return w.takeVector(d, f, value, s)
	}
	v, err := numberOf(value)
	if err != nil {
		return err
	}
	v = (v - f.Plus) / f.Times
	if s.dimension == intensity {
		d.raw[f.From] = f
	} else {
		v /= w.factor(f, s, nil)
	}
	d.plain[f.From] = v
	return nil
}

func (w *writer) takeWord(d *draft, f *Field, value any, s origin) error {
	text := plainText(value)
	for _, of := range slices.Sorted(maps.Keys(f.Words)) {
		if f.Words[of] == text {
			text = of
			break
		}
	}
	if s.dimension == words {
		d.plain[f.From] = text
		return nil
	}
	if text != "true" && text != "false" {
		return fmt.Errorf("is %q; %s is needed", plainText(value), flagWords(f))
	}
	d.plain[f.From] = text == "true"
	return nil
}

func flagWords(f *Field) string {
	if len(f.Words) == 0 {
		return "true or false"
	}
	return fmt.Sprintf("%q or %q", f.Words["true"], f.Words["false"])
}

func (w *writer) takeVector(d *draft, f *Field, value any, s origin) error {
	if f.Color == "hex" {
		c, err := color.ParseHex(plainText(value))
		if err != nil {
			return fmt.Errorf("is %q; a colour such as #ffcc88 is needed", plainText(value))
		}
		d.vectors[f.From] = &[3]number3{{c[0], true}, {c[1], true}, {c[2], true}}
		return nil
	}
	v := d.vectors[f.From]
	if v == nil {
		v = &[3]number3{}
		d.vectors[f.From] = v
	}
	list := []any{value}
	if f.Part == "" {
		var err error
		if list, err = severalOf(f, value, 3); err != nil {
			return err
		}
	}
	for i, each := range list {
		x, err := numberOf(each)
		if err != nil {
			return err
		}
		if f.Part != "" {
			i = strings.IndexByte("xyz", f.Part[0])
			if s.dimension == colour {
				i = strings.IndexByte("rgb", f.Part[0])
			}
		}
		if s.dimension == colour {
			x = channelBack(f, x)
			if f.Lit {
				x /= f.Times
				d.raw["strength"] = f
			}
		} else {
			x = (x - f.Plus) / f.Times / w.factor(f, s, nil)
		}
		v[i] = number3{x, true}
	}
	return nil
}

// severalOf is a value that holds several: a list, or a text with something between them.
func severalOf(f *Field, value any, n int) ([]any, error) {
	list, ok := value.([]any)
	if !ok {
		text := plainText(value)
		var parts []string
		if strings.TrimSpace(f.Join) == "" {
			parts = strings.Fields(text)
		} else {
			parts = strings.Split(text, f.Join)
		}
		for _, p := range parts {
			list = append(list, strings.TrimSpace(p))
		}
	}
	if len(list) != n {
		return nil, fmt.Errorf("is %q, which has %d values; %d are needed", plainText(value), len(list), n)
	}
	return list, nil
}

func numberOf(value any) (float64, error) {
	if v, ok := value.(float64); ok {
		return v, nil
	}
	v, err := strconv.ParseFloat(strings.TrimSpace(plainText(value)), 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		return 0, fmt.Errorf("is %q; a number is needed", plainText(value))
	}
	return v, nil
}

// plainText is a value as text.
func plainText(v any) string {
	switch v := v.(type) {
	case string:
		return v
	case bool:
		return strconv.FormatBool(v)
	case float64:
		return strconv.FormatFloat(v, 'f', -1, 64)
	case nil:
		return ""
	case []any:
		parts := make([]string, len(v))
		for i := range v {
			parts[i] = plainText(v[i])
		}
		return strings.Join(parts, " ")
	}
	return fmt.Sprint(v)
}
