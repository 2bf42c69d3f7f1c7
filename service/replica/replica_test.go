package replica_test

import (
	"bytes"
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/replica"
	"grotta/service/store"
)

// bench is a store with one level and a keeper of it.
type bench struct {
	t     *testing.T
	data  string
	store *store.Store
	maren store.Asker
	level string
	log   bytes.Buffer
}

func newBench(t *testing.T) *bench {
	b := &bench{t: t, data: t.TempDir()}
	var err error
	b.store, err = store.Open(b.data)
	require.NoError(t, err)
	t.Cleanup(func() { b.store.Close() })
	require.NoError(t, b.store.AddUser("maren", "salt-marsh-light"))
	id, err := b.store.UserID("maren")
	require.NoError(t, err)
	b.maren = store.Asker{ID: id, Name: "maren", Scopes: api.Scopes}
	info, err := b.store.CreateLevel(b.maren, demo.Room(), "room")
	require.NoError(t, err)
	b.level = info.ID
	return b
}

// keep begins to copy; stop ends it, with a last copy.
func (b *bench) keep(to replica.Target, every time.Duration) (stop func()) {
	k := &replica.Keeper{
		Database: filepath.Join(b.data, "grotta.db"), Work: filepath.Join(b.data, "copy"), To: to, Every: every,
		Log: slog.New(slog.NewTextHandler(&b.log, nil)),
	}
	ctx, end := context.WithCancel(b.t.Context())
	var run sync.WaitGroup
	run.Go(func() { assert.NoError(b.t, k.Run(ctx)) })
	return func() {
		end()
		run.Wait()
	}
}

func (b *bench) set(strength float64) {
	b.t.Helper()
	_, err := b.store.Apply(b.t.Context(), b.maren, b.level, level.Set("lamp", map[string]any{"strength": strength}), 0)
	require.NoError(b.t, err)
}

// restored is the strength of the lamp in what a copy holds.
func (b *bench) restored(from replica.Target, at time.Time) float64 {
	b.t.Helper()
	dir := b.t.TempDir()
	state, err := replica.Restore(b.t.Context(), from, at, filepath.Join(dir, "grotta.db"))
	require.NoError(b.t, err)
	assert.WithinDuration(b.t, time.Now(), state, time.Minute)
	assert.True(b.t, at.IsZero() || state.Before(at))
	st, err := store.OpenExisting(dir)
	require.NoError(b.t, err)
	defer st.Close()
	_, doc, err := st.Level(b.maren, b.level)
	require.NoError(b.t, err)
	return doc.Light("lamp").Strength
}

// files are those of a folder and below.
func files(t *testing.T, dir string) (all []string) {
	t.Helper()
	require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		if err == nil && !d.IsDir() {
			all = append(all, path)
		}
		return nil
	}))
	return all
}

// What was acknowledged is in the copy, also while the service runs; what is sent grows with what changed; an
// earlier state comes back too.
func TestACopyIsKeptUp(t *testing.T) {
	b, dir := newBench(t), t.TempDir()
	to := replica.Folder(dir)
	_, err := os.Stat(filepath.Join(b.data, "grotta.db"))
	require.NoError(t, err)
	stop := b.keep(to, 20*time.Millisecond)
	require.Eventually(t, func() bool { return len(files(t, dir)) > 0 }, 30*time.Second, 10*time.Millisecond)
	before := len(files(t, dir))
	b.set(77)
	require.Eventually(t, func() bool { return len(files(t, dir)) > before }, 30*time.Second, 10*time.Millisecond)
	time.Sleep(100 * time.Millisecond)
	assert.Equal(t, 77.0, b.restored(to, time.Time{}))
	then := time.Now()
	time.Sleep(50 * time.Millisecond)
	count := len(files(t, dir))
	time.Sleep(300 * time.Millisecond)
	assert.Len(t, files(t, dir), count, "nothing is copied while nothing changes")
	for i := range 20 {
		b.set(float64(100 + i))
	}
	stop()
	assert.Equal(t, 119.0, b.restored(to, time.Time{}))
	assert.Equal(t, 77.0, b.restored(to, then))
	_, err = replica.Restore(t.Context(), to, then.Add(-time.Hour), filepath.Join(t.TempDir(), "x"))
	assert.ErrorContains(t, err, "is before")
	assert.Empty(t, b.log.String())
}

