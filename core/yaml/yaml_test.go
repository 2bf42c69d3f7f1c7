package yaml_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/yaml"
)

func TestYAMLAndItsJSON(t *testing.T) {
	for text, want := range map[string]string{
		"a: 1\nb: [x, 2.5, true, ~]": `{"a":1,"b":["x",2.5,true,null]}`,
		`{"a": {"b": "c"}}`:          `{"a":{"b":"c"}}`,
		"a: 2026-06-21\nb: '1'":      `{"a":"2026-06-21","b":"1"}`,
		"- 0x10\n- 1e3\n- .5":        `[16,1000,0.5]`,
		"a: |\n  two\n  lines\n":     `{"a":"two\nlines\n"}`,
		"no: yes":                    `{"no":"yes"}`,
		"brackets: '[[[ {{{'":        `{"brackets":"[[[ {{{"}`,
	} {
		got, err := yaml.ToJSON([]byte(text))
		require.NoError(t, err, text)
		assert.Equal(t, want, string(got))
	}
}

// What expands, nests or repeats is refused with its place, at once.
func TestWhatExpandsIsRefused(t *testing.T) {
	bomb := "a: &a [x,x,x,x,x,x,x,x,x]\n"
	for c := 'b'; c < 'k'; c++ {
		bomb += fmt.Sprintf("%c: &%c [%s]\n", c, c, strings.Repeat(fmt.Sprintf("*%c,", c-1), 9))
	}
	deep := ""
	for i := range 60 {
		deep += strings.Repeat(" ", i) + "a:\n"
	}
	for name, c := range map[string]struct{ text, want string }{
		"an alias bomb":       {bomb, "line 2, column 8: the alias *a is not read"},
		"many aliases":        {"a: &a " + strings.Repeat("x", 80_000) + "\nb: [" + strings.Repeat("*a,", 20_000) + "]", "alias"},
		"brackets":            {strings.Repeat("[", 100_000), "nested more than 32 deep"},
		"brackets and braces": {strings.Repeat("[{a: ", 20_000), "nested more than 32 deep"},
		"steps inward":        {deep, "nested more than 32 deep"},
		"dashes":              {strings.Repeat("- ", 40_000), "max depth"},
		"many values":         {strings.Repeat("- 1\n", yaml.MaxValues+1), "more than 20000 values"},
		"a name twice":        {"a: 1\na: 2", `line 2, column 1: "a" stands here a second time`},
		"a merge":             {"a: &a {b: 1}\nc:\n  <<: *a", "is not read|a name is needed"},
		"a tag":               {"a: !!binary aGk=", "the tag !!binary is not read"},
		"no number":           {"a: .nan", "no finite number"},
		"nothing":             {"", "empty"},
		"not YAML":            {"a: [1, 2", "line 1"},
		"a list as a name":    {"? [a, b]\n: c", "a name is needed here"},
	} {
		_, err := yaml.ToJSON([]byte(c.text))
		if assert.Error(t, err, name) {
			assert.Regexp(t, strings.NewReplacer("*", `\*`).Replace(c.want), err.Error(), name)
		}
	}
}

func FuzzToJSON(f *testing.F) {
	f.Add([]byte("a: [1, {b: c}]\n"))
	f.Add([]byte("a: &a [*a]"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if got, err := yaml.ToJSON(text); err == nil {
			assert.True(t, got.IsValid(), "%q gave %s", text, got)
		}
	})
}
