package store

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
)

// Every revision can be read as it was, also past undo and redo, and after the
// service has forgotten what it had at hand.
func TestEveryRevisionAsItWas(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	texts := map[int]string{}
	note := func() {
		head, doc, err := s.Level(maren, info.ID)
		require.NoError(t, err)
		text, err := level.Encode(doc)
		require.NoError(t, err)
		texts[head.Revision] = string(text)
	}
	note()
	edit := func(op level.Operation) {
		_, err := s.Apply(t.Context(), maren, info.ID, op, 0)
		require.NoError(t, err)
		note()
	}
	edit(level.Set("lamp", map[string]any{"strength": 12.0}))
	edit(level.Set("", map[string]any{"look.exposure_ev": 2.0, "fog.haze.enabled": true}))
	edit(level.Remove("crate"))
	_, err = s.Undo(t.Context(), maren, info.ID)
	require.NoError(t, err)
	note()
	_, err = s.Redo(t.Context(), maren, info.ID)
	require.NoError(t, err)
	note()
	edit(level.Add("lights", level.NewLight("second", level.Tube)))
	require.Len(t, texts, 7)

	for _, cold := range []bool{false, true} {
		for n, want := range texts {
			if cold {
				s.docs.forgetAll()
			}
			doc, err := s.LevelAt(t.Context(), maren, info.ID, n)
			require.NoError(t, err)
			got, err := level.Encode(doc)
			require.NoError(t, err)
			assert.Equal(t, want, string(got), "revision %d, cold %t", n, cold)
		}
	}
	for _, n := range []int{0, -1, 8} {
		_, err := s.LevelAt(t.Context(), maren, info.ID, n)
		assert.ErrorIs(t, err, ErrNotFound, "revision %d", n)
		assert.ErrorContains(t, err, "revisions 1 to 7")
	}
	require.NoError(t, s.AddUser("ivo", "salt-marsh-light"))
	id, err := s.UserID("ivo")
	require.NoError(t, err)
	_, err = s.LevelAt(t.Context(), Asker{ID: id, Name: "ivo"}, info.ID, 1)
	assert.ErrorIs(t, err, ErrNotFound, "nobody else reads its past")
}

// Starters are everybody's, cannot be anybody's, and are read like any preset.
func TestStartersAreListedForAll(t *testing.T) {
	withoutRaces(t)
	s, maren := open(t)
	require.NoError(t, s.SyncStarters())
	require.NoError(t, s.SyncStarters()) // and again, which changes nothing
	all, err := s.Presets(maren)
	require.NoError(t, err)
	assert.Len(t, all, len(preset.Starters()))
	for _, r := range all {
		assert.Equal(t, 1, r.Versions)
		info, p, err := s.Preset(maren, r.Owner, r.Name, 0)
		require.NoError(t, err, r.Name)
		assert.Equal(t, r, info)
		hash, err := p.Hash()
		require.NoError(t, err)
		assert.Equal(t, r.Hash, hash)
	}
	_, _, err = s.Preset(maren, preset.StarterOwner, "none", 0)
	assert.ErrorIs(t, err, ErrNotFound)
	_, _, err = s.Preset(maren, preset.StarterOwner, "candle", 2)
	assert.ErrorIs(t, err, ErrNotFound)
	assert.ErrorContains(t, s.AddUser(preset.StarterOwner, "salt-marsh-light"), "choose another name")
}

// A rig is placed by one revision, which one undo takes back.
func TestPlacingIsOneRevision(t *testing.T) {
	withoutRaces(t)
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.SyncStarters())
	var rigs []preset.Starter
	for _, r := range preset.Starters() {
		if r.Preset.Kind == preset.Rig {
			rigs = append(rigs, r)
		}
	}
	for i, r := range rigs {
		rev, err := s.ApplyPreset(t.Context(), maren, info.ID, preset.StarterOwner, r.Name, 0, preset.Place{At: &level.Vec{0, 0, 0}, Normal: &level.Vec{0, 1, 0}}, 0)
		require.NoError(t, err, r.Name)
		assert.Equal(t, 2*i+2, rev.Number)
		assert.Equal(t, fmt.Sprintf("Apply recipes/%s@1", r.Name), rev.Label)
		_, err = s.Undo(t.Context(), maren, info.ID)
		require.NoError(t, err)
	}
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	before, err := level.Encode(demo.Room())
	require.NoError(t, err)
	after, err := level.Encode(doc)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))
}

