package level

import (
	"fmt"
	"math"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/photometry"
	"grotta/core/picture"
)

// Fault is one thing wrong with a document.
type Fault struct {
	Path    string `json:"path" doc:"JSON pointer to the field."`
	Message string `json:"message" doc:"What is wrong and what is allowed."`
}

// Invalid is the error of a document that was refused, with every fault found.
type Invalid struct{ Faults []Fault }

// Error gives the first faults, one a line.
func (e *Invalid) Error() string {
	var b strings.Builder
	for i, f := range e.Faults {
		if i == 8 {
			fmt.Fprintf(&b, "\nand %d more", len(e.Faults)-i)
			break
		}
		if i > 0 {
			b.WriteByte('\n')
		}
		if f.Path != "" {
			b.WriteString(f.Path + " ")
		}
		b.WriteString(f.Message)
	}
	return b.String()
}

func invalidf(path, format string, args ...any) *Invalid {
	return &Invalid{[]Fault{{path, fmt.Sprintf(format, args...)}}}
}

const maxFaults = 100

type faults struct {
	list  []Fault
	known map[any]bool // entities that were found valid before, by pointer

	stored bool // the text was taken by an earlier version, whose rules for words were wider
}

func (f *faults) add(path, format string, args ...any) {
	if len(f.list) < maxFaults {
		f.list = append(f.list, Fault{path, fmt.Sprintf(format, args...)})
	}
}

func (f *faults) err() error {
	if len(f.list) == 0 {
		return nil
	}
	return &Invalid{f.list}
}

// Validate checks a document. The reader, the operations and the importers all use it. It
// returns nil or an *Invalid.
func (l *Level) Validate() error { return l.validate(&faults{}) }

// validateFrom is Validate for a level that was changed from a valid one: entities that
// both have are not looked at again by themselves, only for what they refer to.
func (l *Level) validateFrom(was *Level) error {
	return l.validate(&faults{known: knownOf(was)})
}

func (l *Level) validate(f *faults) error {
	checkFields(f, reflect.ValueOf(l).Elem(), "")
	if len(f.list) > 0 {
		return f.err() // references among broken fields would only add noise
	}
	l.shareGeometries()
	if l.checkCounts(f); len(f.list) > 0 {
		return f.err()
	}
	l.checkReferences(f)
	l.checkShapes(f)
	l.checkLights(f)
	l.checkProfiles(f)
	l.checkImages(f)
	return f.err()
}

// knownOf are the entities of a valid level, by pointer.
func knownOf(l *Level) map[any]bool {
	if l == nil {
		return nil
	}
	known := map[any]bool{}
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			known[list.Index(k).Interface()] = true
		}
	}
	return known
}

// CheckFields checks any value against the tags of its type: minimum, maximum,
// exclusiveMinimum, enum, pattern, minLength, maxLength, maxItems; and that
// every number is finite. It is for the other documents too.
func CheckFields(v any) error {
	var f faults
	checkFields(&f, reflect.Indirect(reflect.ValueOf(v)), "")
	return f.err()
}

func checkFields(f *faults, v reflect.Value, path string) {
	for i := range v.NumField() {
		field := v.Type().Field(i)
		if !field.IsExported() || field.Type == reflect.TypeFor[jsontext.Value]() {
			continue
		}
		checkValue(f, v.Field(i), field.Tag, path+fieldPath(field))
	}
}

func checkValue(f *faults, v reflect.Value, tag reflect.StructTag, path string) {
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			if v.Type().Elem().Kind() == reflect.Struct && tag == "" {
				f.add(path, "is null; an object is needed")
			}
			return
		}
		if f.known != nil && f.known[v.Interface()] {
			return
		}
		if v.Elem().Kind() == reflect.Struct {
			tag = "" // its fields have their own
		}
		checkValue(f, v.Elem(), tag, path)
	case reflect.Struct:
		checkFields(f, v, path)
	case reflect.Slice, reflect.Array:
		if most, ok := tagNumber(tag, "maxItems"); ok && v.Len() > int(most) {
			f.add(path, "has %d entries; the most is %d", v.Len(), int(most))
			return
		}
		if k := v.Type().Elem().Kind(); k == reflect.Uint32 || k == reflect.Uint8 {
			return
		}
		if numbers, ok := reflect.TypeAssert[[]float64](v); ok && areFine(numbers, tag) {
			return // the common case, without building a path
		}
		elementTag := tag
		if k := v.Type().Elem().Kind(); k == reflect.Pointer || k == reflect.Struct {
			elementTag = ""
		}
		for i := range v.Len() {
			checkValue(f, v.Index(i), elementTag, path+"/"+strconv.Itoa(i))
		}
	case reflect.Float64:
		checkNumber(f, v.Float(), tag, path)
	case reflect.Int:
		checkNumber(f, float64(v.Int()), tag, path)
	case reflect.String:
		checkText(f, v.String(), tag, path)
	}
}

