package level

import (
	"bytes"
	"math"
	"reflect"
	"strconv"
	"strings"
	"sync"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// MaxContainers bounds the objects and lists of a text whose types do not bound them.
// Each takes about a hundred bytes once it is read.
const MaxContainers = 250_000

// inspect reads through a JSON text before it is decoded, so that a hostile text cannot
// make the decoder allocate much memory. It finds lists that are longer than their field's
// maxItems and texts with too many objects and lists. With strayFields it also finds
// unknown fields that the type does not keep. The error is an *Invalid.
func inspect(text []byte, t reflect.Type, strayFields bool) error {
	return inspectWith(inspection{most: MaxContainers, strayFields: strayFields}, text, t)
}

func inspectWith(w inspection, text []byte, t reflect.Type) error {
	w.Decoder = jsontext.NewDecoder(bytes.NewReader(text))
	if err := w.value(t, "", noLimit); err != nil {
		if bad, ok := err.(*Invalid); ok {
			return bad
		}
		return ReadError(err)
	}
	if len(w.faults.list) > 0 {
		return w.faults.err()
	}
	return nil
}

// CountContainers refuses a JSON text of any form that has more objects and lists than
// most. The error is an *Invalid.
func CountContainers(text []byte, most int) error {
	return inspectWith(inspection{most: most}, text, reflect.TypeFor[any]())
}

type inspection struct {
	*jsontext.Decoder
	strayFields bool
	most        int
	containers  int // of which no type says how many there may be
	faults      faults
}

const noLimit = -1

// value walks over the next value, which is to be read into the type. mostItems is how
// long it may be if it is a list.
func (w *inspection) value(t reflect.Type, at string, mostItems int) error {
	t = structOf(t)
	isList := (t.Kind() == reflect.Slice || t.Kind() == reflect.Array) && structOf(t.Elem()).Kind() == reflect.Struct
	kind := w.PeekKind()
	if (kind == '{' || kind == '[') && mostItems == noLimit {
		if w.containers++; w.containers > w.most {
			return invalidf(at, "brings the text to more than %d objects and lists, which is the most", w.most)
		}
	}
	switch {
	case kind == '{' && t.Kind() == reflect.Struct:
		return w.members(func(int) error { return w.field(t, at) })
	case kind == '{' && (t.Kind() == reflect.Map || t.Kind() == reflect.Interface):
		inner := reflect.TypeFor[any]()
		if t.Kind() == reflect.Map {
			inner = t.Elem()
		}
		return w.members(func(int) error {
			name, err := w.ReadToken()
			if err != nil {
				return err
			}
			return w.value(inner, at+"/"+name.String(), noLimit)
		})
	case kind == '[' && isList:
		return w.members(func(i int) error {
			if mostItems != noLimit && i >= mostItems {
				return invalidf(at, "has more than %d entries, which is the most", mostItems)
			}
			return w.value(t.Elem(), at+"/"+strconv.Itoa(i), elementLimit(mostItems))
		})
	case kind == '[' && (t.Kind() == reflect.Interface || t.Kind() == reflect.Slice):
		inner := reflect.TypeFor[any]()
		if t.Kind() == reflect.Slice {
			inner = t.Elem()
		}
		return w.members(func(i int) error {
			if mostItems != noLimit && i >= mostItems {
				return invalidf(at, "has more than %d entries, which is the most", mostItems)
			}
			return w.value(inner, at, noLimit)
		})
	}
	return w.SkipValue()
}

// elementLimit is the limit that an element of a list is walked over with: the elements
// of a list that is bounded itself need not be counted.
func elementLimit(ofList int) int {
	if ofList == noLimit {
		return noLimit
	}
	return math.MaxInt
}

// field walks over the next member of an object that is to be read into a struct.
func (w *inspection) field(t reflect.Type, at string) error {
	token, err := w.ReadToken()
	if err != nil {
		return err
	}
	name := token.String() // the next read invalidates the token
	known, ok := fieldsByName(t)[name]
	if ok && !isContainer(w.PeekKind()) {
		return w.SkipValue()
	}
	at += "/" + name
	if ok {
		return w.value(known.field.Type, at, known.most)
	}
	if _, keeps := t.FieldByName("Extra"); !keeps && w.strayFields {
		w.faults.add(at, "%s", noField(name, t))
	}
	return w.SkipValue()
}

func isContainer(k jsontext.Kind) bool { return k == '{' || k == '[' }

// members calls next with the number of each member until an object or list is at its end.
func (w *inspection) members(next func(i int) error) error {
	if _, err := w.ReadToken(); err != nil {
		return err
	}
	for i := 0; w.PeekKind() != '}' && w.PeekKind() != ']'; i++ {
		if err := next(i); err != nil {
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

// strayName finds stray fields in the value of one field that is set by its path.
func strayName(t reflect.Type, path string, value any) error {
	names := strings.Split(path, ".")
	for i := len(names) - 1; i >= 0; i-- {
		value = map[string]any{names[i]: value}
	}
	text, err := json.Marshal(value)
	if err != nil {
		return invalidf("/"+path, "cannot be written as JSON: %v", err)
	}
	return inspect(text, t, true)
}

// known is a field of a struct, found once.
type known struct {
	field reflect.StructField
	most  int // its maxItems, or noLimit
}

var knownFields sync.Map // of fields by name, by type; a cache, so no state

// fieldsByName are the fields of a struct as JSON names them, those of embedded structs
// among them.
func fieldsByName(t reflect.Type) map[string]known {
	if all, ok := knownFields.Load(t); ok {
		return all.(map[string]known)
	}
	all := map[string]known{}
	for i := range t.NumField() {
		f := t.Field(i)
		switch {
		case f.Anonymous:
			for name, inner := range fieldsByName(f.Type) {
				if _, own := all[name]; !own {
					all[name] = inner
				}
			}
		case f.IsExported() && f.Name != "Extra":
			most := noLimit
			if n, has := tagNumber(f.Tag, "maxItems"); has {
				most = int(n)
			}
			all[strings.TrimPrefix(fieldPath(f), "/")] = known{f, most}
		}
	}
	knownFields.Store(t, all)
	return all
}

func fieldNamed(t reflect.Type, name string) (reflect.StructField, bool) {
	f, ok := fieldsByName(t)[name]
	return f.field, ok
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
