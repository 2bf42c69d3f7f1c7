package jobs_test

import (
	"bytes"
	"context"
	"encoding/json"
	"log/slog"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/blob"
	"grotta/service/jobs"
	"grotta/service/store"
	"grotta/service/studio"
	"grotta/service/trail"
)

var ctx = context.Background()

// works is a baker over a folder of data, which may hold an earlier one's.
type works struct {
	*jobs.Baker
	store  *store.Store
	studio *studio.Studio
	maren  store.Asker
	log    *lines
}

// lines is a log that can be read while it is written.
type lines struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}

func open(t *testing.T, dir string) *works {
	t.Helper()
	st, err := store.Open(dir)
	require.NoError(t, err)
	blobs, err := blob.Open(filepath.Join(dir, "blobs"))
	require.NoError(t, err)
	sd := studio.New(st, blobs)
	log := &lines{}
	b, err := jobs.Start(dir, st, sd, slog.New(slog.NewTextHandler(log, nil)), nil)
	require.NoError(t, err)
	if _, err := st.UserID("maren"); err != nil {
		require.NoError(t, st.AddUser("maren", "salt-marsh-light"))
	}
	id, err := st.UserID("maren")
	require.NoError(t, err)
	return &works{b, st, sd, store.Asker{ID: id, Name: "maren", Scopes: api.Scopes}, log}
}

func (w *works) close(t *testing.T) {
	t.Helper()
	w.Close()
	require.NoError(t, w.store.Close())
}

// wait asks for a bake until it is over, or as long as want says.
func (w *works) wait(t *testing.T, id string, want func(api.Bake) bool) api.Bake {
	t.Helper()
	for range 1200 {
		b, err := w.store.Bake(w.maren, id)
		require.NoError(t, err)
		if b = w.Status(b); want(b) {
			return b
		}
		time.Sleep(25 * time.Millisecond)
	}
	t.Fatal("the bake did not come to it within 30 seconds")
	return api.Bake{}
}

func over(b api.Bake) bool { return b.Over() }

// A bake makes every layer once and tells how it goes; the next one finds them
// all, and another strength needs none.
func TestBakeThenReuse(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	room := demo.Room()
	info, err := w.store.CreateLevel(w.maren, room, "room")
	require.NoError(t, err)
	events, stop, err := w.Watch(info.ID)
	require.NoError(t, err)
	defer stop()

	b, err := w.Submit(ctx, w.maren, info.ID, 1, room, bake.Draft)
	require.NoError(t, err)
	assert.Zero(t, b.Reused)
	done := w.wait(t, b.ID, over)
	assert.Equal(t, "done", done.State)
	assert.Len(t, done.Hash, 64)

	again, err := w.Submit(ctx, w.maren, info.ID, 1, room, bake.Draft)
	require.NoError(t, err)
	assert.Equal(t, "done", again.State, "at once")
	assert.Equal(t, again.Layers, again.Reused)
	assert.Equal(t, done.Hash, again.Hash)

	next, _, err := room.Apply(level.Set("lamp", map[string]any{"strength": 90.0}))
	require.NoError(t, err)
	brighter, err := w.Submit(ctx, w.maren, info.ID, 2, next, bake.Draft)
	require.NoError(t, err)
	assert.Equal(t, "done", brighter.State, "a strength is a mix")
	assert.NotEqual(t, done.Hash, brighter.Hash)

	states := map[string]bool{}
	for len(events) > 0 {
		var e jobs.Event
		require.NoError(t, json.Unmarshal((<-events).Data, &e))
		states[e.Bake.State] = true
	}
	assert.True(t, states["done"], "watchers were told: %v", states)
}

// The sweep for bakes that nobody works on may find a new bake before its sender ends it.
func TestTheSweepMayEndANewBakeFirst(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	room := demo.Room()
	info, err := w.store.CreateLevel(w.maren, room, "room")
	require.NoError(t, err)
	first, err := w.Submit(ctx, w.maren, info.ID, 1, room, bake.Draft)
	require.NoError(t, err)
	done := w.wait(t, first.ID, over)

	stop, swept := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(swept)
		for {
			select {
			case <-stop:
				return
			default:
				w.Sweep()
			}
		}
	}()
	for range 60 {
		b, err := w.Submit(ctx, w.maren, info.ID, 1, room, bake.Draft)
		require.NoError(t, err)
		assert.Equal(t, "done", b.State)
		assert.Equal(t, done.Hash, b.Hash)
	}
	close(stop)
	<-swept
}

