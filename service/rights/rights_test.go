package rights_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"grotta/api"
	"grotta/service/rights"
)

func TestTheJudge(t *testing.T) {
	all := api.Scopes
	session := rights.Asker{ID: 1, Name: "maren", Scopes: []string{api.ScopeRead, api.ScopeEdit, api.ScopeShare}}
	reader := rights.Asker{ID: 1, Name: "maren", Scopes: []string{api.ScopeRead}, Token: &rights.Token{Expires: time.Now()}}
	admin := rights.Asker{ID: 2, Name: "ivo", Scopes: all, Admin: true}
	adminToken := rights.Asker{ID: 2, Name: "ivo", Scopes: all, Admin: true, Token: &rights.Token{}}
	noLonger := rights.Asker{ID: 2, Name: "ivo", Scopes: all} // the scope is left from when they were admin
	for _, c := range []struct {
		name   string
		who    rights.Asker
		action string
		role   rights.Role
		want   error
	}{
		{"anybody signs in", rights.Asker{}, "sign-in", rights.Nobody, nil},
		{"nobody else does anything", rights.Asker{}, "list-levels", rights.Nobody, rights.ErrSignIn},
		{"a viewer looks", session, "take-shot", rights.Viewer, nil},
		{"a viewer does not bake", session, "start-bake", rights.Viewer, rights.ErrForbidden},
		{"a viewer does not cancel", session, "cancel-bake", rights.Viewer, rights.ErrForbidden},
		{"an editor does", session, "start-bake", rights.Editor, nil},
		{"an editor does not delete", session, "delete-level", rights.Editor, rights.ErrForbidden},
		{"the owner does", session, "delete-level", rights.Owner, nil},
		{"a stranger learns nothing", session, "get-level", rights.Nobody, rights.ErrNotFound},
		{"an admin is a stranger too", admin, "get-level", rights.Nobody, rights.ErrNotFound},
		{"a token keeps to its scopes", reader, "edit-level", rights.Owner, rights.ErrScope},
		{"a session lists users", session, "list-users", rights.Nobody, nil},
		{"a token does not", reader, "list-users", rights.Nobody, rights.ErrForbidden},
		{"an admin's does", adminToken, "list-users", rights.Nobody, nil},
		{"an admin makes users", admin, "create-user", rights.Nobody, nil},
		{"nobody else", session, "create-user", rights.Nobody, rights.ErrScope},
		{"nor an admin that was", noLonger, "create-user", rights.Nobody, rights.ErrForbidden},
		{"what no table has is refused", admin, "open-the-gates", rights.Owner, rights.ErrForbidden},
	} {
		assert.ErrorIs(t, rights.Authorize(c.who, c.action, c.role), c.want, c.name)
	}
}

func TestRolesHaveNames(t *testing.T) {
	for _, r := range []rights.Role{rights.Nobody, rights.Viewer, rights.Editor, rights.Owner} {
		assert.Equal(t, r, rights.RoleNamed(r.String()))
	}
	assert.Equal(t, rights.Nobody, rights.RoleNamed("king"))
}
