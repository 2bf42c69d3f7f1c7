package cli

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/api"
)

// folk is the people of a data folder, noting what is asked of them.
type folk struct{ said []string }

func (f *folk) Users() ([]api.User, error) {
	return []api.User{{Name: "maren", Admin: true, Levels: 3}, {Name: "ivo\x1b[2J", Disabled: true}}, nil
}
func (f *folk) CreateUser(u api.NewUser) error {
	f.say("create %s %s %t", u.Name, u.Password, u.Admin)
	return nil
}
func (f *folk) ChangeUser(name string, to api.UserChange) error {
	switch {
	case to.Disabled != nil:
		f.say("disabled %s %t", name, *to.Disabled)
	case to.Admin != nil:
		f.say("admin %s %t", name, *to.Admin)
	}
	return nil
}
func (f *folk) SetPassword(name, password string) error {
	f.say("password %s %s", name, password)
	return nil
}
func (f *folk) RemoveUser(name, heir string) error {
	if name == "nobody" {
		return errors.New("there is no user \"nobody\"")
	}
	f.say("remove %s heir %q", name, heir)
	return nil
}
func (f *folk) Close() error { return nil }

func (f *folk) say(format string, args ...any) { f.said = append(f.said, fmt.Sprintf(format, args...)) }

// call runs a command line on some people.
func call(t *testing.T, f *folk, input string, args ...string) (out, errOut string, code int) {
	t.Helper()
	t.Setenv("GROTTA_CONFIG", t.TempDir()+"/none.yaml")
	var o, e bytes.Buffer
	code = Main(args, Host{People: func(string, bool) (People, error) { return f, nil }}, strings.NewReader(input), &o, &e)
	return o.String(), e.String(), code
}

func TestUsersAreManaged(t *testing.T) {
	f := &folk{}
	for _, c := range []struct {
		input, line, out string
	}{
		{"salt-marsh-light\n", "user add ada --admin --password-stdin", "ada can sign in\n"},
		{"new-salt-marsh\n", "user password ivo --password-stdin", "ivo has a new password\n"},
		{"", "user disable ivo", "ivo can no longer sign in\n"},
		{"", "user enable ivo", "ivo can sign in\n"},
		{"", "user admin ivo --not", "ivo may no longer manage people\n"},
		{"", "user remove ivo --give maren", "ivo is removed\n"},
		{"", "user remove ivo --delete-levels", "ivo is removed\n"},
	} {
		out, errOut, code := call(t, f, c.input, strings.Fields(c.line)...)
		assert.Zero(t, code, "%s: %s", c.line, errOut)
		assert.Equal(t, c.out, out, c.line)
	}
	assert.Equal(t, []string{
		"create ada salt-marsh-light true", "password ivo new-salt-marsh", "disabled ivo true", "disabled ivo false",
		"admin ivo false", `remove ivo heir "maren"`, `remove ivo heir ""`,
	}, f.said)
}

// What becomes of levels must be said; wrong calls end with 2, failures with 1.
func TestUsersThatCannotBeRemoved(t *testing.T) {
	for line, want := range map[string]int{
		"user remove ivo": exitUsage, "user remove ivo --give a --delete-levels": exitUsage, "user remove": exitUsage,
		"user remove nobody --delete-levels": exitFailed, "user frobnicate": exitOK,
	} {
		_, errOut, code := call(t, &folk{}, "", strings.Fields(line)...)
		if line == "user frobnicate" {
			continue // shows the help of "user"
		}
		assert.Equal(t, want, code, "%s: %s", line, errOut)
		assert.NotEmpty(t, errOut, line)
	}
}

// Names that could mislead a terminal are written out.
func TestNamesAreSafeInATerminal(t *testing.T) {
	out, _, code := call(t, &folk{}, "", "user", "list")
	assert.Zero(t, code)
	assert.Contains(t, out, `ivo\u001b[2J`)
	assert.NotContains(t, out, "\x1b")
}