// leftOut tells whether a zero of this field means that it is not set.
func leftOut(tag reflect.StructTag) bool { return strings.HasSuffix(tag.Get("json"), ",omitzero") }

// areFine tells whether numbers whose field has no bounds of its own are all within the
// level's extent.
func areFine(numbers []float64, tag reflect.StructTag) bool {
	if tag.Get("minimum") != "" || tag.Get("exclusiveMinimum") != "" || tag.Get("maximum") != "" {
		return false
	}
	for _, x := range numbers {
		if !(math.Abs(x) <= MaxExtent) { // true for NaN
			return false
		}
	}
	return true
}

func checkNumber(f *faults, x float64, tag reflect.StructTag, path string) {
	if x == 0 && leftOut(tag) {
		return
	}
	if math.IsNaN(x) || math.IsInf(x, 0) {
		f.add(path, "is %v; a finite number is needed", x)
		return
	}
	low, hasLow := tagNumber(tag, "minimum")
	above, hasAbove := tagNumber(tag, "exclusiveMinimum")
	high, hasHigh := tagNumber(tag, "maximum")
	switch {
	case hasLow && x < low && hasHigh:
		f.add(path, "is %v; allowed is %v to %v", x, low, high)
	case hasLow && x < low:
		f.add(path, "is %v; the least is %v", x, low)
	case hasAbove && x <= above:
		f.add(path, "is %v; more than %v is needed", x, above)
	case hasHigh && x > high:
		f.add(path, "is %v; the most is %v", x, high)
	case !hasHigh && math.Abs(x) > MaxExtent:
		f.add(path, "is %v; the most is %v either way", x, MaxExtent)
	}
	if step, ok := tagNumber(tag, "multipleOf"); ok && math.Mod(x, step) != 0 {
		f.add(path, "is %v; a multiple of %v is needed", x, step)
	}
}

func checkText(f *faults, s string, tag reflect.StructTag, path string) {
	n := utf8.RuneCountInString(s)
	longest, _ := tagNumber(tag, "maxLength")
	if r, hidden := hiddenRune(s, longest >= longText); hidden && !f.stored {
		f.add(path, "holds the character U+%04X, which does not show; leave it out", r)
		return
	}
	if least, ok := tagNumber(tag, "minLength"); ok && n < int(least) {
		f.add(path, "is empty; at least %d character is needed", int(least))
		return
	}
	if most, ok := tagNumber(tag, "maxLength"); ok && n > int(most) {
		f.add(path, "has %d characters; the most is %d", n, int(most))
	} else if n > MaxText {
		f.add(path, "has %d characters; the most is %d", n, MaxText)
	}
	if s == "" && leftOut(tag) {
		return
	}
	if list := tag.Get("enum"); list != "" && !slices.Contains(strings.Split(list, ","), s) {
		f.add(path, "is %q; allowed is %s", s, strings.ReplaceAll(list, ",", ", "))
	}
	if p := tag.Get("pattern"); p != "" {
		if !pattern(p).MatchString(s) {
			f.add(path, "is %q; %s", s, patternHelp(p))
		}
	}
}

var patterns sync.Map // of compiled expressions, by text; a cache, so no state

func pattern(p string) *regexp.Regexp {
	if r, ok := patterns.Load(p); ok {
		return r.(*regexp.Regexp)
	}
	r := regexp.MustCompile(p)
	patterns.Store(p, r)
	return r
}

func patternHelp(p string) string {
	switch {
	case strings.HasPrefix(p, "^#"):
		return "a colour is written #rrggbb, or #rrrrggggbbbb"
	case strings.HasPrefix(p, "^\\d{4}"):
		return "a time is written 2026-06-21T12:00:00Z"
	}
	return "allowed are a-z, 0-9, dot, dash and underscore, 1 to 64 of them, a letter or digit first"
}

func tagNumber(tag reflect.StructTag, key string) (float64, bool) {
	text, ok := tag.Lookup(key)
	if !ok {
		return 0, false
	}
	x, err := strconv.ParseFloat(text, 64)
	return x, err == nil
}

