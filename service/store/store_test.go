package store

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
)

func open(t *testing.T) (*Store, Asker) {
	t.Helper()
	s, err := Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	require.NoError(t, s.AddUser("maren", "salt-marsh-light"))
	id, err := s.UserID("maren")
	require.NoError(t, err)
	return s, Asker{ID: id, Name: "maren"}
}

// withoutRaces leaves a test out of the run with the race detector, which is ten times as slow and has
// nothing to find where one goroutine works.
func withoutRaces(t *testing.T) {
	t.Helper()
	if testing.Short() {
		t.Skip("one goroutine; the full run has it")
	}
}

func TestNamesAndPasswordsThatCannotBe(t *testing.T) {
	s, _ := open(t)
	assert.ErrorContains(t, s.AddUser("Maren!", "salt-marsh-light"), "allowed are a-z, 0-9")
	assert.ErrorContains(t, s.AddUser("ivo", "short"), "at least 10")
	assert.ErrorIs(t, s.AddUser("maren", "salt-marsh-light"), ErrTaken)
}

func TestSessionsEnd(t *testing.T) {
	s, _ := open(t)
	now := time.Now().UTC()
	secret, session, err := s.SignIn("maren", "salt-marsh-light", "test", now)
	require.NoError(t, err)
	_, again, err := s.BySession(secret, now)
	require.NoError(t, err)
	assert.Equal(t, session.CSRF, again.CSRF)
	_, _, err = s.BySession(secret, now.Add(sessionFor+time.Second))
	assert.ErrorIs(t, err, ErrNotFound)
	require.NoError(t, s.SignOut(secret))
	_, _, err = s.BySession(secret, now)
	assert.ErrorIs(t, err, ErrNotFound)
	_, _, err = s.SignIn("nobody", "salt-marsh-light", "test", now)
	assert.ErrorIs(t, err, ErrForbidden)
}

// What was committed is there after the store is opened again, and a refused
// operation left nothing.
func TestLevelsOutliveTheProcess(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	require.NoError(t, s.AddUser("maren", "salt-marsh-light"))
	a := Asker{ID: 1, Name: "maren"}
	l, err := s.CreateLevel(a, demo.Room(), "create")
	require.NoError(t, err)
	_, err = s.Apply(t.Context(), a, l.ID, level.Set("lamp", map[string]any{"strength": 33}), 0)
	require.NoError(t, err)
	_, err = s.Apply(t.Context(), a, l.ID, level.Set("lamp", map[string]any{"strength": -1}), 0)
	require.Error(t, err)
	require.NoError(t, s.Close())
	s, err = Open(dir)
	require.NoError(t, err)
	info, doc, err := s.Level(a, l.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, info.Revision)
	assert.Equal(t, 33.0, doc.Light("lamp").Strength)
	require.NoError(t, s.Close())
}

func TestDamagedDatabaseIsSaid(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "grotta.db"), []byte("this is no database, only some text that is long enough"), 0o600))
	_, err := Open(dir)
	assert.Error(t, err)
}

func TestPathsThatOverlap(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"lamp", "lamp/strength", true}, {"lamp/shadows", "lamp/shadows.cast", true}, {"lamp/strength", "lamp/strength", true},
		{"lamp/strength", "lamp/kelvin", false}, {"lamp", "lamp-2/strength", false}, {"/look", "/look.tone", true},
	} {
		assert.Equal(t, c.want, overlaps(c.a, c.b), "%s %s", c.a, c.b)
		assert.Equal(t, c.want, overlaps(c.b, c.a), "%s %s", c.b, c.a)
	}
}
