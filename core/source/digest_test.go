package source

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/level"
)

// Every field of a shape decides the layer's key, and has words for its change.
func TestEveryFieldOfAShapeIsInItsDigest(t *testing.T) {
	fresh := func() *shape { return &shape{Zones: []zoneShape{{Boxes: []level.Box{{}}}}} }
	plain := fresh()
	var visit func(v reflect.Value, path string)
	visit = func(v reflect.Value, path string) {
		changed := func() {
			was, now := &Source{kind: &directional{*fresh()}}, &Source{kind: &directional{*plain}}
			assert.NotEqual(t, was.Digest(), now.Digest(), path)
			assert.Len(t, Changes(was, now), 1, path)
		}
		switch v.Kind() {
		case reflect.Struct:
			for i := range v.NumField() {
				visit(v.Field(i), path+"."+v.Type().Field(i).Name)
			}
		case reflect.Array, reflect.Slice:
			for i := range v.Len() {
				visit(v.Index(i), fmt.Sprint(path, i))
			}
		case reflect.Float64:
			v.SetFloat(1.25)
			changed()
			v.SetFloat(0)
		case reflect.Int:
			v.SetInt(3)
			changed()
			v.SetInt(0)
		case reflect.Uint8:
			v.SetUint(1)
			changed()
			v.SetUint(0)
		case reflect.String:
			v.SetString("x")
			changed()
			v.SetString("")
		case reflect.Bool:
			v.SetBool(true)
			changed()
			v.SetBool(false)
		default:
			t.Errorf("no way to change %s", path)
		}
	}
	visit(reflect.ValueOf(plain).Elem(), "shape")
}

// Every kind of light that the document has is made here.
func TestEveryKindOfLightHasItsFile(t *testing.T) {
	f, _ := reflect.TypeFor[level.Light]().FieldByName("Kind")
	for _, kind := range strings.Split(f.Tag.Get("enum"), ",") {
		assert.Contains(t, makers, kind)
	}
	assert.Len(t, makers, len(strings.Split(f.Tag.Get("enum"), ",")))
}
