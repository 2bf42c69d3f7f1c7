// Package table finds out what each format of exchange keeps, by trying: each property of each thing
// is set to another value than its default, written, read back and compared.
package table

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/exchange"
	"grotta/core/handover"
	"grotta/core/level"
)

// Outcomes of a property in a format.
const (
	Kept    = "kept"
	Changed = "changed" // it comes back as something else
	Left    = "left out"
)

// Row is a property of a kind of thing, and what becomes of it in each format.
type Row struct {
	Thing, Property string
	Outcomes        []string // in the order of Formats
}

// format writes and reads a level, and tells what became of a thing's property.
type format struct {
	name string
	back func(l *level.Level) (*level.Level, error) // nil where nothing came back
}

// Formats are the names of the columns.
func Formats() ([]string, error) {
	all, err := formats()
	names := make([]string, len(all))
	for i := range all {
		names[i] = all[i].name
	}
	return names, err
}

func formats() ([]format, error) {
	all := []format{
		{"document", throughDocument},
		{"glTF", throughGLTF},
	}
	shipped, err := handover.Shipped()
	for _, f := range shipped {
		all = append(all, format{f.Title, func(l *level.Level) (*level.Level, error) { return throughText(f, l) }})
	}
	return all, err
}

func throughDocument(l *level.Level) (*level.Level, error) {
	text, err := level.Encode(l)
	if err != nil {
		return nil, err
	}
	back, _, err := level.Parse(text)
	return back, err
}

func throughGLTF(l *level.Level) (*level.Level, error) {
	data, _, err := exchange.WriteGLTF(l)
	if err != nil {
		return nil, err
	}
	back, _, err := exchange.Read(&exchange.Files{Name: "level.glb", Data: data}, exchange.Options{})
	return back, err
}

// throughText writes a level in the words of a target and takes it back into an empty one.
func throughText(f *handover.File, l *level.Level) (*level.Level, error) {
	written, err := handover.Write(l, f, nil)
	if err != nil {
		return nil, err
	}
	empty := level.New("Back")
	back, err := handover.Read(written.Text, f, empty)
	if err != nil || len(back.Operation.Steps) == 0 {
		return nil, err
	}
	next, _, err := empty.Apply(level.Batch("", ordered(back.Operation.Steps)...))
	return next, err
}

// ordered puts lights before what may take its colour from one.
func ordered(steps []level.Operation) []level.Operation {
	rank := func(op level.Operation) int {
		if op.Part == "lights" || op.Part == "zones" {
			return 0
		}
		return 1
	}
	out := slices.Clone(steps)
	slices.SortStableFunc(out, func(a, b level.Operation) int { return rank(a) - rank(b) })
	return out
}

// outcome compares a property of the thing with an id, "" for the level, with what it was, and with
// what it is where nobody set it.
func outcome(back *level.Level, id, path string, want any, unset ...any) (string, error) {
	if back == nil {
		return Left, nil
	}
	tree, err := treeOf(back, id)
	if err != nil {
		return "", err
	}
	switch got := at(tree, path); {
	case alike(got, want):
		return Kept, nil
	case got == nil || slices.ContainsFunc(unset, func(v any) bool { return alike(got, v) }):
		return Left, nil
	}
	return Changed, nil
}

func partOf(l *level.Level, part string) reflect.Value {
	v := reflect.ValueOf(l).Elem()
	for i := range v.NumField() {
		if name, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ","); name == part {
			return v.Field(i)
		}
	}
	return reflect.Value{}
}

func treeOf(l *level.Level, id string) (map[string]any, error) {
	if id == "" {
		return plain(l)
	}
	part, i, ok := l.Find(id)
	if !ok {
		return nil, nil
	}
	return plain(partOf(l, part).Index(i).Interface())
}

func plain(v any) (map[string]any, error) {
	text, err := level.Encode(v)
	if err != nil {
		return nil, err
	}
	var tree map[string]any
	return tree, json.Unmarshal(text, &tree)
}

func at(tree map[string]any, path string) any {
	var v any = tree
	for name := range strings.SplitSeq(path, ".") {
		inner, ok := v.(map[string]any)
		if !ok {
			return nil
		}
		v = inner[name]
	}
	return v
}

// alike compares to the precision that a person would notice; colours to a step of their eight bits.
func alike(a, b any) bool {
	switch x := a.(type) {
	case float64:
		y, ok := b.(float64)
		return ok && math.Abs(x-y) <= 2e-3*max(math.Abs(x), math.Abs(y), 0.1)
	case []any:
		y, ok := b.([]any)
		if !ok || len(x) != len(y) {
			return false
		}
		for i := range x {
			if !alike(x[i], y[i]) {
				return false
			}
		}
		return true
	case map[string]any:
		y, ok := b.(map[string]any)
		if !ok || len(x) != len(y) {
			return false
		}
		for name := range x {
			if !alike(x[name], y[name]) {
				return false
			}
		}
		return true
	case string:
		y, ok := b.(string)
		return ok && (x == y || nearColor(x, y))
	}
	return reflect.DeepEqual(a, b)
}

func nearColor(a, b string) bool {
	if len(a) != 7 || len(b) != 7 || a[0] != '#' || b[0] != '#' {
		return false
	}
	for i := 1; i < 7; i += 2 {
		x, err := strconv.ParseInt(a[i:i+2], 16, 32)
		y, err2 := strconv.ParseInt(b[i:i+2], 16, 32)
		if err != nil || err2 != nil || x-y > 1 || y-x > 1 {
			return false
		}
	}
	return true
}

// Markdown is the table as text; things of which every property has the same outcomes take one row.
func Markdown(rows []Row, names []string) string {
	var b strings.Builder
	b.WriteString("| thing | property | " + strings.Join(names, " | ") + " |\n|" + strings.Repeat(" --- |", 2+len(names)) + "\n")
	line := func(r Row) {
		fmt.Fprintf(&b, "| %s | %s | %s |\n", r.Thing, r.Property, strings.Join(r.Outcomes, " | "))
	}
	for from := 0; from < len(rows); {
		to := from
		same := true
		for to < len(rows) && rows[to].Thing == rows[from].Thing {
			same = same && slices.Equal(rows[to].Outcomes, rows[from].Outcomes)
			to++
		}
		if same {
			line(Row{rows[from].Thing, "all", rows[from].Outcomes})
		} else {
			for _, r := range rows[from:to] {
				line(r)
			}
		}
		from = to
	}
	return b.String()
}