func (l *Level) checkCounts(f *faults) {
	pairs := 0
	for _, s := range l.Solids {
		pairs += len(s.Planes) * len(s.Planes)
	}
	if pairs > MaxPlanePairs {
		f.add("/solids", "have %d pairs of planes of one solid; the most is %d; split what has many faces", pairs, MaxPlanePairs)
	}
	triangles := 0
	for _, m := range l.Meshes {
		triangles += len(m.Indices) / 3
	}
	if triangles > MaxTriangles {
		f.add("/meshes", "have %d triangles together; the most is %d", triangles, MaxTriangles)
	}
}

// checkShapes finds geometry that cannot be built.
func (l *Level) checkShapes(f *faults) {
	for _, e := range l.Placed() {
		q := e.Transform.Rotation
		if n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3]); math.Abs(n-1) > 1e-3 {
			f.add(fmt.Sprintf("/%s/%d/transform/rotation", e.Part, e.Index), "has length %.4g; a unit quaternion is needed", n)
		}
	}
	for i, s := range l.Solids {
		path := fmt.Sprintf("/solids/%d", i)
		if f.known[s] {
			continue
		}
		if len(s.Planes) == 0 {
			for axis, size := range s.Size {
				if size < 1e-4 {
					f.add(fmt.Sprintf("%s/size/%d", path, axis), "is %v; at least 0.0001 m is needed, or planes instead", size)
				}
			}
		} else if err := checkPlanes(s); err != "" {
			f.add(path+"/planes", "%s", err)
		}
		for j, face := range s.Faces {
			if n := s.faceCount(); face.Index >= n {
				f.add(fmt.Sprintf("%s/faces/%d/index", path, j), "is %d; the solid has faces 0 to %d", face.Index, n-1)
			}
		}
	}
	for i, m := range l.Meshes {
		if f.known[m] {
			continue
		}
		path := fmt.Sprintf("/meshes/%d", i)
		if scale := m.Scale; scale != (Vec{}) && (scale[0] == 0 || scale[1] == 0 || scale[2] == 0) {
			f.add(path+"/scale", "is %v; more than 0 along each axis is needed", scale)
		}
		if m.Geometry == "" {
			m.Triangles.check(f, path)
		}
	}
	for i, g := range l.Geometries {
		if !f.known[g] {
			g.Triangles.check(f, fmt.Sprintf("/geometries/%d", i))
		}
	}
	for i, r := range l.Reflections {
		if r.Side&(r.Side-1) != 0 {
			f.add(fmt.Sprintf("/reflections/%d/side", i), "is %d; a power of two is needed", r.Side)
		}
	}
	for i, g := range l.Probes {
		n := 1.0
		for axis := range 3 {
			n *= math.Ceil(g.Size[axis] / g.SpacingM)
		}
		if n > MaxProbes {
			f.add(fmt.Sprintf("/probes/%d/spacing_m", i), "gives %.0f probes; the most is %d", n, MaxProbes)
		}
	}
	for i, z := range l.Zones {
		for j, b := range z.Boxes {
			for axis := range 3 {
				if b.Max[axis] <= b.Min[axis] {
					f.add(fmt.Sprintf("/zones/%d/boxes/%d/max/%d", i, j, axis), "is %v; more than min, %v, is needed", b.Max[axis], b.Min[axis])
				}
			}
		}
	}
}

// faceCount is how many faces a solid has.
func (s *Solid) faceCount() int {
	if len(s.Planes) > 0 {
		return len(s.Planes)
	}
	return 6 // a box
}

