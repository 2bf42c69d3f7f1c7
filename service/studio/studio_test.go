package studio_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/blob"
	"grotta/service/store"
	"grotta/service/studio"
)

func open(t *testing.T) (*studio.Studio, *store.Store, string) {
	t.Helper()
	dir := t.TempDir()
	st, err := store.Open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, st.Close()) })
	blobs, err := blob.Open(filepath.Join(dir, "blobs"))
	require.NoError(t, err)
	return studio.New(st, blobs), st, dir
}

var ctx = context.Background()

// The same revision is prepared once; an edit of lights alone reuses it.
func TestPreparesOnceAndReusesGeometry(t *testing.T) {
	s, _, _ := open(t)
	room := demo.Room()
	first, err := s.Prepare(ctx, "r", 1, room)
	require.NoError(t, err)
	again, err := s.Prepare(ctx, "r", 1, room)
	require.NoError(t, err)
	assert.Same(t, first, again)
	brighter := *room
	lamp := *room.Lights[0]
	lamp.Strength = 99
	brighter.Lights = append(brighter.Lights[:0:0], &lamp)
	next, err := s.Prepare(ctx, "r", 2, &brighter)
	require.NoError(t, err)
	assert.Same(t, first.Texels, next.Texels)
	assert.Equal(t, 99.0, next.Sources[0].Strength)
}

// MixNow bakes what is missing once and keeps it.
func TestMixNowBakesWhatIsMissing(t *testing.T) {
	s, _, _ := open(t)
	p, err := s.Prepare(ctx, "r", 1, demo.Room())
	require.NoError(t, err)
	m, err := s.Lightmap(p, 1)
	require.NoError(t, err)
	assert.Equal(t, len(p.Sources), m.Stale)
	image, err := s.MixNow(ctx, p, nil)
	require.NoError(t, err)
	m, err = s.Lightmap(p, 1)
	require.NoError(t, err)
	assert.Zero(t, m.Stale)
	again, err := s.MixNow(ctx, p, nil)
	require.NoError(t, err)
	assert.Equal(t, image.Hash(), again.Hash())
	for _, src := range m.Sources {
		assert.Equal(t, "draft", src.Quality)
	}
}

// A blob that was damaged on disk is forgotten and baked again, never shown.
func TestDamagedLayersAreBakedAgain(t *testing.T) {
	s, st, dir := open(t)
	p, err := s.Prepare(ctx, "r", 1, demo.Room())
	require.NoError(t, err)
	before, err := s.MixNow(ctx, p, nil)
	require.NoError(t, err)
	blobs := filepath.Join(dir, "blobs")
	damaged := 0
	require.NoError(t, filepath.WalkDir(blobs, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			damaged++
			return os.WriteFile(path, []byte("not a layer"), 0o600)
		}
		return err
	}))
	require.Positive(t, damaged)
	opened, err := blob.Open(blobs)
	require.NoError(t, err)
	fresh := studio.New(st, opened) // nothing in memory
	m, err := fresh.Lightmap(p, 1)
	require.NoError(t, err)
	_, err = fresh.Layer(m.Sources[0].Layer)
	assert.ErrorIs(t, err, studio.ErrLost)
	for _, src := range m.Sources { // all of them are found out
		_, err := fresh.Layer(src.Layer)
		assert.Error(t, err)
	}
	after, err := fresh.MixNow(ctx, p, nil)
	require.NoError(t, err)
	assert.Equal(t, before.Hash(), after.Hash())
}

// What no bake names goes when it is old enough; what a bake names stays.
func TestCleanKeepsWhatBakesName(t *testing.T) {
	s, st, dir := open(t)
	require.NoError(t, st.AddUser("maren", "salt-marsh-light"))
	id, err := st.UserID("maren")
	require.NoError(t, err)
	maren := store.Asker{ID: id, Name: "maren", Scopes: api.Scopes}
	room := demo.Room()
	info, err := st.CreateLevel(maren, room, "room")
	require.NoError(t, err)
	p, err := s.Prepare(ctx, info.ID, 1, room)
	require.NoError(t, err)
	layers, err := p.Bake(ctx, source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err)
	keys := map[string]string{}
	for i, l := range layers {
		require.NoError(t, s.AddLayer(l))
		if i > 0 { // the first is named by nothing
			keys[p.Sources[i].ID] = l.Key
		}
	}
	_, err = st.NewBake(maren, info.ID, 1, "draft", keys, 0, room)
	require.NoError(t, err)

	now := time.Now().UTC()
	c, err := s.Clean(now, time.Hour)
	require.NoError(t, err)
	assert.Zero(t, c.Layers, "too young")
	c, err = s.Clean(now.Add(2*time.Hour), time.Hour)
	require.NoError(t, err)
	assert.Equal(t, 1, c.Layers)
	assert.Positive(t, c.Bytes)
	opened, err := blob.Open(filepath.Join(dir, "blobs"))
	require.NoError(t, err)
	left := studio.New(st, opened)
	_, err = left.Layer(layers[0].Key)
	assert.ErrorIs(t, err, store.ErrNotFound)
	for _, l := range layers[1:] {
		got, err := left.Layer(l.Key)
		require.NoError(t, err)
		assert.Equal(t, len(l.Tiles), len(got.Tiles))
	}
}

func TestExplainNeedsNoEarlierBake(t *testing.T) {
	s, _, _ := open(t)
	p, err := s.Prepare(ctx, "r", 1, demo.Room())
	require.NoError(t, err)
	stale, _, err := s.Explain(ctx, "r", p, bake.Good)
	require.NoError(t, err)
	require.Len(t, stale, len(p.Sources))
	assert.Equal(t, []string{"never baked"}, stale[0].Why)
}

// A light that flickers is mixed as it is at a time, from the same layers.
func TestMixAtATime(t *testing.T) {
	s, _, _ := open(t)
	room := demo.Room()
	flicker := levelFlicker()
	room.Lights[0].Flicker = &flicker
	p, err := s.Prepare(ctx, "r", 1, room)
	require.NoError(t, err)
	_, err = s.MixNow(ctx, p, nil)
	require.NoError(t, err)
	m, err := s.Lightmap(p, 1)
	require.NoError(t, err)
	hashes := map[string]bool{}
	for _, at := range []float64{0, 0.25, 0.5} {
		image, err := s.Mix(p, m, &at)
		require.NoError(t, err)
		hashes[image.Hash()] = true
	}
	assert.Len(t, hashes, 3)
}

func levelFlicker() level.Flicker { return level.Flicker{Pattern: "pulse", RateHz: 1, Depth: 0.8} }
