package rest

import (
	"reflect"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
)

// LevelSchema is the JSON Schema (2020-12) of the level document, made from its
// Go types. A field with a default may be left out.
func LevelSchema() ([]byte, error) {
	const prefix = "#/$defs/"
	huma.DefaultArrayNullable = false
	registry := huma.NewMapRegistry(prefix, huma.DefaultSchemaNamer)
	root := registry.Schema(reflect.TypeFor[level.Level](), true, "")
	defs := map[string]*huma.Schema{}
	for name, s := range registry.Map() {
		defs[name] = mayLeaveOut(s, registry.TypeFromRef(prefix+name))
	}
	return Indent(map[string]any{
		"$schema":     "https://json-schema.org/draft/2020-12/schema",
		"$id":         "urn:grotta:schema:" + level.Format,
		"title":       "Grotta level",
		"description": "A level for Grotta: right-handed, +Y up, metres, degrees; strengths in candela, lux and nits; colours sRGB #rrggbb.",
		"$ref":        root.Ref,
		"$defs":       defs,
	})
}

// mayLeaveOut frees fields that have a default, and lets unknown fields stand, as
// the reader keeps them.
func mayLeaveOut(s *huma.Schema, t reflect.Type) *huma.Schema {
	open, free := *s, level.MayBeLeftOut(t)
	open.AdditionalProperties = true
	open.Required = slices.DeleteFunc(slices.Clone(s.Required), func(name string) bool { return slices.Contains(free, name) })
	return &open
}

// Indent writes any value as indented JSON with a closing newline.
func Indent(v any) ([]byte, error) {
	text, err := json.Marshal(v, json.Deterministic(true), jsontext.WithIndent("  "))
	return append(text, '\n'), err
}