// A better quality comes after coarse light that is there within moments.
func TestCoarseLightComesFirst(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	l := demo.Saltmarsh()
	info, err := w.store.CreateLevel(w.maren, l, "demo")
	require.NoError(t, err)
	b, err := w.Submit(ctx, w.maren, info.ID, 1, l, bake.Final)
	require.NoError(t, err)
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	key := p.Key(&p.Sources[0], bake.Draft)
	require.Eventually(t, func() bool {
		have, err := w.store.LayerBlobs([]string{key})
		return err == nil && have[key] != ""
	}, 60*time.Second, 50*time.Millisecond, "a draft of the first source")
	stored, err := w.store.Bake(w.maren, b.ID)
	require.NoError(t, err)
	assert.False(t, stored.Over(), "while the bake itself goes on")

	cancelled, err := w.Cancel(b.ID)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", cancelled.State)
	_, err = w.Cancel(b.ID)
	assert.ErrorIs(t, err, store.ErrOver, "once")
	time.Sleep(200 * time.Millisecond)
	stored, err = w.store.Bake(w.maren, b.ID)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", stored.State, "and it stays so")
}

// A service that stops in the middle goes on at its next start, and comes to the
// mix of one that was not disturbed.
func TestStoppedBakeGoesOn(t *testing.T) {
	dir := t.TempDir()
	w := open(t, dir)
	room := demo.Room()
	room.Lightmap.Density = 24
	info, err := w.store.CreateLevel(w.maren, room, "room")
	require.NoError(t, err)
	b, err := w.Submit(ctx, w.maren, info.ID, 1, room, bake.Good)
	require.NoError(t, err)
	w.wait(t, b.ID, func(b api.Bake) bool { return b.State == "running" || b.Over() })
	w.close(t)

	w = open(t, dir)
	defer w.close(t)
	resumed := w.wait(t, b.ID, over)
	require.Equal(t, "done", resumed.State, resumed.Error)

	calm := open(t, t.TempDir())
	defer calm.close(t)
	other, err := calm.store.CreateLevel(calm.maren, room, "room")
	require.NoError(t, err)
	c, err := calm.Submit(ctx, calm.maren, other.ID, 1, room, bake.Good)
	require.NoError(t, err)
	assert.Equal(t, calm.wait(t, c.ID, over).Hash, resumed.Hash)
}

func TestWatchersHearOfRevisions(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	events, stop, err := w.Watch("a-level")
	require.NoError(t, err)
	w.TellRevision(api.RevisionEvent{Level: "another", Revision: 9})
	w.TellRevision(api.RevisionEvent{Level: "a-level", Revision: 3, Author: "ivo"})
	select {
	case msg := <-events:
		var e jobs.Event
		require.NoError(t, json.Unmarshal(msg.Data, &e))
		assert.Equal(t, 3, e.Revision.Revision, "of their own level alone")
	case <-time.After(10 * time.Second):
		t.Fatal("nothing came")
	}
	stop()
	w.TellRevision(api.RevisionEvent{Level: "a-level", Revision: 4})
	time.Sleep(50 * time.Millisecond)
	assert.Empty(t, events)
}

