// Package leveltest makes random levels and random edits for property tests. The
// edits are made from the types of the document, so that a new field joins by itself.
package leveltest

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
)

// Edit makes a random operation that the level accepts: another value of any field of
// any entity or of the level itself, an entity added or removed. It gives up with a
// panic after a thousand tries, which no level of this package needs.
func Edit(r *rand.Rand, l *level.Level) level.Operation {
	for range 1000 {
		op := propose(r, l)
		if _, _, err := l.Apply(op); err == nil {
			return op
		}
	}
	panic("leveltest: no edit was accepted")
}

func propose(r *rand.Rand, l *level.Level) level.Operation {
	switch part := level.Parts[r.IntN(len(level.Parts))]; r.IntN(12) {
	case 0:
		if id := anyID(r, l, part); id != "" {
			return level.Remove(id)
		}
	case 1:
		if op, ok := copyOf(r, l, part); ok {
			return op
		}
	case 2:
		return setField(r, l, "", reflect.ValueOf(l).Elem())
	}
	part := level.Parts[r.IntN(len(level.Parts))]
	list := listOf(l, part)
	if list.Len() == 0 {
		return setField(r, l, "", reflect.ValueOf(l).Elem())
	}
	entity := list.Index(r.IntN(list.Len())).Elem()
	return setField(r, l, entity.FieldByName("ID").String(), entity)
}

// listOf is the list of a part.
func listOf(l *level.Level, part string) reflect.Value {
	t := reflect.TypeFor[level.Level]()
	for i := range t.NumField() {
		if name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ","); name == part {
			return reflect.ValueOf(l).Elem().Field(i)
		}
	}
	panic("leveltest: no part " + part)
}

func anyID(r *rand.Rand, l *level.Level, part string) string {
	list := listOf(l, part)
	if list.Len() == 0 {
		return ""
	}
	return list.Index(r.IntN(list.Len())).Elem().FieldByName("ID").String()
}

// copyOf adds a moved copy of an entity.
func copyOf(r *rand.Rand, l *level.Level, part string) (level.Operation, bool) {
	list := listOf(l, part)
	if list.Len() == 0 || list.Len() > 12 {
		return level.Operation{}, false
	}
	op := level.Add(part, list.Index(r.IntN(list.Len())).Interface())
	op.Entity["id"] = l.FreshID("copy")
	if _, placed := op.Entity["transform"]; placed {
		op.Entity["transform"] = map[string]any{"position": []any{r.Float64()*5 - 2.5, r.Float64() * 2.5, r.Float64()*5 - 2.5}}
	}
	return op, true
}

// field is one value of an entity that can be set, by its dotted path.
type field struct {
	path  string
	value reflect.Value
	tag   reflect.StructTag
}

// setField sets one random field to a random value.
func setField(r *rand.Rand, l *level.Level, id string, entity reflect.Value) level.Operation {
	fields := fieldsOf(entity, "")
	f := fields[r.IntN(len(fields))]
	return level.Set(id, map[string]any{f.path: randomValue(r, l, f)})
}

// fieldsOf lists the fields of a struct, those of structs in it among them.
func fieldsOf(v reflect.Value, prefix string) []field {
	var all []field
	for i := range v.NumField() {
		f := v.Type().Field(i)
		if !f.IsExported() || f.Type == reflect.TypeFor[jsontext.Value]() {
			continue
		}
		if f.Anonymous {
			all = append(all, fieldsOf(v.Field(i), prefix)...)
			continue
		}
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "id" || name == "format" || prefix == "" && f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.Pointer {
			continue
		}
		switch f.Type.Kind() {
		case reflect.Struct:
			all = append(all, fieldsOf(v.Field(i), prefix+name+".")...)
		case reflect.Pointer:
			all = append(all, field{prefix + name, v.Field(i), f.Tag})
			if !v.Field(i).IsNil() && f.Type.Elem().Kind() == reflect.Struct {
				all = append(all, fieldsOf(v.Field(i).Elem(), prefix+name+".")...)
			}
		default:
			all = append(all, field{prefix + name, v.Field(i), f.Tag})
		}
	}
	return all
}

// randomValue is what JSON would hold for a new value of a field.
func randomValue(r *rand.Rand, l *level.Level, f field) any {
	last := f.path[strings.LastIndexByte(f.path, '.')+1:]
	if last == "density" && f.tag.Get("maximum") == "256" { // texels a metre: keep levels small
		return 1 + math.Round(r.Float64()*20)/10
	}
	switch f.value.Kind() {
	case reflect.Bool:
		return !f.value.Bool()
	case reflect.String:
		return randomText(r, l, last, f)
	case reflect.Int:
		if step, err := strconv.Atoi(f.tag.Get("multipleOf")); err == nil {
			return step * (1 + r.IntN(12))
		}
		return int(randomNumber(r, f.tag, float64(f.value.Int())))
	case reflect.Float64:
		return randomNumber(r, f.tag, f.value.Float())
	case reflect.Array:
		if last == "rotation" {
			return randomTurn(r)
		}
		list := make([]any, f.value.Len())
		one := r.IntN(len(list))
		for i := range list {
			list[i] = f.value.Index(i).Interface()
			if i == one {
				list[i] = near(r, f.value.Index(i).Float(), f.tag)
			}
		}
		return list
	case reflect.Pointer:
		if !f.value.IsNil() && r.IntN(3) == 0 {
			return nil
		}
		if f.value.Type().Elem().Kind() == reflect.Float64 {
			return randomNumber(r, f.tag, 0)
		}
		return randomObject(r, l, f.value.Type().Elem())
	case reflect.Slice:
		return randomList(r, l, f)
	}
	panic("leveltest: no value for " + f.path)
}

