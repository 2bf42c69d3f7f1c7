package handover

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"text/template"
	"text/template/parse"
)

// What a text template may use: it can neither read nor run anything, only go through what it is
// given, and not for long.
const (
	maxSteps = 1_000_000 // turns of its loops
	maxText  = 16 << 20  // bytes that it writes
	maxPiece = 64 << 10  // bytes of one value that it makes
)

// templateShape writes text that only a template can say. It is not read back.
type templateShape struct{ text *Text }

// templateThing is what a template sees of a thing.
type templateThing struct {
	Class, ID, Name, Kind string
	Fields                map[string]any
}

var errUnread = errors.New("text of a template cannot be read back; a hand-over file with sections, json or csv can")

func (s *templateShape) read([]byte) ([]record, error) {
	return nil, fault("", "%v", errUnread)
}

func (s *templateShape) write(levelName string, records []record) ([]byte, error) {
	t, err := newTemplate(s.text.Template)
	if err != nil {
		return nil, err
	}
	things := make([]templateThing, len(records))
	for i, r := range records {
		things[i] = templateThing{r.class, r.id, r.name, r.of, map[string]any{}}
		for _, v := range r.values {
			things[i].Fields[v.name] = joined(v.v, v.join)
		}
	}
	steps := 0
	t.Funcs(template.FuncMap{tick: func() (string, error) {
		if steps++; steps > maxSteps {
			return "", fmt.Errorf("the template's loops took more than %d turns, which is the most", maxSteps)
		}
		return "", nil
	}})
	var out bounded
	if err := t.Execute(&out, map[string]any{"Level": levelName, "Things": things}); err != nil {
		return nil, fault("/text/template", "%s", plainTemplateError(err))
	}
	return []byte(out.String()), nil
}

// bounded is text that does not grow without end.
type bounded struct{ strings.Builder }

func (b *bounded) Write(p []byte) (int, error) {
	if b.Len()+len(p) > maxText {
		return 0, fmt.Errorf("the template wrote more than %d bytes, which is the most", maxText)
	}
	return b.Builder.Write(p)
}

// tick counts the turns of loops. It stands at the beginning of each.
const tick = "_turn"

// newTemplate reads a template and counts its loops. Templates within templates are refused: they
// could call themselves without end.
func newTemplate(text string) (*template.Template, error) {
	t, err := template.New("template").Option("missingkey=zero").Funcs(safe).Parse(text)
	if err != nil {
		return nil, errors.New(plainTemplateError(err))
	}
	if len(t.Templates()) > 1 {
		return nil, errors.New("defines a template within the template, which is not possible here")
	}
	if t.Tree == nil || t.Root == nil {
		return nil, errors.New("is empty")
	}
	turn, err := parse.Parse("turn", "{{"+tick+"}}", "", "", map[string]any{tick: safe[tick]})
	if err != nil {
		return nil, err
	}
	return t, countTurns(t.Root, turn["turn"].Root.Nodes[0])
}

// countTurns puts a step at the beginning of every loop.
func countTurns(n parse.Node, turn parse.Node) error {
	switch n := n.(type) {
	case *parse.ListNode:
		if n == nil {
			return nil
		}
		for _, inner := range n.Nodes {
			if err := countTurns(inner, turn); err != nil {
				return err
			}
		}
	case *parse.RangeNode:
		if err := countBranch(&n.BranchNode, turn); err != nil {
			return err
		}
		n.List.Nodes = append([]parse.Node{turn}, n.List.Nodes...)
	case *parse.IfNode:
		return countBranch(&n.BranchNode, turn)
	case *parse.WithNode:
		return countBranch(&n.BranchNode, turn)
	case *parse.TemplateNode:
		return errors.New("calls a template, which is not possible here")
	}
	return nil
}

func countBranch(b *parse.BranchNode, turn parse.Node) error {
	if err := countTurns(b.List, turn); err != nil {
		return err
	}
	return countTurns(b.ElseList, turn)
}

// safe are the functions that make text, with an end to how much. They take the place of those
// that come with the package.
var safe = template.FuncMap{
	tick:       func() string { return "" },
	"print":    func(args ...any) (string, error) { return piece(fmt.Sprint(args...)) },
	"println":  func(args ...any) (string, error) { return piece(fmt.Sprintln(args...)) },
	"printf":   printf,
	"html":     func(args ...any) (string, error) { return piece(template.HTMLEscaper(args...)) },
	"js":       func(args ...any) (string, error) { return piece(template.JSEscaper(args...)) },
	"urlquery": func(args ...any) (string, error) { return piece(template.URLQueryEscaper(args...)) },
	"quote":    func(text string) (string, error) { return piece(quoted(text)) },
	"join":     func(text, with string) (string, error) { return piece(strings.Join(strings.Fields(text), with)) },
	"number":   func(text any) (float64, error) { return numberOf(plainText(text)) },
}

func piece(text string) (string, error) {
	if len(text) > maxPiece {
		return "", fmt.Errorf("the template made a text of more than %d bytes, which is the most", maxPiece)
	}
	return text, nil
}

var wide = regexp.MustCompile(`%[-+# 0]*(\[\d+\])?(\*|\d+)?(\.(\[\d+\])?(\*|\d+))?`)

// printf refuses widths that would fill the memory.
func printf(format string, args ...any) (string, error) {
	for _, m := range wide.FindAllStringSubmatch(format, -1) {
		for _, width := range []string{m[2], m[5]} {
			if n, err := strconv.Atoi(width); width == "*" || width != "" && (err != nil || n > 64) {
				return "", fmt.Errorf("the format %q has a width over 64, which is the most", format)
			}
		}
	}
	return piece(fmt.Sprintf(format, args...))
}

// plainTemplateError is an error of a template with its line, without the name of the package's parts.
func plainTemplateError(err error) string {
	return strings.NewReplacer("template: template:", "line ", "executing \"template\" at ", "").Replace(err.Error())
}
