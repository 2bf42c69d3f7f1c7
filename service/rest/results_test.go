package rest

import (
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/api"
	"grotta/core/check"
	"grotta/core/compare"
	"grotta/core/ledger"
	"grotta/core/planner"
	"grotta/core/probe"
	"grotta/report"
)

// What is computed arrives in full: with every field of a result set, no field of what
// goes over the wire is left at nothing.
func TestResultsGoOutWhole(t *testing.T) {
	o := &opened{info: api.LevelInfo{ID: "level", Revision: 3}}
	for _, out := range []any{
		report.Of("level", 3, filled[check.Report]()), ledgerOf(o, filled[ledger.Ledger]()), gridOf(filled[probe.Grid]()),
		*planOf(filled[planner.Plan]()), differenceOf(filled[compare.Result]()),
	} {
		assertFull(t, reflect.ValueOf(out), reflect.TypeOf(out).Name())
	}
}

func filled[T any]() *T {
	v := new(T)
	fill(reflect.ValueOf(v).Elem())
	return v
}

// fill sets everything that a package shows of a value.
func fill(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i))
			}
		}
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fill(v.Index(0))
	case reflect.Array:
		for i := range v.Len() {
			fill(v.Index(i))
		}
	case reflect.Map:
		v.Set(reflect.ValueOf(map[string]int{"error": 1}))
	case reflect.String:
		v.SetString("x")
	case reflect.Int:
		v.SetInt(1)
	case reflect.Float64:
		v.SetFloat(1)
	case reflect.Bool:
		v.SetBool(true)
	}
}

func assertFull(t *testing.T, v reflect.Value, at string) {
	assert.False(t, v.IsZero(), at)
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			assertFull(t, v.Field(i), at+"."+v.Type().Field(i).Name)
		}
	case reflect.Slice:
		if assert.NotZero(t, v.Len(), at) {
			assertFull(t, v.Index(0), at)
		}
	}
}
