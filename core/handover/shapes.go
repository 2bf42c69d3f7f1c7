package handover

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
)

// shape writes records as text and reads them back.
type shape interface {
	write(levelName string, records []record) ([]byte, error)
	read(text []byte) ([]record, error)
}

func (f *File) shape() shape {
	switch f.Text.Shape {
	case "json":
		return &jsonShape{&f.Text}
	case "csv":
		return &csvShape{f}
	case "template":
		return &templateShape{&f.Text}
	}
	return newSections(f)
}

// maxRecords is the most things that are read from one text.
const maxRecords = 40_000

// Sections of lines.

type sections struct {
	text             *Text
	begin, pair, end *regexp.Regexp
}

const namePattern = `[A-Za-z0-9_.:/-]+(?: [A-Za-z0-9_.:/-]+)*`

func newSections(f *File) *sections {
	t := &f.Text
	s := &sections{text: t}
	value := `(.*?)`
	if t.Quote == "double" {
		value = `("(?:[^"\\]|\\.)*"|[^"]*?)`
	}
	s.begin = lineOf(t.Begin, value)
	s.pair = lineOf(t.Pair, value)
	if t.End != "" {
		s.end = lineOf(t.End, value)
	}
	return s
}

// lineOf is a pattern for a line; spaces match any number of them.
func lineOf(line, value string) *regexp.Regexp {
	var b strings.Builder
	b.WriteString(`^\s*`)
	for rest := strings.TrimSpace(line); rest != ""; {
		switch {
		case strings.HasPrefix(rest, "<class>"):
			b.WriteString(`(` + namePattern + `)`)
			rest = rest[len("<class>"):]
		case strings.HasPrefix(rest, "<name>"):
			b.WriteString(`(` + namePattern + `)`)
			rest = rest[len("<name>"):]
		case strings.HasPrefix(rest, "<value>"):
			b.WriteString(value)
			rest = rest[len("<value>"):]
		case rest[0] == ' ' || rest[0] == '\t':
			b.WriteString(`\s*`)
			rest = strings.TrimLeft(rest, " \t")
		default:
			b.WriteString(regexp.QuoteMeta(rest[:1]))
			rest = rest[1:]
		}
	}
	b.WriteString(`\s*$`)
	return regexp.MustCompile(b.String())
}

func (s *sections) write(_ string, records []record) ([]byte, error) {
	var b bytes.Buffer
	line := func(text string) { b.WriteString(strings.TrimRight(text, " \t") + "\n") }
	if s.text.Head != "" {
		line(strings.TrimRight(s.text.Head, "\n"))
	}
	for i, r := range records {
		if i > 0 && s.text.End == "" {
			b.WriteByte('\n')
		}
		line(strings.ReplaceAll(s.text.Begin, "<class>", r.class))
		if s.text.Class != "" {
			line(s.pairLine(s.text.Class, s.valueText(value{v: r.class})))
		}
		for _, v := range r.values {
			line(s.pairLine(v.name, s.valueText(v)))
		}
		if s.text.End != "" {
			line(s.text.End)
		}
	}
	if s.text.Foot != "" {
		line(strings.TrimRight(s.text.Foot, "\n"))
	}
	return b.Bytes(), nil
}

func (s *sections) pairLine(name, value string) string {
	before, after, _ := strings.Cut(s.text.Pair, "<name>")
	between, end, _ := strings.Cut(after, "<value>")
	return before + name + between + value + end
}

// valueText is a value on a line: words in quotes where the file says so.
func (s *sections) valueText(v value) string {
	text := joined(v.v, v.join)
	if _, number := v.v.(float64); s.text.Quote == "double" && !number {
		return quoted(text)
	}
	return text
}

func joined(v any, join string) string {
	list, ok := v.([]any)
	if !ok {
		return plainText(v)
	}
	parts := make([]string, len(list))
	for i := range list {
		parts[i] = joined(list[i], " ")
	}
	return strings.Join(parts, join)
}

func quoted(text string) string {
	out, err := jsontext.AppendQuote(nil, text)
	if err != nil {
		return `""` // a level has no text that is not UTF-8
	}
	return string(out)
}

func unquoted(text string) string {
	if len(text) >= 2 && text[0] == '"' {
		if out, err := jsontext.AppendUnquote(nil, text); err == nil {
			return string(out)
		}
		return strings.Trim(text, `"`)
	}
	return text
}