// A bake keeps the document that it is of, whatever becomes of the level meanwhile.
func TestABakeKeepsItsDocument(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	b, err := s.NewBake(maren, info.ID, 1, "draft", map[string]string{}, 0, doc)
	require.NoError(t, err)
	for i := range 3 {
		_, err = s.Apply(t.Context(), maren, info.ID, level.Set("lamp", map[string]any{"strength": float64(i)}), 0)
		require.NoError(t, err)
	}
	s.docs.forgetAll()
	job, err := s.BakeForWork(b.ID)
	require.NoError(t, err)
	assert.Equal(t, demo.Room().Light("lamp").Strength, job.Level.Light("lamp").Strength)
	var documents int64
	require.NoError(t, s.db.Model(&documentRow{}).Count(&documents).Error)
	assert.EqualValues(t, 2, documents, "the bake's and the head's")
}

// Undo and redo are each person's own. What others did stays; where somebody else changed the
// same, a conflict says who.
func TestUndoIsEachPersonsOwn(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.AddUser("ivo", "salt-marsh-light"))
	id, err := s.UserID("ivo")
	require.NoError(t, err)
	ivo := Asker{ID: id, Name: "ivo"}
	require.NoError(t, s.SetMember(maren, info.ID, "ivo", "editor"))
	set := func(a Asker, field string, v any) {
		_, err := s.Apply(t.Context(), a, info.ID, level.Set("lamp", map[string]any{field: v}), 0)
		require.NoError(t, err)
	}
	lamp := func() *level.Light {
		_, doc, err := s.Level(maren, info.ID)
		require.NoError(t, err)
		return doc.Light("lamp")
	}
	was := *lamp()
	set(maren, "strength", 11.0)
	set(ivo, "range_m", 7.0)
	set(maren, "name", "Big lamp")

	_, err = s.Undo(t.Context(), ivo, info.ID)
	require.NoError(t, err)
	assert.Equal(t, was.RangeM, lamp().RangeM, "his own edit goes, though it is not the newest")
	assert.Equal(t, "Big lamp", lamp().Name)
	_, err = s.Undo(t.Context(), ivo, info.ID)
	assert.ErrorIs(t, err, ErrNotFound)
	_, err = s.Redo(t.Context(), ivo, info.ID)
	require.NoError(t, err)
	assert.Equal(t, 7.0, lamp().RangeM)

	set(ivo, "name", "His lamp")
	_, err = s.Undo(t.Context(), maren, info.ID)
	var conflict *Conflict
	require.ErrorAs(t, err, &conflict)
	assert.Equal(t, "lamp/name", conflict.Path)
	assert.Equal(t, "ivo", conflict.Author)
	assert.Equal(t, "His lamp", lamp().Name)
	_, err = s.Undo(t.Context(), ivo, info.ID)
	require.NoError(t, err)
	_, err = s.Undo(t.Context(), maren, info.ID)
	require.NoError(t, err, "what he took back himself is in nobody's way")
	assert.Equal(t, was.Name, lamp().Name)

	// Ten presses of a key, each sent on the revision before the first: no conflict with oneself.
	head, _, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	for i := range 10 {
		_, err := s.Apply(t.Context(), maren, info.ID, level.Set("lamp", map[string]any{"strength": float64(20 + i)}), head.Revision)
		require.NoError(t, err)
	}
	assert.Equal(t, 29.0, lamp().Strength)
	_, err = s.Apply(t.Context(), ivo, info.ID, level.Set("lamp", map[string]any{"strength": 5.0}), head.Revision)
	assert.ErrorAs(t, err, &conflict, "but with others there is")
}
