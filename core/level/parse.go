package level

import (
	"bytes"
	"errors"
	"fmt"
	"reflect"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Parse reads a document and validates it. Fields that are left out take their
// defaults; unknown fields of an entity or of the level are kept and come back as
// warnings, each a path, and those deeper within are refused.
// The error is an *Invalid, which names every fault found.
func Parse(text []byte) (*Level, []string, error) { return parse(text, &faults{}) }

// ParseStored is Parse for a document that was taken before: it reads what an earlier
// version allowed in names and notes.
func ParseStored(text []byte) (*Level, error) {
	l, _, err := parse(text, &faults{stored: true})
	return l, err
}

func parse(text []byte, f *faults) (*Level, []string, error) {
	if len(text) > MaxBytes {
		return nil, nil, invalidf("", "the document has %d bytes; the most is %d", len(text), MaxBytes)
	}
	if err := checkFormat(text); err != nil {
		return nil, nil, err
	}
	l := New("")
	if err := decode(text, l, true); err != nil {
		return nil, nil, err
	}
	if err := l.validate(f); err != nil {
		return nil, nil, err
	}
	return l, unknownFields(reflect.ValueOf(l), ""), nil
}

// checkFormat refuses other formats before their fields confuse the reader.
func checkFormat(text []byte) error {
	d := jsontext.NewDecoder(bytes.NewReader(text))
	if d.PeekKind() != '{' {
		token, err := d.ReadToken()
		if err != nil {
			return ReadError(err)
		}
		return invalidf("", "is %s; an object is needed", plainKind(token.Kind()))
	}
	d.ReadToken()
	for d.PeekKind() == '"' {
		name, err := d.ReadToken()
		if err != nil {
			return ReadError(err)
		}
		if name.String() != "format" {
			if err := d.SkipValue(); err != nil {
				return ReadError(err)
			}
			continue
		}
		format, err := d.ReadToken()
		if err != nil {
			return ReadError(err)
		}
		if format.Kind() != '"' {
			return invalidf("/format", "is %s; text is needed", plainKind(format.Kind()))
		}
		if format.String() != Format {
			return invalidf("/format", "is %q; this Grotta reads %q", format.String(), Format)
		}
		return nil
	}
	if _, err := d.ReadToken(); err != nil {
		return ReadError(err)
	}
	return invalidf("/format", "is missing; a level starts with \"format\": %q", Format)
}

// New is an empty level with every default in place.
func New(name string) *Level {
	l := &Level{}
	setDefaults(reflect.ValueOf(l).Elem())
	if name != "" {
		l.Name = name
	}
	return l
}

// NewLight is a light of a kind with every default in place.
func NewLight(id, kind string) *Light {
	l := &Light{}
	setDefaults(reflect.ValueOf(l).Elem())
	l.ID, l.Kind = id, kind
	return l
}

// Default is a value of T with every default in place.
func Default[T any]() T {
	var v T
	setDefaults(reflect.ValueOf(&v).Elem())
	return v
}

// DefaultOf is a pointer to a value of a type with every default in place.
func DefaultOf(t reflect.Type) any {
	v := reflect.New(t)
	setDefaults(v.Elem())
	return v.Interface()
}

// Encode writes v as the canonical JSON of this package: the same value is the
// same text, so that hashes of it can be compared.
func Encode(v any) ([]byte, error) {
	return json.Marshal(v, json.Deterministic(true))
}

// Decode reads JSON strictly: duplicate names, invalid UTF-8 and values of the
// wrong type are an *Invalid with the path and the byte. Lists that are longer than
// their maxItems, and texts of more than MaxContainers objects and lists that no such
// limit bounds, are refused before anything is allocated for them.
func Decode(text []byte, into any) error { return decode(text, into, false) }

// DecodeKnown is Decode that also refuses fields which the type neither has nor keeps.
func DecodeKnown(text []byte, into any) error { return decode(text, into, true) }

func decode(text []byte, into any, strayFields bool) error {
	if err := inspect(text, reflect.TypeOf(into), strayFields); err != nil {
		return err
	}
	if err := json.Unmarshal(text, into); err != nil {
		return ReadError(err)
	}
	return nil
}

// WithoutBytes takes out of an error the bytes of a JSON text that nobody sent.
func WithoutBytes(err error) error {
	if bad, ok := err.(*Invalid); ok {
		for i := range bad.Faults {
			bad.Faults[i].Message, _, _ = strings.Cut(bad.Faults[i].Message, " (byte ")
		}
	}
	return err
}

// mostPath is how much of the path of a fault is said.
const mostPath = 200

// ReadError turns an error of the JSON reader into an *Invalid that says where
// and what.
func ReadError(err error) error {
	var wrongType *json.SemanticError
	if errors.As(err, &wrongType) {
		what := "does not fit"
		if wrongType.Err != nil {
			what = wrongType.Err.Error()
		} else if wrongType.GoType != nil {
			what = fmt.Sprintf("is %s; %s is needed", plainKind(wrongType.JSONKind), plainType(wrongType.GoType))
		}
		return invalidf(string(wrongType.JSONPointer), "%s (byte %d)", what, wrongType.ByteOffset)
	}
	var syntax *jsontext.SyntacticError
	if errors.As(err, &syntax) {
		path := string(syntax.JSONPointer)
		if len(path) > mostPath {
			path = path[:mostPath] + "…"
		}
		return invalidf(path, "is not JSON: %v (byte %d)", syntax.Err, syntax.ByteOffset)
	}
	return invalidf("", "is not JSON: %v", err)
}

func plainType(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Struct, reflect.Map, reflect.Pointer:
		return "an object"
	case reflect.Slice, reflect.Array:
		return "a list"
	case reflect.Bool:
		return "true or false"
	case reflect.String:
		return "text"
	case reflect.Int:
		return "a whole number"
	}
	return "a number"
}

