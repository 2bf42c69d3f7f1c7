package store

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

// yard is a store with a level of maren's that has a lamp and a torch; revision 2 changed
// the lamp, 3 removed the torch, 4 added a spot.
func yard(t *testing.T) (*Store, Asker, string) {
	t.Helper()
	s, maren := open(t)
	l := level.New("Yard")
	l.Lights = append(l.Lights, level.NewLight("lamp", level.Point), level.NewLight("torch", level.Point))
	info, err := s.CreateLevel(maren, l, "create")
	require.NoError(t, err)
	for _, op := range []level.Operation{
		level.Set("lamp", map[string]any{"strength": 40}),
		level.Remove("torch"),
		{Op: level.OpAdd, Part: "lights", Entity: map[string]any{"id": "floor-light", "kind": "spot"}},
	} {
		_, err := s.Apply(t.Context(), maren, info.ID, op, 0)
		require.NoError(t, err)
	}
	return s, maren, info.ID
}

func TestRestoreIsARevisionLikeAnyOther(t *testing.T) {
	s, maren, id := yard(t)
	changes, err := s.Changes(t.Context(), maren, id, 1)
	require.NoError(t, err)
	var kinds []string
	for _, c := range changes {
		kinds = append(kinds, c.Kind+" "+c.ID)
	}
	assert.Equal(t, []string{"remove torch", "set lamp", "add floor-light"}, kinds)

	// One thing alone.
	rev, err := s.Restore(t.Context(), maren, id, 1, []string{"torch"})
	require.NoError(t, err)
	assert.Equal(t, "Restore torch from revision 1", rev.Label)
	assert.Equal(t, 5, rev.Number)
	_, doc, err := s.Level(maren, id)
	require.NoError(t, err)
	assert.NotNil(t, doc.Light("torch"))
	assert.NotNil(t, doc.Light("floor-light"))
	assert.Equal(t, 40.0, doc.Light("lamp").Strength)

	// All of it, and back.
	rev, err = s.Restore(t.Context(), maren, id, 1, nil)
	require.NoError(t, err)
	assert.Equal(t, "Restore revision 1", rev.Label)
	changes, err = s.Changes(t.Context(), maren, id, 1)
	require.NoError(t, err)
	assert.Empty(t, changes)
	_, err = s.Undo(t.Context(), maren, id)
	require.NoError(t, err)
	_, doc, err = s.Level(maren, id)
	require.NoError(t, err)
	assert.NotNil(t, doc.Light("floor-light"))

	_, err = s.Restore(t.Context(), maren, id, 5, nil)
	assert.ErrorIs(t, err, ErrNotFound, "nothing differs")
	_, err = s.Restore(t.Context(), maren, id, 99, nil)
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestADeletedLevelCanBeHadBack(t *testing.T) {
	s, maren, id := yard(t)
	require.NoError(t, s.AddUser("ivo", "salt-marsh-light"))
	ivoID, err := s.UserID("ivo")
	require.NoError(t, err)
	ivo := Asker{ID: ivoID, Name: "ivo", Scopes: api.Scopes}
	require.NoError(t, s.SetMember(maren, id, "ivo", "editor"))

	require.NoError(t, s.DeleteLevel(maren, id, noon))
	levels, err := s.Levels(maren)
	require.NoError(t, err)
	assert.Empty(t, levels)
	_, _, err = s.Level(ivo, id)
	assert.ErrorIs(t, err, ErrNotFound)
	removed, err := s.Removed(ivo, noon)
	require.NoError(t, err)
	assert.Empty(t, removed, "only its owner sees it")
	assert.ErrorIs(t, s.RecoverLevel(ivo, id), ErrNotFound)
	assert.ErrorIs(t, s.EraseLevel(ivo, id), ErrNotFound)

	removed, err = s.Removed(maren, noon.AddDate(0, 0, 29))
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.WithinDuration(t, noon, *removed[0].Removed, 0)
	require.NoError(t, s.RecoverLevel(maren, id))
	info, _, err := s.Level(ivo, id)
	require.NoError(t, err, "who it was shared with has it again too")
	assert.Equal(t, 4, info.Revision)

	require.NoError(t, s.DeleteLevel(maren, id, noon))
	removed, err = s.Removed(maren, noon.AddDate(0, 0, 31))
	require.NoError(t, err)
	assert.Empty(t, removed, "after 30 days it is gone")
	assert.ErrorIs(t, s.RecoverLevel(maren, id), ErrNotFound)
	assert.ErrorIs(t, s.KeepThumbnail(id, "key", []byte{1}), ErrNotFound, "a picture that is ready after its level is erased")
}

func TestDeletedLevelsGiveWayToNewOnes(t *testing.T) {
	s, maren, id := yard(t)
	s.Quota.Levels = 1
	_, err := s.CopyLevel(maren, id, api.LevelCopy{Name: ""})
	assert.ErrorIs(t, err, ErrQuota)
	require.NoError(t, s.DeleteLevel(maren, id, noon))
	_, err = s.CreateLevel(maren, level.New("Next"), "create")
	require.NoError(t, err)
	assert.ErrorIs(t, s.RecoverLevel(maren, id), ErrNotFound)
}

func TestACopyIsOnesOwn(t *testing.T) {
	s, maren, id := yard(t)
	made, err := s.CopyLevel(maren, id, api.LevelCopy{Name: ""})
	require.NoError(t, err)
	assert.Equal(t, "Yard, copy", made.Name)
	assert.Equal(t, 1, made.Revision)
	_, doc, err := s.Level(maren, made.ID)
	require.NoError(t, err)
	assert.Equal(t, 40.0, doc.Light("lamp").Strength)
	_, err = s.Apply(t.Context(), maren, made.ID, level.Remove("lamp"), 0)
	require.NoError(t, err)
	_, doc, err = s.Level(maren, id)
	require.NoError(t, err)
	assert.NotNil(t, doc.Light("lamp"))
	made, err = s.CopyLevel(maren, id, api.LevelCopy{Name: "Evening"})
	require.NoError(t, err)
	assert.Equal(t, "Evening", made.Name)
}

func TestListsShowBakesAndChecks(t *testing.T) {
	s, maren, id := yard(t)
	_, doc, err := s.Level(maren, id)
	require.NoError(t, err)
	listed := func() api.LevelInfo {
		levels, err := s.Levels(maren)
		require.NoError(t, err)
		require.Len(t, levels, 1)
		return levels[0]
	}
	assert.Nil(t, listed().Checked)
	require.NoError(t, s.NoteCheck(id, 4, 2, 3))
	assert.Equal(t, &api.Counts{Errors: 2, Warnings: 3}, listed().Checked)
	require.NoError(t, s.NoteCheck(id, 3, 9, 9), "of a revision that is no longer the newest")
	assert.Equal(t, 2, listed().Checked.Errors)

	key, picture, err := s.Thumbnail(maren, id)
	require.NoError(t, err)
	assert.Nil(t, picture)
	require.NoError(t, s.KeepThumbnail(id, key, []byte("picture")))
	_, picture, err = s.Thumbnail(maren, id)
	require.NoError(t, err)
	assert.Equal(t, "picture", string(picture))

	b, err := s.NewBake(maren, id, 4, "good", map[string]string{}, 0, doc)
	require.NoError(t, err)
	assert.Empty(t, listed().Baked)
	_, err = s.SetBakeState(b.ID, "done", "", "")
	require.NoError(t, err)
	assert.Equal(t, "good", listed().Baked)
	assert.Equal(t, 4, listed().BakedRevision)
	other, picture, err := s.Thumbnail(maren, id)
	require.NoError(t, err)
	assert.NotEqual(t, key, other, "new light, new picture")
	assert.Nil(t, picture)

	_, err = s.Apply(t.Context(), maren, id, level.Set("lamp", map[string]any{"strength": 41}), 0)
	require.NoError(t, err)
	assert.Nil(t, listed().Checked, "a change is not checked yet")
}

func TestSessionsAreListedAndEnded(t *testing.T) {
	s, maren := open(t)
	here, _, err := s.SignIn("maren", "salt-marsh-light", "a browser", noon)
	require.NoError(t, err)
	elsewhere, _, err := s.SignIn("maren", "salt-marsh-light", "another", noon.Add(time.Minute))
	require.NoError(t, err)
	a, _, err := s.BySession(here, noon)
	require.NoError(t, err)
	sessions, err := s.Sessions(a, noon.Add(time.Hour))
	require.NoError(t, err)
	require.Len(t, sessions, 2)
	assert.Equal(t, "another", sessions[0].Agent)
	assert.False(t, sessions[0].Here)
	assert.True(t, sessions[1].Here)
	assert.NotContains(t, elsewhere, sessions[0].ID)
	assert.ErrorIs(t, s.EndSession(Asker{ID: maren.ID + 1}, sessions[0].ID), ErrNotFound, "of somebody else")
	require.NoError(t, s.EndSession(a, sessions[0].ID))
	_, _, err = s.BySession(elsewhere, noon)
	assert.Error(t, err)
	_, _, err = s.BySession(here, noon)
	assert.NoError(t, err)
}
