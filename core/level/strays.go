package level

import (
	"bytes"
	"fmt"
	"reflect"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// strays finds fields of a JSON text that the type has not and would not keep
// either, so that nothing is left out without a word. The text is well formed.
func strays(text []byte, t reflect.Type) error {
	w := strayWalk{jsontext.NewDecoder(bytes.NewReader(text)), nil}
	if err := w.value(t, ""); err != nil {
		return ReadError(err)
	}
	if len(w.found) > 0 {
		return &Invalid{Faults: w.found}
	}
	return nil
}

type strayWalk struct {
	*jsontext.Decoder
	found []Fault
}

// value walks over the next value, which is to be read into the type.
func (w *strayWalk) value(t reflect.Type, at string) error {
	t = structOf(t)
	isList := (t.Kind() == reflect.Slice || t.Kind() == reflect.Array) && structOf(t.Elem()).Kind() == reflect.Struct
	switch kind := w.PeekKind(); {
	case kind == '{' && t.Kind() == reflect.Struct:
		return w.members(func() error {
			name, err := w.ReadToken()
			if err != nil {
				return err
			}
			field, ok := fieldNamed(t, name.String())
			at := at + "/" + name.String()
			if ok {
				return w.value(field.Type, at)
			}
			if _, keeps := t.FieldByName("Extra"); !keeps {
				w.found = append(w.found, Fault{at, fmt.Sprintf("is no field here; it has %s", strings.Join(fieldNames(t), ", "))})
			}
			return w.SkipValue()
		})
	case kind == '[' && isList:
		i := -1
		return w.members(func() error {
			i++
			return w.value(t.Elem(), fmt.Sprintf("%s/%d", at, i))
		})
	}
	return w.SkipValue()
}

// members calls next until an object or list is at its end.
func (w *strayWalk) members(next func() error) error {
	if _, err := w.ReadToken(); err != nil {
		return err
	}
	for w.PeekKind() != '}' && w.PeekKind() != ']' {
		if err := next(); err != nil {
			return err
		}
	}
	_, err := w.ReadToken()
	return err
}

// structOf is what a pointer points to.
func structOf(t reflect.Type) reflect.Type {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	return t
}

// strayName is strays for one field that is set by its path.
func strayName(t reflect.Type, path string, value any) error {
	names := strings.Split(path, ".")
	for i := len(names) - 1; i >= 0; i-- {
		value = map[string]any{names[i]: value}
	}
	text, err := json.Marshal(value)
	if err != nil {
		return invalidf("/"+path, "cannot be written as JSON: %v", err)
	}
	return strays(text, t)
}

func fieldNamed(t reflect.Type, name string) (reflect.StructField, bool) {
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Anonymous {
			if inner, ok := fieldNamed(f.Type, name); ok {
				return inner, true
			}
		} else if f.IsExported() && f.Name != "Extra" && fieldPath(f) == "/"+name {
			return f, true
		}
	}
	return reflect.StructField{}, false
}

func fieldNames(t reflect.Type) []string {
	var names []string
	for i := range t.NumField() {
		f := t.Field(i)
		switch {
		case f.Anonymous:
			names = append(names, fieldNames(f.Type)...)
		case f.Name != "Extra" && f.Name != "ID":
			names = append(names, strings.TrimPrefix(fieldPath(f), "/"))
		}
	}
	return names
}
