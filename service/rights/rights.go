// Package rights says who may do what. It holds one table of actions, each an operation
// of the API, and one judge that every route asks. It reads no database: the caller says
// what role the asker has.
package rights

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"grotta/api"
)

// Errors of the judge.
var (
	ErrSignIn    = errors.New("sign in, or send a valid token")
	ErrForbidden = errors.New("not allowed")
	ErrNotFound  = errors.New("not found") // also where the asker may not know that a thing exists
)

// ErrScope is a token that lacks a scope; it is an ErrForbidden too.
var ErrScope = fmt.Errorf("scope: %w", ErrForbidden)

// Asker is who wants something. The zero value is somebody who has not signed in.
type Asker struct {
	ID     uint
	Name   string
	Scopes []string
	Admin  bool
	Token  *Token // nil for a session of the console

	Session string // hash that names the session in the store; "" for a token
}

// Token is the token that the asker came with.
type Token struct {
	ID      string
	Expires time.Time
}

// Has tells whether the asker may use a scope.
func (a Asker) Has(scope string) bool { return slices.Contains(a.Scopes, scope) }

// Role is what somebody is to a level. Higher ones may do what lower ones may.
type Role int

// The roles, from least to most.
const (
	Nobody Role = iota
	Viewer
	Commenter
	Editor
	Owner
)

var roleNames = []string{"", "viewer", "commenter", "editor", "owner"}

// String is the role as the API has it; nothing for Nobody.
func (r Role) String() string { return roleNames[r] }

// RoleNamed is the role with a name; Nobody for any other text.
func RoleNamed(name string) Role { return Role(max(slices.Index(roleNames, name), 0)) }

// Need is what an action takes.
type Need struct {
	Open           bool   // anybody may, without signing in
	Scope          string // that the asker must have
	Role           Role   // on the level that the action is about; Nobody where it is about none
	SessionOrAdmin bool   // a token will not do, unless it has the scope admin
}

var (
	anybody  = Need{Open: true}
	signedIn = Need{Scope: api.ScopeRead}
	maker    = Need{Scope: api.ScopeEdit}
	sharer   = Need{Scope: api.ScopeShare}
	admin    = Need{Scope: api.ScopeAdmin}
	viewer   = Need{Scope: api.ScopeRead, Role: Viewer}
	editor   = Need{Scope: api.ScopeEdit, Role: Editor}

	commenter = Need{Scope: api.ScopeEdit, Role: Commenter}
)

// Table is every action of the API, by its operation's id. An operation that is not
// here cannot be registered.
var Table = map[string]Need{
	"sign-in":       anybody,
	"session":       signedIn,
	"sign-out":      signedIn,
	"list-tokens":   signedIn,
	"create-token":  signedIn, // the store holds it to its maker's own scopes and end
	"revoke-token":  signedIn,
	"list-users":    {Scope: api.ScopeRead, SessionOrAdmin: true},
	"create-user":   admin,
	"change-user":   admin,
	"remove-user":   admin,
	"set-password":  signedIn, // one's own, with the old one; another's needs an admin
	"make-link":     signedIn, // a token must have all scopes of its owner
	"list-sessions": {Scope: api.ScopeRead, SessionOrAdmin: true},
	"end-session":   {Scope: api.ScopeRead, SessionOrAdmin: true},
	"list-levels":   signedIn,
	"list-removed":  signedIn, // one's own
	"recover-level": maker,
	"erase-level":   maker,
	"create-level":  maker,
	"import-level":  maker,
	"list-presets":  signedIn,
	"get-preset":    signedIn,
	"save-preset":   maker,
	"upload-preset": maker,
	"delete-preset": maker,
	"share-preset":  sharer,

	"list-preset-versions": signedIn,
	"list-preset-uses":     signedIn,
	"get-preset-picture":   signedIn,
	"fork-preset":          maker,
	"rename-preset":        maker,
	"write-bundle":         signedIn,
	"read-bundle":          maker,

	"list-teams":         signedIn,
	"create-team":        sharer,
	"delete-team":        sharer,
	"set-team-member":    sharer,
	"remove-team-member": sharer,

	"list-share-links":  signedIn,
	"create-share-link": sharer,
	"withdraw-link":     sharer,
	"open-link":         signedIn,
	"join":              anybody,

	"list-notices":   signedIn,
	"read-notices":   signedIn,
	"list-webhooks":  signedIn,
	"create-webhook": maker,
	"delete-webhook": maker,
	"list-audit":     admin,
	"list-workers":   signedIn,
	"list-own-bakes": signedIn,
	"drain-worker":   admin,
	"move-bake-up":   admin,

	"list-hand-overs": signedIn,
	"get-hand-over":   signedIn,
	"add-hand-over":   maker,

	"add-import-rules": maker,

	"list-platforms":    signedIn,
	"list-rules":        signedIn,
	"add-platform":      maker,
	"get-platform-file": signedIn,
	"remove-platform":   maker,

	"get-level":                 viewer,
	"get-air":                   viewer,
	"get-fog":                   viewer,
	"get-grade":                 viewer,
	"get-layer":                 viewer,
	"get-layers":                viewer,
	"preview-light":             viewer,
	"preview-air":               viewer,
	"get-lightmap":              viewer,
	"export-lightmap":           viewer,
	"get-profile":               viewer,
	"get-mirrors":               viewer,
	"get-moving-light":          viewer,
	"get-scene":                 viewer,
	"get-sky":                   viewer,
	"get-bake":                  viewer,
	"list-bakes":                viewer,
	"list-revisions":            viewer,
	"list-changes":              viewer,
	"get-thumbnail":             viewer,
	"tell-presence":             viewer,
	"copy-level":                {Scope: api.ScopeEdit, Role: Viewer},
	"plan-bake":                 viewer,
	"plan-density":              viewer,
	"check-level":               viewer,
	"check-level-for-platforms": viewer,
	"fit-level":                 viewer,
	"foresee-bake":              viewer,
	"level-ground":              viewer,
	"measure-accuracy":          viewer,
	"compare-pictures":          viewer,
	"take-shot":                 viewer,
	"make-sheet":                viewer,
	"ask-point":                 viewer,
	"ask-line":                  viewer,
	"capture-probes":            viewer,
	"capture-reflection":        viewer,
	"export-level":              viewer,
	"report-export":             viewer,
	"hand-over":                 viewer,
	"watch-level":               viewer,
	"list-origins":              viewer,
	"list-credits":              viewer,
	"list-variants":             viewer,
	"list-comments":             viewer,
	"list-reviews":              viewer,
	"answer-review":             viewer,
	"add-comment":               commenter,
	"change-comment":            commenter,
	"delete-comment":            commenter,
	"ask-review":                commenter,

	"edit-level":     editor,
	"undo":           editor,
	"redo":           editor,
	"plan-preset":    viewer,
	"preview-preset": viewer,
	"restore":        editor,
	"import-again":   editor,
	"hand-back":      editor,
	"set-grade":      editor,
	"apply-preset":   editor,
	"update-origins": editor,
	"link-rigs":      editor,
	"give-to-others": editor,
	"end-origin":     editor,
	"create-variant": editor,
	"merge-variant":  editor,
	"start-bake":     editor,
	"cancel-bake":    editor,

	"share-level":   {Scope: api.ScopeShare, Role: Owner},
	"unshare-level": {Scope: api.ScopeShare, Role: Owner},
	"delete-level":  {Scope: api.ScopeEdit, Role: Owner},
	"give-level":    {Scope: api.ScopeShare, Role: Owner},

	"share-level-with-team":   {Scope: api.ScopeShare, Role: Owner},
	"unshare-level-with-team": {Scope: api.ScopeShare, Role: Owner},
}

