package store

import (
	"database/sql"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/service/rights"
)

// earlier makes a data folder as an earlier version left it, from a dump of one.
func earlier(t *testing.T, dump string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join("testdata", dump))
	require.NoError(t, err)
	dir := t.TempDir()
	db, err := sql.Open("sqlite", filepath.Join(dir, "grotta.db"))
	require.NoError(t, err)
	_, err = db.Exec(string(text))
	require.NoError(t, err)
	require.NoError(t, db.Close())
	return dir
}

// A database of the first version opens with all that was in it.
func TestMigratesTheFirstVersion(t *testing.T) {
	dir := earlier(t, "0001-first.sql")
	for range 2 { // and again, when there is nothing left to do
		s, err := Open(dir)
		require.NoError(t, err)
		now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
		_, session, err := s.SignIn("maren", "salt-marsh-light", "test", now)
		require.NoError(t, err)
		assert.Contains(t, session.Scopes, api.ScopeAdmin, "the first user manages people")
		id, err := s.UserID("maren")
		require.NoError(t, err)
		maren := Asker{ID: id, Name: "maren", Scopes: api.Scopes}
		levels, err := s.Levels(maren)
		require.NoError(t, err)
		require.Len(t, levels, 1)
		assert.Equal(t, 6, levels[0].Revision)
		assert.Positive(t, levels[0].Bytes)
		_, doc, err := s.Level(maren, levels[0].ID)
		require.NoError(t, err)
		assert.Equal(t, 12.0, doc.Light("lamp").Strength)
		for number, strength := range map[int]float64{2: 10, 3: 11, 4: 12, 5: 13, 6: 12} {
			doc, err := s.LevelAt(t.Context(), maren, levels[0].ID, number)
			require.NoError(t, err)
			assert.Equal(t, strength, doc.Light("lamp").Strength, "revision %d", number)
		}
		bakes, err := s.Bakes(maren, levels[0].ID, 10)
		require.NoError(t, err)
		require.Len(t, bakes, 2)
		for _, b := range bakes {
			job, err := s.BakeForWork(b.ID)
			require.NoError(t, err)
			assert.Equal(t, 12.0, job.Level.Light("lamp").Strength)
		}
		tokens, err := s.Tokens(maren)
		require.NoError(t, err)
		require.Len(t, tokens, 1)
		assert.Equal(t, []string{"read"}, tokens[0].Scopes, "a scope that is no more gives no other one")
		presets, err := s.Presets(maren)
		require.NoError(t, err)
		assert.Equal(t, "mood", presets[0].Name)
		assert.Equal(t, []string{Everybody}, presets[0].Shared)
		ivo, err := s.UserID("ivo")
		require.NoError(t, err)
		role, err := s.Role(Asker{ID: ivo}, levels[0].ID)
		require.NoError(t, err)
		assert.Equal(t, rights.Viewer, role)
		require.NoError(t, s.Close())
	}
}

// Levels of the version before deletion could be taken back are there, and can be.
func TestMigratesTheSecondVersion(t *testing.T) {
	s, err := Open(earlier(t, "0002-documents.sql"))
	require.NoError(t, err)
	defer s.Close()
	maren := asker(t, s, "maren")
	levels, err := s.Levels(maren)
	require.NoError(t, err)
	require.Len(t, levels, 1)
	assert.Equal(t, "draft", levels[0].Baked)
	assert.Nil(t, levels[0].Checked)
	sessions, err := s.Sessions(maren, noon)
	require.NoError(t, err)
	assert.Len(t, sessions, 2, "one of before, one of now")
	require.NoError(t, s.DeleteLevel(maren, levels[0].ID, noon))
	require.NoError(t, s.RecoverLevel(maren, levels[0].ID))
	_, doc, err := s.Level(maren, levels[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 2.0, doc.Look.ExposureEV)
}

// Presets and platforms of the version before they were searched are found, with their numbers; a
// platform is a preset.
func TestMigratesTheFourthVersion(t *testing.T) {
	s, err := Open(earlier(t, "0004-removed.sql"))
	require.NoError(t, err)
	defer s.Close()
	maren, ivo := asker(t, s, "maren"), asker(t, s, "ivo")
	page, err := s.FindPresets(ivo, api.PresetSearch{Words: "sunset", Tags: []string{"dusk"}})
	require.NoError(t, err)
	require.Len(t, page.Items, 1)
	assert.Equal(t, 2, page.Items[0].Version)
	assert.Equal(t, 2, page.Items[0].Versions)
	_, old, err := s.Preset(maren, "maren", "dusk", 1)
	require.NoError(t, err)
	assert.Equal(t, 1.0, old.Mood.Look.ExposureEV)
	assert.Empty(t, old.Mood.Mode, "a mood of then leaves mode, sun and moon")
	for _, name := range []string{"mine", "dusk-platform"} {
		p, err := s.Platform(maren, name)
		require.NoError(t, err, name)
		assert.Contains(t, p.Title, "Pocket")
	}
	_, err = s.Platform(ivo, "maren/mine")
	assert.Error(t, err, "it was nobody else's")
	levels, err := s.Levels(ivo)
	require.NoError(t, err)
	require.Len(t, levels, 1)
	assert.Equal(t, "editor", levels[0].Role)
	require.NoError(t, s.SyncStarters())
	next, err := s.UploadPreset(maren, "dusk", api.PresetMeta{}, old)
	require.NoError(t, err)
	assert.Equal(t, 3, next.Version)
}

// The frozen scripts come to the schema that the rows of this version need.
func TestScriptsComeToTheSchema(t *testing.T) {
	s, err := Open(t.TempDir())
	require.NoError(t, err)
	defer s.Close()
	for _, row := range []any{&user{}, &session{}, &token{}, &levelRow{}, &member{}, &revision{}, &bakeRow{}, &layerRow{}, &presetRow{}, &presetVersion{}, &presetShare{}, &presetFacet{}, &presetPicture{}, &takingRow{}, &team{}, &teamMember{}, &teamLevel{}, &teamPreset{}, &shareLink{}, &linkUse{}, &commentRow{}, &reviewRow{}, &noticeRow{}, &webhook{}, &webhookSend{}, &auditRow{}, &documentRow{}, &pieceRow{}, &documentPiece{}, &thumbnailRow{}} {
		require.NoError(t, s.db.Limit(1).Find(row).Error, "%T", row)
		columns, err := s.db.Migrator().ColumnTypes(row)
		require.NoError(t, err)
		for _, c := range columns {
			assert.True(t, s.db.Migrator().HasColumn(row, c.Name()), "%T has no field for the column %s", row, c.Name())
		}
	}
}
