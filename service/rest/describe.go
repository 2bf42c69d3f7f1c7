package rest

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/handover"
	"grotta/core/level"
	"grotta/core/platform"
)

// schemas are the documents that files of users are, by what commands call them.
var schemas = map[string]struct {
	of                         reflect.Type
	format, title, description string
}{
	"level":     {reflect.TypeFor[level.Level](), level.Format, "Grotta level", "A level for Grotta: right-handed, +Y up, metres, degrees; strengths in candela, lux and nits; colours sRGB #rrggbb or, with 16 bits for each channel, #rrrrggggbbbb."},
	"platform":  {reflect.TypeFor[platform.Profile](), platform.Format, "Grotta platform", "What a target of levels takes and what it refuses."},
	"hand-over": {reflect.TypeFor[handover.File](), handover.Format, "Grotta hand-over", "How an editor writes what lights a level, and how it is read back."},
}

// SchemaNames are the documents that have a schema.
func SchemaNames() []string { return slices.Sorted(maps.Keys(schemas)) }

// Schema is the JSON Schema (2020-12) of a document, made from its
// Go types. A field with a default may be left out.
func Schema(name string) ([]byte, error) {
	of, ok := schemas[name]
	if !ok {
		return nil, fmt.Errorf("no document is called %q; there are %s", name, strings.Join(SchemaNames(), ", "))
	}
	const prefix = "#/$defs/"
	huma.DefaultArrayNullable = false
	registry := huma.NewMapRegistry(prefix, huma.DefaultSchemaNamer)
	root := registry.Schema(of.of, true, "")
	defs := map[string]*huma.Schema{}
	for name, s := range registry.Map() {
		defs[name] = mayLeaveOut(s, registry.TypeFromRef(prefix+name))
	}
	return Indent(map[string]any{
		"$schema":     "https://json-schema.org/draft/2020-12/schema",
		"$id":         "urn:grotta:schema:" + of.format,
		"title":       of.title,
		"description": of.description,
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