// A service that starts again goes on with the same copy, though another process worked on the records meanwhile.
func TestACopyGoesOnAfterAStop(t *testing.T) {
	b, to := newBench(t), replica.Folder(t.TempDir())
	for round := range 4 {
		stop := b.keep(to, 20*time.Millisecond)
		b.set(float64(10 + round))
		stop()
		assert.Equal(t, float64(10+round), b.restored(to, time.Time{}))
		b.set(float64(50 + round)) // nobody copies
		require.NoError(t, b.store.Close())
		var err error
		b.store, err = store.Open(b.data)
		require.NoError(t, err)
	}
	b.keep(to, time.Hour)()
	assert.Equal(t, 53.0, b.restored(to, time.Time{}))
}

// Other records that are copied to the same place come after those that were there: these are found by their time.
func TestOtherRecordsDoNotWipeACopy(t *testing.T) {
	lost, to := newBench(t), replica.Folder(t.TempDir())
	for i := range 3 {
		lost.set(float64(70 + i))
		lost.keep(to, time.Hour)()
	}
	then := time.Now()
	time.Sleep(50 * time.Millisecond)
	other := newBench(t)
	other.set(5)
	other.keep(to, time.Hour)()
	assert.Equal(t, 5.0, other.restored(to, time.Time{}))
	assert.Equal(t, 72.0, lost.restored(to, then))
}

// A copy of which something was deleted is made whole again, and so is one whose keeper lost its own state.
func TestACopyThatIsLostIsMadeAgain(t *testing.T) {
	for lost, names := range map[string][]string{
		"the copy":                {"there/ltx"},
		"the keeper's state":      {"data/copy"},
		"the copy and the state":  {"there/ltx", "data/copy/ltx"},
		"the copy and a change":   {"there/ltx", "data/copy/ltx/0/0000000000000001-0000000000000001.ltx"},
		"a change of the state":   {"data/copy/ltx/0/0000000000000003-0000000000000003.ltx"},
		"the newest of the state": {"data/copy/ltx/0/0000000000000004-0000000000000004.ltx"},
	} {
		t.Run(lost, func(t *testing.T) {
			b, dir := newBench(t), t.TempDir()
			for i := range 4 {
				b.set(float64(i + 1))
				b.keep(replica.Folder(dir), time.Hour)()
			}
			for _, name := range names {
				where, rest, _ := strings.Cut(name, "/")
				at := filepath.Join(map[string]string{"there": dir, "data": b.data}[where], filepath.FromSlash(rest))
				_, err := os.Stat(at)
				require.NoError(t, err)
				require.NoError(t, os.RemoveAll(at))
			}
			b.set(8)
			b.keep(replica.Folder(dir), time.Hour)()
			assert.Equal(t, 8.0, b.restored(replica.Folder(dir), time.Time{}))
			assert.Empty(t, b.log.String())
		})
	}
}

// A target that fails is told once and tried again.
func TestATargetThatFailsIsTriedAgain(t *testing.T) {
	b, dir := newBench(t), t.TempDir()
	place := filepath.Join(dir, "disk")
	require.NoError(t, os.WriteFile(place, nil, 0o600)) // no folder can be there
	stop := b.keep(replica.Folder(place), 20*time.Millisecond)
	time.Sleep(300 * time.Millisecond)
	require.NoError(t, os.Remove(place))
	require.Eventually(t, func() bool { return len(files(t, dir)) > 0 }, 30*time.Second, 10*time.Millisecond)
	b.set(9)
	stop()
	assert.Equal(t, 9.0, b.restored(replica.Folder(place), time.Time{}))
	said := b.log.String()
	assert.Equal(t, 1, bytes.Count([]byte(said), []byte("the records were not copied")), said)
	assert.Contains(t, said, "the records are copied again")
}

// Nothing is restored from a copy that is damaged or not there.
func TestADamagedCopyIsRefused(t *testing.T) {
	b, dir := newBench(t), t.TempDir()
	_, err := replica.Restore(t.Context(), replica.Folder(dir), time.Time{}, filepath.Join(t.TempDir(), "x"))
	assert.ErrorIs(t, err, replica.ErrNone)
	b.keep(replica.Folder(dir), time.Hour)()
	whole := map[string][]byte{}
	for _, name := range files(t, dir) {
		whole[name], err = os.ReadFile(name)
		require.NoError(t, err)
	}
	for part := range 8 {
		for name, data := range whole { // all, as one of two may not be needed
			wrong := bytes.Clone(data)
			wrong[len(wrong)*part/8+50] ^= 0x10
			require.NoError(t, os.WriteFile(name, wrong, 0o600))
		}
		file := filepath.Join(t.TempDir(), "x")
		_, err := replica.Restore(t.Context(), replica.Folder(dir), time.Time{}, file)
		assert.Error(t, err, "part %d", part)
		assert.NoFileExists(t, file)
	}
}