// Audited are the actions that are noted with who did them: what people may and who may see what,
// and what is made and removed. Edits of levels stand in their histories.
var Audited = func() map[string]bool {
	all := map[string]bool{}
	for _, id := range []string{
		"sign-out", "create-token", "revoke-token", "create-user", "change-user", "remove-user", "set-password", "end-session", "make-link", "join",
		"create-level", "import-level", "copy-level", "delete-level", "recover-level", "erase-level", "share-level", "unshare-level", "give-level", "share-level-with-team", "unshare-level-with-team",
		"save-preset", "upload-preset", "rename-preset", "fork-preset", "share-preset", "delete-preset", "write-bundle", "read-bundle", "add-hand-over", "add-import-rules", "add-platform", "remove-platform",
		"create-team", "delete-team", "set-team-member", "remove-team-member", "create-share-link", "withdraw-link", "open-link",
		"create-variant", "ask-review", "answer-review", "create-webhook", "delete-webhook", "export-level", "hand-over",
	} {
		all[id] = true
	}
	return all
}()

// Authorize judges whether somebody may do an action. role is what they are to the level
// that it is about. The errors are ErrSignIn, ErrForbidden and, where they may not even
// know of the level, ErrNotFound.
func Authorize(who Asker, action string, role Role) error {
	need, known := Table[action]
	switch {
	case !known:
		return fmt.Errorf("%q is in no table of rights: %w", action, ErrForbidden)
	case need.Open:
		return nil
	case who.ID == 0:
		return ErrSignIn
	case !who.Has(need.Scope):
		return fmt.Errorf("the token does not have the scope %q: %w", need.Scope, ErrScope)
	case need.Scope == api.ScopeAdmin && !who.Admin:
		return fmt.Errorf("only an admin may do that: %w", ErrForbidden)
	case need.SessionOrAdmin && who.Token != nil && !(who.Admin && who.Has(api.ScopeAdmin)):
		return fmt.Errorf("a token may do that only with the scope %q: %w", api.ScopeAdmin, ErrForbidden)
	}
	return AtLeast(role, need.Role)
}

// AtLeast judges a role on a level against one that is needed.
func AtLeast(role, needed Role) error {
	switch {
	case role >= needed:
		return nil
	case role == Nobody:
		return ErrNotFound
	case needed == Owner:
		return fmt.Errorf("only its owner may do that: %w", ErrForbidden)
	}
	if needed == Commenter {
		return fmt.Errorf("you may see this level and not comment on it: %w", ErrForbidden)
	}
	return fmt.Errorf("you may see this level and not change it: %w", ErrForbidden)
}