// checkLights finds lights, suns and air whose values contradict each other.
func (l *Level) checkLights(f *faults) {
	for i, light := range l.Lights {
		if light.Kind == Spot && light.InnerDeg > light.OuterDeg {
			f.add(fmt.Sprintf("/lights/%d/inner_deg", i), "is %v; at most outer_deg, %v, is allowed", light.InnerDeg, light.OuterDeg)
		}
		if (light.Falloff == Linear || light.Falloff == Smooth) && light.RangeM == 0 {
			f.add(fmt.Sprintf("/lights/%d/range_m", i), "is 0; a %s falloff needs the range at which it ends", light.Falloff)
		}
		if light.Falloff == Custom && light.FalloffTerms == (Vec{}) {
			f.add(fmt.Sprintf("/lights/%d/falloff_terms", i), "are all 0; a custom falloff needs at least one")
		}
		if (light.Kind == Rect || light.Kind == Tube) && light.Falloff != InverseSquare {
			f.add(fmt.Sprintf("/lights/%d/falloff", i), "is %q; a %s weakens as its size has it: inverse_square", light.Falloff, light.Kind)
		}
		if light.Gobo != nil && light.Kind != Spot {
			f.add(fmt.Sprintf("/lights/%d/gobo", i), "stands at a %s; only a spot projects an image", light.Kind)
		}
		if light.Gobo != nil && light.Gobo.Image == "" {
			f.add(fmt.Sprintf("/lights/%d/gobo/image", i), "is missing; a gobo names an image")
		}
		if light.Profile != "" && light.Kind != Point && light.Kind != Spot {
			f.add(fmt.Sprintf("/lights/%d/profile", i), "stands at a %s; only a point or a spot shines by a profile", light.Kind)
		}
		if light.Follows != "none" && light.Kind != Directional && light.Kind != BoxLight {
			f.add(fmt.Sprintf("/lights/%d/follows", i), "is %q; only a directional or a box follows the %s", light.Follows, light.Follows)
		}
		if light.Color != "" && light.Kelvin != 0 {
			f.add(fmt.Sprintf("/lights/%d/kelvin", i), "stands beside a colour; a light has one or the other")
		}
	}
	for name, sun := range map[string]*Sun{"sun": l.Environment.Sun, "moon": l.Environment.Moon} {
		if sun == nil {
			continue
		}
		if sun.Color != "" && sun.Kelvin != 0 {
			f.add("/environment/"+name+"/kelvin", "stands beside a colour; it has one or the other")
		}
		if sun.Place != nil {
			if _, err := sun.Place.Time(); err != nil {
				f.add("/environment/"+name+"/place/at", "is %q, and there is no such time", sun.Place.At)
			}
		}
	}
	if s := l.Environment.Sky; s.Kind == SkyImage && s.Image == "" {
		f.add("/environment/sky/image", "is missing; a sky of kind image names one")
	}
	l.checkAir(f)
}

// checkImages decodes images that are new. All images of a level together are held to
// MaxImagePixels by their headers before the first of them is decoded.
func (l *Level) checkImages(f *faults) {
	total := 0
	for i, v := range l.Images {
		path := fmt.Sprintf("/images/%d/data", i)
		if len(v.Data) > MaxImageBytes {
			f.add(path, "has %d bytes; the most is %d", len(v.Data), MaxImageBytes)
			continue
		}
		width, height, err := v.size()
		if err != nil {
			f.add(path, "%v", err)
			continue
		}
		if total += width * height; total > MaxImagePixels {
			f.add(path, "brings the level's images to %d pixels together; the most is %d", total, MaxImagePixels)
			return
		}
	}
	if len(f.list) > 0 {
		return
	}
	for i, v := range l.Images {
		if err := v.Decode(); err != nil {
			f.add(fmt.Sprintf("/images/%d/data", i), "%v", err)
		}
	}
}

// checkProfiles reads profiles that are new.
func (l *Level) checkProfiles(f *faults) {
	for i, v := range l.Profiles {
		if err := v.Read(); err != nil {
			f.add(fmt.Sprintf("/profiles/%d/data", i), "%v", err)
		}
	}
}

// Read reads the profile's data, once. The error says what is wrong with it.
func (v *LightProfile) Read() error {
	if v.shape != nil {
		return nil
	}
	p, err := photometry.Parse(v.Data)
	if err == nil {
		v.shape = p
	}
	return err
}

func (v *Image) size() (width, height int, err error) {
	if v.picture != nil {
		return v.picture.Width, v.picture.Height, nil
	}
	return picture.Size(v.Data)
}

// Decode reads the image's data, once. The error says what is wrong with it.
func (v *Image) Decode() error {
	if v.picture != nil {
		return nil
	}
	p, err := picture.Decode(v.Data)
	if err == nil {
		v.picture = p
	}
	return err
}

func checkPlanes(s *Solid) string {
	if len(s.Planes) < 4 {
		return fmt.Sprintf("has %d planes; a closed solid needs at least 4", len(s.Planes))
	}
	for i, p := range s.Planes {
		n := p.Normal
		if length := math.Sqrt(n[0]*n[0] + n[1]*n[1] + n[2]*n[2]); length < 1e-6 {
			return fmt.Sprintf("has a normal of no length at %d", i)
		}
	}
	faces := s.FacePolygons()
	area, bounded := 0.0, true
	for _, face := range faces {
		for _, v := range face {
			bounded = bounded && math.Abs(v[0]) < MaxExtent && math.Abs(v[1]) < MaxExtent && math.Abs(v[2]) < MaxExtent
		}
		if len(face) > 0 {
			area++
		}
	}
	if area < 4 {
		return "enclose no volume; the planes miss each other or face inward (normals point out)"
	}
	if !bounded {
		return "leave the solid open to infinity; add the planes that close it"
	}
	return ""
}
