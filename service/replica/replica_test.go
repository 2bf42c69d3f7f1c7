package replica_test

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/backup"
	"grotta/service/replica"
	"grotta/service/store"
)

// target is a file that can fail, and counts.
type target struct {
	replica.File
	mu     sync.Mutex
	broken bool
	failed int
	copies int
}

func (t *target) Put(ctx context.Context, file string) error {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.broken {
		t.failed++
		return errors.New("the other disk is gone")
	}
	t.copies++
	return t.File.Put(ctx, file)
}

func (t *target) count() (copies, failed int) {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.copies, t.failed
}

// What was acknowledged is in the copy, which is a backup; nothing is copied while nothing changes; a target that
// fails is tried again.
func TestACopyIsKeptUp(t *testing.T) {
	data, elsewhere := t.TempDir(), t.TempDir()
	st, err := store.Open(data)
	require.NoError(t, err)
	require.NoError(t, st.AddUser("maren", "salt-marsh-light"))
	id, err := st.UserID("maren")
	require.NoError(t, err)
	maren := store.Asker{ID: id, Name: "maren", Scopes: api.Scopes}
	info, err := st.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)

	var log bytes.Buffer
	to := &target{File: replica.File(filepath.Join(elsewhere, "records.backup")), broken: true}
	k := &replica.Keeper{Store: st, Data: data, Work: elsewhere, To: to, Every: 20 * time.Millisecond, Log: slog.New(slog.NewTextHandler(&log, nil))}
	ctx, stop := context.WithCancel(t.Context())
	var run sync.WaitGroup
	run.Go(func() { k.Run(ctx) })
	copies := func() int { n, _ := to.count(); return n }
	require.Eventually(t, func() bool { _, failed := to.count(); return failed > 0 }, 30*time.Second, 10*time.Millisecond)
	to.mu.Lock()
	to.broken = false
	to.mu.Unlock()
	require.Eventually(t, func() bool { return copies() > 0 }, 30*time.Second, 10*time.Millisecond)
	quiet := 0
	require.Eventually(t, func() bool { // it comes to rest, as nothing changes
		was := quiet
		quiet = copies()
		return was == quiet
	}, 30*time.Second, 600*time.Millisecond)

	_, err = st.Apply(t.Context(), maren, info.ID, level.Set("lamp", map[string]any{"strength": 77.0}), 0)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return copies() > quiet }, 30*time.Second, 10*time.Millisecond)
	stop()
	run.Wait()
	require.NoError(t, st.Close())
	assert.Contains(t, log.String(), "the other disk is gone")
	assert.Contains(t, log.String(), "copied again")
	left, err := os.ReadDir(elsewhere)
	require.NoError(t, err)
	assert.Len(t, left, 1, "nothing half made is left")

	again := filepath.Join(t.TempDir(), "data")
	_, err = backup.Restore(filepath.Join(elsewhere, "records.backup"), again)
	require.NoError(t, err)
	restored, err := store.OpenExisting(again)
	require.NoError(t, err)
	defer restored.Close()
	_, doc, err := restored.Level(maren, info.ID)
	require.NoError(t, err)
	assert.Equal(t, 77.0, doc.Light("lamp").Strength)
}
