package handover_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/handover"
	"grotta/core/level"
)

func TestHandOverFilesThatCannotBe(t *testing.T) {
	swap := func(from, to string) string { return strings.Replace(feet, from, to, 1) }
	for name, c := range map[string]struct{ text, want string }{
		"not YAML":       {"a: [", "is not YAML"},
		"other format":   {swap("handover/1", "handover/9"), "/format"},
		"unknown field":  {swap("title:", "titel:"), "titel"},
		"two axes":       {swap("[x, -z, y]", "[x, y]"), "/space/axes has 2 entries"},
		"one axis twice": {swap("[x, -z, y]", "[x, -x, y]"), "/space/axes has x twice"},
		"no axis":        {swap("[x, -z, y]", "[x, w, y]"), `/space/axes has "w"`},
		"no rules":       {feet[:strings.Index(feet, "rules:")] + "rules: []\n", "/rules is empty"},
		"unknown source": {swap("from: outer_deg", "from: outer"), `/rules/0/fields/4/from "outer" is no field`},
		"a part of it":   {swap("from: outer_deg", "from: shadows"), "holds other fields"},
		"unit":           {swap("unit: lumens", "unit: turns"), `"strength" cannot be in turns`},
		"no number":      {swap("from: id", "from: id, times: 2"), `"id" is no number`},
		"times nothing":  {swap("times: 2", "times: 0"), "/rules/0/fields/4/times is 0"},
		"name twice":     {swap("name: tilt", "name: heading"), `is "heading", which this rule has already`},
		"no source":      {swap("from: id", "note: x"), "note"},
		"two sources":    {swap("from: id", "from: id, value: 3"), "needs one of from, value and parts"},
		"kind twice":     {swap("of: sun", "of: spot"), "a kind has one rule"},
		"not apart":      {swap("class: sun", "class: flood"), "could not be told apart"},
		"no class":       {swap("class: sun", "note: x"), "note"},
		"pair":           {swap("<name> = <value>", "<name>"), "/text/pair"},
		"begin":          {swap("[<class>]", "[lamp]"), "has no <class>"},
		"part":           {swap("from: color", "from: color, part: x"), `has no part x`},
		"hex in parts":   {swap("from: color", "from: color, part: r, color: hex"), "as hex has no parts"},
		"words":          {swap("from: outer_deg", "from: outer_deg, words: {a: b}"), "takes no words"},
		"word twice":     {swap("from: id", "from: enabled, words: {\"true\": a, \"false\": a}"), "could not be read back"},
		"falloff of sun": {swap("class: sun", "class: sun\n    falloff: {law: linear}"), "is for point, spot and dome"},
		"instead":        {feet + "instead: {rect: tube}\n", "/instead/rect"},
		"too large":      {feet + strings.Repeat("#", handover.MaxBytes), "the most is"},
	} {
		_, err := handover.Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
}

func TestTextThatCannotBeReadSaysWhere(t *testing.T) {
	sections, l := parse(t, feet), oneOfEach()
	asJSON := parse(t, strings.NewReplacer("shape: sections, ", "shape: json, list: things, class: what, ").Replace(feet))
	asCSV := parse(t, strings.NewReplacer("shape: sections, ", "shape: csv, class: what, ").Replace(feet))
	closed := parse(t, strings.Replace(feet, `pair:`, `end: "end", pair:`, 1))
	for _, c := range []struct {
		file       *handover.File
		text, want string
	}{
		{sections, "hello", `line 1 is "hello"`},
		{sections, "[flood]\nat = 1 2 3\nwhat is this", "line 3"},
		{sections, "[flood]\nat = 1 2", "line 2 at is \"1 2\", which has 2 values; 3 are needed"},
		{sections, "[flood]\n\nlm = many", "line 3 lm is \"many\"; a number is needed"},
		{sections, "[flood]\nlm = NaN", "a number is needed"},
		{closed, "[flood]\nlm = 3", "line 1 begins a section that has no end"},
		{asJSON, "{", "byte"},
		{asJSON, "[]", `has no list "things"`},
		{asJSON, `{"things": [3]}`, "/things/0 is no object"},
		{asJSON, `{"things": [{"what": "flood", "at": [1, 2]}]}`, "/things/0/at at is"},
		{asJSON, `{"things": [` + strings.Repeat("[", 300000), "depth"},
		{asCSV, "", "line 1"},
		{asCSV, "a,b\n1,2", "has none of the columns what, key"},
		{asCSV, "what,key,lm\nflood,a,1,2", "line 2 has 4 cells"},
		{asCSV, "what,key,lm\nflood,a,x", "line 2 lm is \"x\""},
		{asCSV, "what,\"key\nflood", "line"},
	} {
		_, err := handover.Read([]byte(c.text), c.file, l)
		assert.ErrorContains(t, err, c.want, c.text)
	}
	_, err := handover.Read(make([]byte, handover.MaxTextBytes+1), sections, l)
	assert.ErrorContains(t, err, "the most is")
}

const templated = `format: grotta-handover/1
name: own
title: Own
space: {unit_m: 1, axes: [x, y, z]}
text:
  shape: template
  template: %s
rules:
  - of: point
    class: lamp
    fields: [{name: at, from: position}, {name: cd, from: strength}]
`

func TestTemplatesWriteWhatNoShapeCan(t *testing.T) {
	f := parse(t, fmt.Sprintf(templated, `"# {{.Level}}\n{{range .Things}}{{.Class}} {{quote .ID}} ({{join .Fields.at \", \"}}) {{printf \"%.1f\" (number .Fields.cd)}}\n{{end}}"`))
	l := oneOfEach()
	l.Lights[1].Enabled = true
	got, err := handover.Write(l, f, nil)
	require.NoError(t, err)
	assert.Equal(t, "# One of each\nlamp \"point\" (0, 0, 0) 50.0\n", string(got.Text))
	_, err = handover.Read(got.Text, f, l)
	assert.ErrorContains(t, err, "cannot be read back")
}

// A template can neither run for long, nor fill the memory, nor reach anything.
func TestTemplatesHaveAnEnd(t *testing.T) {
	l := level.New("l")
	for _, c := range []struct{ template, want string }{
		{`"{{range $i := 2000000000}}{{end}}"`, "turns"},
		{`"{{range 100000}}{{range 100000}}{{end}}{{end}}"`, "turns"},
		{`"{{$s := \"a\"}}{{range 60}}{{$s = print $s $s}}{{end}}"`, "more than"},
		{`"{{$s := \"<\"}}{{range 60}}{{$s = html $s $s}}{{end}}"`, "more than"},
		{`"{{printf \"%1000000000d\" 1}}"`, "width"},
		{`"{{printf \"%*d\" 1000000000 1}}"`, "width"},
		{`"{{printf \"%.1000000000f\" 1.0}}"`, "width"},
		{`"{{$s := printf \"%064d\" 1}}{{range 900000}}{{$s}}{{end}}"`, "more than"},
		{`"{{define \"a\"}}{{template \"a\"}}{{end}}{{template \"a\"}}"`, "template within"},
		{`"{{call .Level}}"`, "function"},
		{`"{{readFile \"x\"}}"`, "not defined"},
		{`"{{"`, "line 1"},
	} {
		began := time.Now()
		f, err := handover.Parse([]byte(fmt.Sprintf(templated, c.template)))
		if err == nil {
			_, err = handover.Write(l, f, nil)
		}
		assert.ErrorContains(t, err, c.want, c.template)
		assert.Less(t, time.Since(began), 20*time.Second, c.template)
	}
}

func FuzzRead(f *testing.F) {
	all, err := handover.Shipped()
	require.NoError(f, err)
	l := oneOfEach()
	for i, file := range all {
		w, err := handover.Write(l, file, nil)
		require.NoError(f, err)
		f.Add(i, w.Text)
	}
	f.Fuzz(func(t *testing.T, i int, text []byte) {
		file := all[uint(i)%uint(len(all))]
		back, err := handover.Read(text, file, l)
		if err == nil && len(back.Operation.Steps) > 0 {
			l.Apply(back.Operation) // may be refused, and must not panic
		}
	})
}
