package store

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/demo"
	"grotta/service/rights"
)

// asker signs somebody in and acts for them.
func asker(t testing.TB, s *Store, name string) Asker {
	t.Helper()
	secret, _, err := s.SignIn(name, "salt-marsh-light", "test", time.Now().UTC())
	require.NoError(t, err)
	a, _, err := s.BySession(secret, time.Now().UTC())
	require.NoError(t, err)
	return a
}

func TestPeopleAreManaged(t *testing.T) {
	s, _ := open(t)
	maren := asker(t, s, "maren")
	assert.True(t, maren.Admin, "the first one is an admin")
	_, err := s.CreateUser(api.NewUser{Name: "ivo", Password: "salt-marsh-light"})
	require.NoError(t, err)
	ivo := asker(t, s, "ivo")
	assert.False(t, ivo.Admin)
	assert.NotContains(t, ivo.Scopes, api.ScopeAdmin)

	all, err := s.Users(maren)
	require.NoError(t, err)
	assert.Len(t, all, 2)
	assert.True(t, all[1].Admin)
	all, err = s.Users(ivo)
	require.NoError(t, err)
	assert.Equal(t, []api.User{{Name: "ivo"}, {Name: "maren"}}, all, "others see names alone")

	no, yes := false, true
	assert.ErrorContains(t, s.ChangeUser(maren, "maren", api.UserChange{Admin: &no}), "make another admin first")
	assert.ErrorContains(t, s.ChangeUser(maren, "maren", api.UserChange{Disabled: &yes}), "make another admin first")
	require.NoError(t, s.ChangeUser(maren, "ivo", api.UserChange{Disabled: &yes}))
	_, _, err = s.SignIn("ivo", "salt-marsh-light", "test", time.Now().UTC())
	assert.ErrorIs(t, err, ErrForbidden)
	assert.False(t, s.Knows("ivo"))
	require.NoError(t, s.ChangeUser(maren, "ivo", api.UserChange{Disabled: &no}))
	asker(t, s, "ivo")
}

// A new password ends every other way in.
func TestPasswordsChange(t *testing.T) {
	withoutRaces(t)
	s, _ := open(t)
	maren, other := asker(t, s, "maren"), asker(t, s, "maren")
	_, err := s.NewToken(maren, api.NewToken{Name: "script", Scopes: []string{api.ScopeRead}}, time.Now().UTC())
	require.NoError(t, err)
	assert.ErrorContains(t, s.SetPassword(maren, "maren", api.NewPassword{Old: "wrong", New: "new-salt-marsh"}), "is not your password")
	assert.ErrorContains(t, s.SetPassword(maren, "maren", api.NewPassword{Old: "salt-marsh-light", New: "short"}), "at least 10")
	require.NoError(t, s.SetPassword(maren, "maren", api.NewPassword{Old: "salt-marsh-light", New: "new-salt-marsh"}))
	_, _, err = s.SignIn("maren", "salt-marsh-light", "test", time.Now().UTC())
	assert.ErrorIs(t, err, ErrForbidden)
	tokens, err := s.Tokens(maren)
	require.NoError(t, err)
	assert.Empty(t, tokens)
	var left []session
	require.NoError(t, s.db.Find(&left).Error)
	require.Len(t, left, 1, "the session that changed it stays")
	assert.Equal(t, maren.Session, left[0].Hash)
	assert.NotEqual(t, other.Session, left[0].Hash)

	_, err = s.CreateUser(api.NewUser{Name: "ivo", Password: "salt-marsh-light"})
	require.NoError(t, err)
	ivo := asker(t, s, "ivo")
	assert.ErrorIs(t, s.SetPassword(ivo, "maren", api.NewPassword{New: "ivo-was-here"}), ErrForbidden)
	require.NoError(t, s.SetPassword(maren, "ivo", api.NewPassword{New: "maren-was-here"}))
	require.NoError(t, s.SetPassword(LocalAdmin, "ivo", api.NewPassword{New: "salt-marsh-light"}))
	asker(t, s, "ivo")
}

// A token makes and ends none that is wider or lasts longer than itself.
func TestTokensOfTokens(t *testing.T) {
	s, _ := open(t)
	maren, now := asker(t, s, "maren"), time.Now().UTC()
	wide, err := s.NewToken(maren, api.NewToken{Name: "wide", Scopes: []string{api.ScopeRead, api.ScopeEdit}, Days: 20}, now)
	require.NoError(t, err)
	narrow, err := s.NewToken(maren, api.NewToken{Name: "narrow", Scopes: []string{api.ScopeRead}, Days: 10}, now)
	require.NoError(t, err)
	as := func(secret string) Asker {
		a, err := s.ByToken(secret, now)
		require.NoError(t, err)
		return a
	}
	for name, want := range map[string]api.NewToken{
		"does not have":      {Name: "n", Scopes: []string{api.ScopeEdit}, Days: 1},
		"longer than itself": {Name: "n", Scopes: []string{api.ScopeRead}, Days: 11},
	} {
		_, err := s.NewToken(as(narrow.Secret), want, now)
		assert.ErrorIs(t, err, ErrForbidden)
		assert.ErrorContains(t, err, name)
	}
	_, err = s.NewToken(as(narrow.Secret), api.NewToken{Name: "ninety by default", Scopes: []string{api.ScopeRead}}, now)
	assert.ErrorIs(t, err, ErrForbidden)
	same, err := s.NewToken(as(narrow.Secret), api.NewToken{Name: "n", Scopes: []string{api.ScopeRead}, Days: 10}, now)
	require.NoError(t, err)
	assert.ErrorIs(t, s.RevokeToken(as(narrow.Secret), wide.ID), ErrForbidden)
	require.NoError(t, s.RevokeToken(as(wide.Secret), same.ID))
	require.NoError(t, s.RevokeToken(as(narrow.Secret), narrow.ID), "itself")
	require.NoError(t, s.RevokeToken(maren, wide.ID), "a session ends any")
	_, err = s.ByToken(narrow.Secret, now)
	assert.ErrorIs(t, err, ErrNotFound)
}

