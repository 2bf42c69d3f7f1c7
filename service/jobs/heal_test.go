package jobs_test

import (
	"database/sql"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/parallel"
	"grotta/demo"
	"grotta/service/disk"
)

// room is a level that is baked in no time.
func (w *works) room(t *testing.T) api.LevelInfo {
	t.Helper()
	info, err := w.store.CreateLevel(w.maren, demo.Room(), "room")
	require.NoError(t, err)
	return info
}

// A bake that panics in any goroutine, or fails, is tried three times and then set aside
// with its error; the next bake is not held up.
func TestABakeThatFailsThreeTimesIsSetAside(t *testing.T) {
	for name, fail := range map[string]func() error{
		"panic":             func() error { panic("the lamp fell over") },
		"panic of a worker": func() error { parallel.All(4, func(int) { panic("the lamp fell over") }); return nil },
		"error":             func() error { return errors.New("the lamp fell over") },
	} {
		w := open(t, t.TempDir())
		info := w.room(t)
		var tries atomic.Int32
		broken := true
		w.InPlaceOfBaking(func(bakeAll func() ([]*layer.Layer, error)) ([]*layer.Layer, error) {
			if !broken {
				return bakeAll()
			}
			tries.Add(1)
			return nil, fail()
		})
		b, err := w.Submit(ctx, w.maren, info.ID, 1, demo.Room(), bake.Draft)
		require.NoError(t, err)
		done := w.wait(t, b.ID, over)
		assert.Equal(t, "failed", done.State, name)
		assert.Contains(t, done.Error, "the lamp fell over", name)
		assert.NotContains(t, done.Error, "goroutine", "the stack is for the log")
		assert.EqualValues(t, 3, tries.Load(), name)
		broken = false
		b, err = w.Submit(ctx, w.maren, info.ID, 1, demo.Room(), bake.Draft)
		require.NoError(t, err)
		assert.Equal(t, "done", w.wait(t, b.ID, over).State, name)
		w.close(t)
	}
}

// A full disk does not end a bake: it waits, says why, and goes on when there is room.
func TestABakeWaitsForRoomOnTheDisk(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	info := w.room(t)
	var full atomic.Bool
	full.Store(true)
	w.InPlaceOfBaking(func(bakeAll func() ([]*layer.Layer, error)) ([]*layer.Layer, error) {
		if full.Load() {
			return nil, disk.Explain(&fs.PathError{Op: "write", Path: "x", Err: disk.ErrFull})
		}
		return bakeAll()
	})
	b, err := w.Submit(ctx, w.maren, info.ID, 1, demo.Room(), bake.Draft)
	require.NoError(t, err)
	waits := w.wait(t, b.ID, func(b api.Bake) bool { return b.Now == "waits for room on the disk" || b.Over() })
	assert.False(t, waits.Over())
	full.Store(false)
	assert.Equal(t, "done", w.wait(t, b.ID, over).State)
}

// Layers whose files are gone or damaged when a bake ends are baked again at once.
func TestLostLayersAreBakedAgain(t *testing.T) {
	dir := t.TempDir()
	w := open(t, dir)
	info := w.room(t)
	b, err := w.Submit(ctx, w.maren, info.ID, 1, demo.Room(), bake.Draft)
	require.NoError(t, err)
	first := w.wait(t, b.ID, over)
	require.Equal(t, "done", first.State)
	w.close(t)

	n := 0
	require.NoError(t, filepath.WalkDir(filepath.Join(dir, "blobs"), func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		if n++; n%2 == 0 {
			return os.Remove(path)
		}
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		data[len(data)/2] ^= 1 // of the same length
		return os.WriteFile(path, data, 0o600)
	}))
	require.Greater(t, n, 2)

	w = open(t, dir) // nothing in memory
	defer w.close(t)
	b, err = w.Submit(ctx, w.maren, info.ID, 1, demo.Room(), bake.Draft)
	require.NoError(t, err)
	again := w.wait(t, b.ID, over)
	assert.Equal(t, "done", again.State, again.Error)
	assert.Equal(t, first.Hash, again.Hash)
}

// A bake whose document no longer reads is set aside at the start, which goes on.
func TestABakeThatCannotBeReadDoesNotStopTheStart(t *testing.T) {
	dir := t.TempDir()
	w := open(t, dir)
	info := w.room(t)
	bad, err := w.store.NewBake(w.maren, info.ID, 1, "good", map[string]string{"lamp": "x"}, 0, demo.Room())
	require.NoError(t, err)
	good, err := w.store.NewBake(w.maren, info.ID, 1, "draft", map[string]string{}, 0, demo.Start("empty"))
	require.NoError(t, err)
	w.close(t)
	db, err := sql.Open("sqlite", filepath.Join(dir, "grotta.db"))
	require.NoError(t, err)
	_, err = db.Exec("UPDATE documents SET body = x'00' WHERE hash = (SELECT document_hash FROM bakes WHERE id = ?)", bad.ID)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "queue", "jetstream"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "queue", "jetstream", "meta.inf"), []byte("broken"), 0o600))

	w = open(t, dir)
	defer w.close(t)
	b := w.wait(t, bad.ID, over)
	assert.Equal(t, "failed", b.State)
	assert.Contains(t, b.Error, "cannot be read")
	w.wait(t, good.ID, over)
	assert.FileExists(t, filepath.Join(dir, "queue-set-aside", "jetstream", "meta.inf"))
}