func plainKind(k jsontext.Kind) string {
	switch k {
	case 'n':
		return "null"
	case 't', 'f':
		return "true or false"
	case '"':
		return "text"
	case '0':
		return "a number"
	case '[':
		return "a list"
	case '{':
		return "an object"
	}
	return "something else"
}

// decodeDefaulted fills v with its defaults before it reads, so that a field
// that is left out has its default and not Go's zero.
func decodeDefaulted[T any](d *jsontext.Decoder, v *T) error {
	*v = Default[T]()
	return json.UnmarshalDecode(d, v)
}

// The elements of lists read over their defaults. (A method cannot be promoted
// from an embedded type for this: it would read only that type.)

func (v *Material) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Material
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Sun) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Sun
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Place) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Place
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Flicker) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Flicker
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Water) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Water
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Gobo) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Gobo
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Zone) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Zone
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Ambient) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Ambient
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Solid) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Solid
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Face) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Face
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Sway) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Sway
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Rig) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Rig
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Light) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Light
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Glow) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Glow
	return decodeDefaulted(d, (*plain)(v))
}

func (v *ProbeGrid) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain ProbeGrid
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Reflection) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Reflection
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Viewpoint) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Viewpoint
	return decodeDefaulted(d, (*plain)(v))
}

// setDefaults writes the default tags of a struct, and of the structs in it,
// into v.
func setDefaults(v reflect.Value) {
	if v.Kind() != reflect.Struct {
		return
	}
	for i := range v.NumField() {
		f, field := v.Type().Field(i), v.Field(i)
		text, tagged := defaultTag(f)
		switch {
		case tagged && field.Kind() == reflect.String:
			field.SetString(text)
		case tagged:
			if err := json.Unmarshal([]byte(text), field.Addr().Interface()); err != nil {
				panic(fmt.Sprintf("default of %s.%s: %v", v.Type(), f.Name, err)) // a fault of this source text
			}
		case field.Kind() == reflect.Struct:
			setDefaults(field)
		}
	}
}

// defaultTag is a field's default: the tag "default", which the schema shows, or
// "initial" for lists.
func defaultTag(f reflect.StructField) (string, bool) {
	if text, ok := f.Tag.Lookup("default"); ok {
		return text, true
	}
	return f.Tag.Lookup("initial")
}

// MayBeLeftOut lists the JSON names of a struct's fields that have a default, or
// are structs made of such.
func MayBeLeftOut(t reflect.Type) []string {
	var names []string
	for i := range t.NumField() {
		f := t.Field(i)
		_, tagged := defaultTag(f)
		switch {
		case f.Anonymous:
			names = append(names, MayBeLeftOut(f.Type)...)
		case tagged || f.Type.Kind() == reflect.Struct:
			names = append(names, strings.TrimPrefix(fieldPath(f), "/"))
		}
	}
	return names
}

// unknownFields lists the paths of kept fields that this version does not know.
func unknownFields(v reflect.Value, path string) []string {
	var found []string
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			return unknownFields(v.Elem(), path)
		}
	case reflect.Slice:
		if k := v.Type().Elem().Kind(); k == reflect.Struct || k == reflect.Pointer {
			for i := range v.Len() {
				found = append(found, unknownFields(v.Index(i), fmt.Sprintf("%s/%d", path, i))...)
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f := v.Type().Field(i)
			if !f.IsExported() {
				continue
			}
			if extra, ok := v.Field(i).Interface().(jsontext.Value); ok {
				var names map[string]jsontext.Value
				if len(extra) > 0 && json.Unmarshal(extra, &names) == nil {
					for name := range names {
						found = append(found, path+"/"+name)
					}
				}
				continue
			}
			found = append(found, unknownFields(v.Field(i), path+fieldPath(f))...)
		}
	}
	return found
}

// fieldPath is "/name" of a field in JSON, or nothing for an embedded struct.
func fieldPath(f reflect.StructField) string {
	if f.Anonymous {
		return ""
	}
	name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
	return "/" + name
}

func (v *FogVolume) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain FogVolume
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Beam) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Beam
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Motes) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Motes
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Path) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Path
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Key) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Key
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Fog) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Fog
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Look) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Look
	return decodeDefaulted(d, (*plain)(v))
}

func (v *Haze) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Haze
	return decodeDefaulted(d, (*plain)(v))
}