// What becomes of the levels of somebody who goes is asked.
func TestPeopleAreRemoved(t *testing.T) {
	withoutRaces(t)
	s, _ := open(t)
	maren := asker(t, s, "maren")
	for _, name := range []string{"ivo", "ada"} {
		_, err := s.CreateUser(api.NewUser{Name: name, Password: "salt-marsh-light"})
		require.NoError(t, err)
	}
	ivo, ada := asker(t, s, "ivo"), asker(t, s, "ada")
	kept, err := s.CreateLevel(ivo, demo.Room(), "room")
	require.NoError(t, err)
	shared, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.SetMember(maren, shared.ID, "ivo", "editor"))
	require.NoError(t, s.SetMember(ivo, kept.ID, "ada", "viewer"))
	_, err = s.Apply(t.Context(), ivo, shared.ID, level.Set("lamp", map[string]any{"strength": 3}), 0)
	require.NoError(t, err)

	assert.Error(t, s.RemoveUser(maren, "ivo", "ivo"))
	assert.ErrorIs(t, s.RemoveUser(maren, "ivo", "nobody"), ErrNotFound)
	require.NoError(t, s.RemoveUser(maren, "ivo", "ada"))
	role, err := s.Role(ada, kept.ID)
	require.NoError(t, err)
	assert.Equal(t, rights.Owner, role)
	history, err := s.History(maren, shared.ID, 0, 10)
	require.NoError(t, err)
	assert.Len(t, history, 2)
	require.NoError(t, s.RemoveUser(LocalAdmin, "ada", ""))
	_, _, err = s.Level(ada, kept.ID)
	assert.ErrorIs(t, err, ErrNotFound)
	var documents []documentRow
	require.NoError(t, s.db.Find(&documents).Error)
	assert.Len(t, documents, 1, "the documents of deleted levels are gone")
	assert.Error(t, s.RemoveUser(maren, "maren", ""))
}

func TestQuotasHold(t *testing.T) {
	s, _ := open(t)
	maren := asker(t, s, "maren")
	s.Quota = Quota{Levels: 2, Bakes: 1}
	first, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	_, err = s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	_, err = s.CreateLevel(maren, demo.Room(), "room")
	assert.ErrorIs(t, err, ErrQuota)
	assert.ErrorContains(t, err, "the most is 2; delete one first")
	s.Quota.Bytes = int64(2*first.Bytes) + 10
	_, err = s.Apply(t.Context(), maren, first.ID, level.Set("", map[string]any{"note": "a note that is too long for it"}), 0)
	assert.ErrorIs(t, err, ErrQuota)
	_, err = s.Apply(t.Context(), maren, first.ID, level.Remove("crate"), 0)
	assert.NoError(t, err, "what gets smaller is taken")
	_, doc, err := s.Level(maren, first.ID)
	require.NoError(t, err)
	b, err := s.NewBake(maren, first.ID, 1, "draft", map[string]string{}, 0, doc)
	require.NoError(t, err)
	_, err = s.NewBake(maren, first.ID, 1, "draft", map[string]string{}, 0, doc)
	assert.ErrorIs(t, err, ErrQuota)
	_, err = s.SetBakeState(b.ID, "done", "", "")
	require.NoError(t, err)
	_, err = s.NewBake(maren, first.ID, 1, "draft", map[string]string{}, 0, doc)
	assert.NoError(t, err)
}

// A document that no longer reads is set aside: its level is listed with the fault, can
// be handed out as it is stored and deleted, and nothing else is affected.
func TestUnreadableDocumentsAreSetAside(t *testing.T) {
	s, maren := open(t)
	bad, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	good, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	_, err = s.Apply(t.Context(), maren, good.ID, level.Set("lamp", map[string]any{"strength": 4}), 0)
	require.NoError(t, err)
	require.NoError(t, s.db.Exec("UPDATE documents SET body = ? WHERE hash = (SELECT document_hash FROM levels WHERE id = ?)", compress([]byte(`{"format":"grotta-level/1","name":`)), bad.ID).Error)
	s.docs.forgetAll()
	_, _, err = s.Level(maren, bad.ID)
	assert.ErrorIs(t, err, ErrUnreadable)
	_, err = s.Apply(t.Context(), maren, bad.ID, level.Set("lamp", map[string]any{"strength": 5}), 0)
	assert.ErrorIs(t, err, ErrUnreadable)
	all, err := s.Levels(maren)
	require.NoError(t, err)
	faults := map[string]string{}
	for _, l := range all {
		faults[l.ID] = l.Fault
	}
	assert.Contains(t, faults[bad.ID], "cannot be read")
	assert.Empty(t, faults[good.ID])
	_, _, err = s.Level(maren, good.ID)
	assert.NoError(t, err)
	require.NoError(t, s.DeleteLevel(maren, bad.ID, time.Now()))
}

// Edits of one level wait for each other and none is lost; those of another go on.
func TestEditsOfOneLevelWaitForEachOther(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	const edits = 20
	done := make(chan error, edits)
	for i := range edits {
		go func() {
			_, err := s.Apply(t.Context(), maren, info.ID, level.Set("lamp", map[string]any{"strength": i}), 0)
			done <- err
		}()
	}
	for range edits {
		assert.NoError(t, <-done)
	}
	head, _, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	assert.Equal(t, edits+1, head.Revision)
}