// People take turns on the queue, and what somebody waits for goes first.
func TestPeopleTakeTurns(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	require.NoError(t, w.store.AddUser("ivo", "salt-marsh-light"))
	id, err := w.store.UserID("ivo")
	require.NoError(t, err)
	ivo := store.Asker{ID: id, Name: "ivo", Scopes: api.Scopes}
	gate, order := make(chan struct{}), make(chan string, 32)
	w.InPlaceOfBaking(func(bakeAll func() ([]*layer.Layer, error)) ([]*layer.Layer, error) {
		<-gate
		return bakeAll()
	})
	start := func(a store.Asker, name string, q bake.Quality, x float64) string {
		l := demo.Room()
		l.Lights[0].Transform.Position[0] = x // light of its own
		info, err := w.store.CreateLevel(a, l, name)
		require.NoError(t, err)
		b, err := w.Submit(ctx, a, info.ID, 1, l, q)
		require.NoError(t, err)
		return b.ID
	}
	var all []string
	who := map[string]string{}
	for i := range 4 {
		all = append(all, start(w.maren, "maren", bake.Draft, 0.1*float64(i)))
		who[all[len(all)-1]] = "maren"
	}
	all = append(all, start(ivo, "ivo", bake.Draft, 0.9))
	who[all[4]] = "ivo"
	assert.Len(t, w.Queue(), 2)
	close(gate)
	var mu sync.Mutex
	ended := map[string]bool{}
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		for _, id := range all {
			if b, err := w.store.Bake(w.maren, id); err == nil && b.Over() && !ended[id] {
				ended[id] = true
				order <- who[id]
			} else if b, err := w.store.Bake(ivo, id); err == nil && b.Over() && !ended[id] {
				ended[id] = true
				order <- who[id]
			}
		}
		return len(ended) == len(all)
	}, time.Minute, 2*time.Millisecond)
	close(order)
	var turns []string
	for name := range order {
		turns = append(turns, name)
	}
	assert.NotEqual(t, "ivo", turns[4], "ivo came last and is not served last: %v", turns)
	assert.Eventually(t, func() bool { return len(w.Queue()) == 0 }, 10*time.Second, 2*time.Millisecond)

	mine, err := w.store.RecentBakes(ivo, 10)
	require.NoError(t, err)
	require.Len(t, mine, 1, "one's own")
	assert.Equal(t, "New room", mine[0].LevelName)
	assert.Equal(t, "ivo", mine[0].Author)
	assert.Equal(t, "done", mine[0].State)
	assert.Equal(t, all[4], mine[0].ID)
	boss := w.maren
	boss.Admin = true
	everybodys, err := w.store.RecentBakes(boss, 10)
	require.NoError(t, err)
	assert.Len(t, everybodys, 5)
}

// A bake that an admin moves up is done before those that were there before it, each layer once; its ids are in the log.
func TestABakeIsMovedUp(t *testing.T) {
	w := open(t, t.TempDir())
	defer w.close(t)
	gate, made := make(chan struct{}), make(map[string]int)
	var order []string
	var mu sync.Mutex
	w.InPlaceOfBaking(func(bakeAll func() ([]*layer.Layer, error)) ([]*layer.Layer, error) {
		<-gate
		layers, err := bakeAll()
		mu.Lock()
		defer mu.Unlock()
		for _, l := range layers {
			made[l.Key]++
			order = append(order, l.Key)
		}
		return layers, err
	})
	var bakes []api.Bake
	keys := make([]map[string]string, 5)
	for i := range keys {
		l := demo.Room()
		l.Lights[0].Transform.Position[0] = 0.1 * float64(i)
		info, err := w.store.CreateLevel(w.maren, l, "room")
		require.NoError(t, err)
		b, err := w.Submit(ctx, w.maren, info.ID, 1, l, bake.Good)
		require.NoError(t, err)
		job, err := w.store.BakeForWork(b.ID)
		require.NoError(t, err)
		bakes, keys[i] = append(bakes, b), job.Keys
	}
	last := len(bakes) - 1
	require.NoError(t, w.MoveUp(trail.With(ctx, trail.Trail{Request: "from-a-click"}), bakes[last].ID))
	close(gate)
	for _, b := range bakes {
		require.Eventually(t, func() bool { s, err := w.store.Bake(w.maren, b.ID); return err == nil && s.State == "done" }, time.Minute, 2*time.Millisecond)
	}
	mu.Lock()
	defer mu.Unlock()
	for key, n := range made {
		assert.Equal(t, 1, n, "%s", key)
	}
	moved, third := slices.Index(order, keys[last]["lamp"]), slices.Index(order, keys[2]["lamp"])
	require.GreaterOrEqual(t, moved, 0)
	assert.Less(t, moved, third, "it came last and is done before the third")
	assert.Contains(t, w.log.String(), `msg="bake moved up" request=from-a-click bake=`+bakes[last].ID)
	assert.Contains(t, w.log.String(), `msg="layers baked" request=from-a-click bake=`+bakes[last].ID)
	assert.ErrorIs(t, w.MoveUp(ctx, bakes[0].ID), store.ErrOver)
	assert.ErrorIs(t, w.MoveUp(ctx, "nothing"), store.ErrNotFound)
}