// randomObject is a struct with its defaults and a few fields changed.
func randomObject(r *rand.Rand, l *level.Level, t reflect.Type) any {
	object := map[string]any{}
	fields := fieldsOf(reflect.New(t).Elem(), "")
	for _, f := range fields {
		if isReference(f.path) || r.IntN(3) == 0 && !strings.Contains(f.path, ".") {
			object[f.path] = randomValue(r, l, f)
		}
	}
	return object
}

func randomList(r *rand.Rand, l *level.Level, f field) any {
	list := make([]any, f.value.Len())
	for i := range list {
		list[i] = f.value.Index(i).Interface()
	}
	if len(list) == 0 {
		if f.value.Type().Elem().Kind() == reflect.Struct {
			return []any{randomObject(r, l, f.value.Type().Elem())}
		}
		return list
	}
	i := r.IntN(len(list))
	switch element := f.value.Index(i); element.Kind() {
	case reflect.Float64:
		list[i] = element.Float() + r.Float64() - 0.5
	case reflect.Uint32:
		j := r.IntN(len(list))
		list[i], list[j] = list[j], list[i]
	case reflect.Uint8: // an image's file
		return Image(r).Data
	case reflect.String:
		list[i] = "tag-" + strconv.Itoa(r.IntN(9))
	case reflect.Struct:
		inner := fieldsOf(element, "")
		g := inner[r.IntN(len(inner))]
		object := map[string]any{}
		for _, h := range inner {
			putAt(object, h.path, h.value.Interface())
		}
		putAt(object, g.path, randomValue(r, l, g))
		list[i] = object
	}
	return list
}

func putAt(object map[string]any, path string, value any) {
	names := strings.Split(path, ".")
	for _, name := range names[:len(names)-1] {
		inner, ok := object[name].(map[string]any)
		if !ok {
			inner = map[string]any{}
			object[name] = inner
		}
		object = inner
	}
	object[names[len(names)-1]] = value
}

// references are fields that hold an id, and of which parts; "" stands for none.
var references = map[string][]string{
	"material": {"materials"}, "image": {"images"}, "zone": {"zones"}, "rig": {"rigs"}, "parent": {"solids", "meshes", "lights"},
	"light": {"lights"}, "color_from": {"lights"}, "profile": {"profiles"}, "geometry": {"geometries"},
}

func isReference(path string) bool { return references[path] != nil }

func randomText(r *rand.Rand, l *level.Level, name string, f field) any {
	if parts := references[name]; parts != nil {
		if r.IntN(4) == 0 {
			return nil
		}
		return anyID(r, l, parts[r.IntN(len(parts))])
	}
	if list := f.tag.Get("enum"); list != "" {
		all := strings.Split(list, ",")
		return all[r.IntN(len(all))]
	}
	switch {
	case strings.HasPrefix(f.tag.Get("pattern"), "^#"):
		return fmt.Sprintf("#%06x", r.IntN(1<<24))
	case strings.HasPrefix(f.tag.Get("pattern"), "^\\d{4}"):
		return fmt.Sprintf("2026-%02d-%02dT%02d:00:00Z", 1+r.IntN(12), 1+r.IntN(28), r.IntN(24))
	}
	return "words " + strconv.Itoa(r.IntN(1000))
}

// randomNumber lies within the field's bounds, mostly of the size of a room.
func randomNumber(r *rand.Rand, tag reflect.StructTag, was float64) float64 {
	low, high := bound(tag, "minimum", bound(tag, "exclusiveMinimum", -4)), bound(tag, "maximum", 4)
	switch r.IntN(4) {
	case 0:
		return min(max(low, 0), high)
	case 1:
		return min(max(was*(0.5+r.Float64()), low), high)
	}
	x := math.Exp(r.NormFloat64() * 1.5)
	if low < 0 && r.IntN(2) == 0 {
		x = -x
	}
	return min(max(x, low), high)
}

// near is a value a little off, as a drag would give.
func near(r *rand.Rand, was float64, tag reflect.StructTag) float64 {
	return min(max(was+r.Float64()*2-1, bound(tag, "minimum", -50)), bound(tag, "maximum", 50))
}

func bound(tag reflect.StructTag, key string, otherwise float64) float64 {
	x, err := strconv.ParseFloat(tag.Get(key), 64)
	if err != nil {
		return otherwise
	}
	return x
}

func randomTurn(r *rand.Rand) any {
	q := [4]float64{r.NormFloat64(), r.NormFloat64(), r.NormFloat64(), r.NormFloat64()}
	n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
	return []any{q[0] / n, q[1] / n, q[2] / n, q[3] / n}
}