func (s *sections) read(text []byte) ([]record, error) {
	var all []record
	open := false
	fixed := map[string]bool{}
	for _, part := range []string{s.text.Head, s.text.Foot} {
		for line := range strings.Lines(part) {
			fixed[strings.TrimSpace(line)] = true
		}
	}
	scanner := bufio.NewScanner(bytes.NewReader(text))
	scanner.Buffer(make([]byte, 0, 64<<10), 1<<20)
	for n := 1; scanner.Scan(); n++ {
		line := strings.TrimSpace(strings.TrimPrefix(scanner.Text(), "\ufeff"))
		at := fmt.Sprintf("line %d", n)
		if line == "" || s.text.Comment != "" && strings.HasPrefix(line, s.text.Comment) {
			continue
		}
		if open && s.end != nil && s.end.MatchString(line) {
			open = false
			continue
		}
		if open {
			if m := s.pair.FindStringSubmatch(line); m != nil {
				r := &all[len(all)-1]
				v := value{name: m[1], v: unquoted(m[2]), place: at}
				if v.name == s.text.Class {
					r.class = plainText(v.v)
				} else {
					r.values = append(r.values, v)
				}
				continue
			}
		}
		if m := s.begin.FindStringSubmatch(line); m != nil && (!open || s.end == nil) {
			if len(all) == maxRecords {
				return nil, fault(at, "is the beginning of more than %d sections, which is the most", maxRecords)
			}
			all, open = append(all, record{place: at}), true
			if len(m) > 1 {
				all[len(all)-1].class = m[1]
			}
			continue
		}
		if fixed[line] {
			open = false
			continue
		}
		if open {
			return nil, fault(at, "is %q; a line such as %q is needed here", clipped(line), s.text.Pair)
		}
		return nil, fault(at, "is %q; a line such as %q begins a section", clipped(line), s.text.Begin)
	}
	if err := scanner.Err(); err != nil {
		return nil, fault("", "the text has a line of more than a megabyte")
	}
	if open && s.end != nil {
		return nil, fault(all[len(all)-1].place, "begins a section that has no end; it needs a line %q", s.text.End)
	}
	return all, nil
}

func clipped(line string) string {
	if r := []rune(line); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return line
}

// Objects of JSON.

type jsonShape struct{ text *Text }

func (s *jsonShape) write(_ string, records []record) ([]byte, error) {
	list := make([]any, len(records))
	for i, r := range records {
		o := &object{}
		if s.text.Class != "" && r.class != "" {
			o.put(s.text.Class, r.class)
		}
		for _, v := range r.values {
			o.put(v.name, v.v)
		}
		list[i] = o
	}
	var whole any = list
	if s.text.List != "" {
		o := &object{}
		o.put(s.text.List, list)
		whole = o
	}
	var b bytes.Buffer
	err := indented(&b, whole, "")
	b.WriteByte('\n')
	return b.Bytes(), err
}

// object is a JSON object that keeps its order; a dotted name is a value within another.
type object struct {
	names  []string
	values []any
}

func (o *object) put(name string, v any) {
	first, rest, nested := strings.Cut(name, ".")
	if !nested {
		o.names, o.values = append(o.names, name), append(o.values, v)
		return
	}
	i := slices.Index(o.names, first)
	if i < 0 {
		o.names, o.values = append(o.names, first), append(o.values, &object{})
		i = len(o.names) - 1
	}
	if inner, ok := o.values[i].(*object); ok {
		inner.put(rest, v)
	}
}

// indented writes JSON for people: an object over several lines, a list of plain values on one.
func indented(b *bytes.Buffer, v any, indent string) error {
	inner := indent + "  "
	switch v := v.(type) {
	case *object:
		b.WriteString("{")
		for i, name := range v.names {
			b.WriteString(comma(i) + "\n" + inner + quoted(name) + ": ")
			if err := indented(b, v.values[i], inner); err != nil {
				return err
			}
		}
		b.WriteString("\n" + indent + "}")
	case []any:
		_, deep := first(v).(*object)
		b.WriteString("[")
		for i, each := range v {
			if b.WriteString(comma(i)); deep {
				b.WriteString("\n" + inner)
			} else if i > 0 {
				b.WriteString(" ")
			}
			if err := indented(b, each, inner); err != nil {
				return err
			}
		}
		if deep {
			b.WriteString("\n" + indent)
		}
		b.WriteString("]")
	default:
		text, err := json.Marshal(v)
		if err != nil {
			return err
		}
		b.Write(text)
	}
	return nil
}

func comma(i int) string {
	if i == 0 {
		return ""
	}
	return ","
}

