// Package yaml reads YAML that people write by hand, such as profiles of platforms, as
// the JSON of the same meaning; all further reading is that of JSON. It is the only
// place that reads YAML.
//
// What makes a short text expand is not read: aliases, merge keys and tags. Nesting
// and the number of values are bounded.
package yaml

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"
	"go.yaml.in/yaml/v3"
)

// Bounds of a text.
const (
	MaxDepth  = 32
	MaxValues = 20_000
)

// Error says where a text cannot be read, and why.
type Error struct {
	Line, Column int // from 1; 0 where the place is not known
	What         string
}

func (e *Error) Error() string {
	if e.Line == 0 {
		return "is not YAML: " + e.What
	}
	return fmt.Sprintf("is not YAML that can be read, line %d, column %d: %s", e.Line, e.Column, e.What)
}

// ToJSON gives the JSON of a YAML document, or of JSON, which is YAML too. The error is
// an *Error.
func ToJSON(text []byte) (jsontext.Value, error) {
	if err := checkNesting(text); err != nil {
		return nil, err
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, errorOf(err)
	}
	if len(doc.Content) == 0 {
		return nil, &Error{What: "the text is empty"}
	}
	w := writer{}
	if err := w.value(doc.Content[0], 0); err != nil {
		return nil, err
	}
	return w.json, nil
}

// checkNesting refuses brackets that are nested deeper than MaxDepth before the parser
// sees them, since its work grows with the square of their depth. Brackets in quoted
// text count too, but only while they stay open.
func checkNesting(text []byte) error {
	depth, line, column := 0, 1, 0
	for _, b := range text {
		column++
		switch b {
		case '[', '{':
			depth++
		case ']', '}':
			depth = max(depth-1, 0)
		case '\n':
			line, column = line+1, 0
		}
		if depth > 4*MaxDepth {
			return &Error{line, column, fmt.Sprintf("brackets are nested more than %d deep", MaxDepth)}
		}
	}
	return nil
}

// errorOf takes the line out of the parser's own words.
func errorOf(err error) error {
	var wrong *yaml.TypeError
	what := err.Error()
	if errors.As(err, &wrong) {
		what = strings.Join(wrong.Errors, "; ")
	}
	what = strings.TrimPrefix(what, "yaml: ")
	if rest, ok := strings.CutPrefix(what, "line "); ok {
		if number, said, ok := strings.Cut(rest, ": "); ok {
			if line, err := strconv.Atoi(number); err == nil {
				return &Error{line, 1, said}
			}
		}
	}
	return &Error{What: what}
}

type writer struct {
	json   jsontext.Value
	values int
}

func (w *writer) value(n *yaml.Node, depth int) error {
	refuse := func(format string, args ...any) error {
		return &Error{n.Line, n.Column, fmt.Sprintf(format, args...)}
	}
	if w.values++; w.values > MaxValues {
		return refuse("there are more than %d values", MaxValues)
	}
	if depth > MaxDepth {
		return refuse("values are nested more than %d deep", MaxDepth)
	}
	switch n.Kind {
	case yaml.AliasNode:
		return refuse("the alias *%s is not read; write the value out", n.Value)
	case yaml.MappingNode:
		return w.mapping(n, depth, refuse)
	case yaml.SequenceNode:
		w.json = append(w.json, '[')
		for i, element := range n.Content {
			if i > 0 {
				w.json = append(w.json, ',')
			}
			if err := w.value(element, depth+1); err != nil {
				return err
			}
		}
		w.json = append(w.json, ']')
		return nil
	}
	return w.scalar(n, refuse)
}

func (w *writer) mapping(n *yaml.Node, depth int, refuse func(string, ...any) error) error {
	w.json = append(w.json, '{')
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key := n.Content[i]
		if key.Kind != yaml.ScalarNode || key.Tag == "!!merge" {
			return &Error{key.Line, key.Column, "a name is needed here"}
		}
		if seen[key.Value] {
			return &Error{key.Line, key.Column, fmt.Sprintf("%q stands here a second time", key.Value)}
		}
		seen[key.Value] = true
		if i > 0 {
			w.json = append(w.json, ',')
		}
		var err error
		if w.json, err = jsontext.AppendQuote(w.json, key.Value); err != nil {
			return refuse("%q is no valid text", key.Value)
		}
		w.json = append(w.json, ':')
		if err := w.value(n.Content[i+1], depth+1); err != nil {
			return err
		}
	}
	w.json = append(w.json, '}')
	return nil
}

func (w *writer) scalar(n *yaml.Node, refuse func(string, ...any) error) (err error) {
	switch tag := n.ShortTag(); tag {
	case "!!null":
		w.json = append(w.json, "null"...)
	case "!!bool":
		var b bool
		if err := n.Decode(&b); err != nil {
			return refuse("%q is neither true nor false", n.Value)
		}
		w.json = strconv.AppendBool(w.json, b)
	case "!!int", "!!float":
		var x float64
		if err := n.Decode(&x); err != nil || math.IsNaN(x) || math.IsInf(x, 0) {
			return refuse("%q is no finite number", n.Value)
		}
		w.json = strconv.AppendFloat(w.json, x, 'g', -1, 64)
	case "!!str", "!!timestamp":
		if w.json, err = jsontext.AppendQuote(w.json, n.Value); err != nil {
			return refuse("%q is no valid text", n.Value)
		}
	default:
		return refuse("the tag %s is not read", tag)
	}
	return nil
}

// Marshal writes a value as YAML.
func Marshal(v any) ([]byte, error) { return yaml.Marshal(v) }