func first(list []any) any {
	if len(list) == 0 {
		return nil
	}
	return list[0]
}

func (s *jsonShape) read(text []byte) ([]record, error) {
	if err := level.CountContainers(text, level.MaxContainers); err != nil {
		return nil, err
	}
	var whole any
	if err := json.Unmarshal(text, &whole); err != nil {
		return nil, level.ReadError(err)
	}
	path := ""
	if s.text.List != "" {
		o, ok := whole.(map[string]any)
		if !ok || o[s.text.List] == nil {
			return nil, fault("", "has no list %q", s.text.List)
		}
		whole, path = o[s.text.List], "/"+s.text.List
	}
	list, ok := whole.([]any)
	if !ok {
		return nil, fault(path, "is no list of things")
	}
	if len(list) > maxRecords {
		return nil, fault(path, "has %d things; the most is %d", len(list), maxRecords)
	}
	all := make([]record, 0, len(list))
	for i, v := range list {
		at := fmt.Sprintf("%s/%d", path, i)
		o, ok := v.(map[string]any)
		if !ok {
			return nil, fault(at, "is no object")
		}
		r := record{place: at}
		if s.text.Class != "" {
			r.class, _ = o[s.text.Class].(string)
			delete(o, s.text.Class)
		}
		r.values = flat(nil, "", at, o)
		all = append(all, r)
	}
	return all, nil
}

func flat(out []value, prefix, at string, o map[string]any) []value {
	for name, v := range o {
		if v == nil {
			continue // says nothing
		}
		if inner, ok := v.(map[string]any); ok {
			out = flat(out, prefix+name+".", at+"/"+name, inner)
		} else {
			out = append(out, value{name: prefix + name, v: v, place: at + "/" + name})
		}
	}
	return out
}

// Rows of CSV.

type csvShape struct{ file *File }

func (s *csvShape) comma() rune {
	return map[string]rune{"semicolon": ';', "tab": '\t'}[s.file.Text.Separator] + 0
}

// columns are the fields of all rules, each once, in the order of the file.
func (s *csvShape) columns() []string {
	var names []string
	if s.file.Text.Class != "" {
		names = append(names, s.file.Text.Class)
	}
	for i := range s.file.Rules {
		for j := range s.file.Rules[i].Fields {
			if name := s.file.Rules[i].Fields[j].Name; !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	return names
}

func (s *csvShape) write(_ string, records []record) ([]byte, error) {
	var b bytes.Buffer
	out := csv.NewWriter(&b)
	if c := s.comma(); c != 0 {
		out.Comma = c
	}
	columns := s.columns()
	if err := out.Write(columns); err != nil {
		return nil, err
	}
	for _, r := range records {
		row := make([]string, len(columns))
		for i, name := range columns {
			if name == s.file.Text.Class {
				row[i] = r.class
			} else if v, ok := r.value(name); ok {
				row[i] = joined(v.v, v.join)
			}
		}
		if err := out.Write(row); err != nil {
			return nil, err
		}
	}
	out.Flush()
	return b.Bytes(), out.Error()
}

func (s *csvShape) read(text []byte) ([]record, error) {
	in := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(text, []byte("\ufeff"))))
	if c := s.comma(); c != 0 {
		in.Comma = c
	}
	in.FieldsPerRecord = -1
	head, err := in.Read()
	if err != nil {
		return nil, fault("line 1", "is no head of columns: %v", err)
	}
	for i := range head {
		head[i] = strings.TrimSpace(head[i])
	}
	known := s.columns()
	if !slices.ContainsFunc(head, func(name string) bool { return slices.Contains(known, name) }) {
		return nil, fault("line 1", "has none of the columns %s", strings.Join(known, ", "))
	}
	var all []record
	for {
		row, err := in.Read()
		if err == io.EOF {
			return all, nil
		}
		if err != nil {
			return nil, fault("", "%v", err)
		}
		n, _ := in.FieldPos(0)
		at := fmt.Sprintf("line %d", n)
		if len(row) > len(head) {
			return nil, fault(at, "has %d cells; the head has %d", len(row), len(head))
		}
		if len(all) == maxRecords {
			return nil, fault(at, "is more than row %d, which is the most", maxRecords)
		}
		r := record{place: at}
		for i, cell := range row {
			switch {
			case head[i] == s.file.Text.Class:
				r.class = cell
			case cell != "":
				r.values = append(r.values, value{name: head[i], v: cell, place: at})
			}
		}
		all = append(all, r)
	}
}
