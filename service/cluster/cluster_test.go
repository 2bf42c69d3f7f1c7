package cluster

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go/jetstream"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/source"
	"grotta/demo"
	"grotta/service/objects"
	"grotta/service/trail"
)

// startServer runs a NATS server on loopback, in this process.
func startServer(t *testing.T, change ...func(*server.Options)) Options {
	t.Helper()
	so := &server.Options{Host: "127.0.0.1", Port: -1, JetStream: true, StoreDir: t.TempDir(), NoLog: true, NoSigs: true, Username: "grotta", Password: "let-me-in"}
	for _, f := range change {
		f(so)
	}
	s, err := server.NewServer(so)
	require.NoError(t, err)
	s.Start()
	require.True(t, s.ReadyForConnections(10*time.Second))
	t.Cleanup(func() { s.Shutdown(); s.WaitForShutdown() })
	return Options{URL: fmt.Sprintf("nats://grotta:let-me-in@%s", s.Addr().(*net.TCPAddr)), Log: slog.New(slog.NewTextHandler(io.Discard, nil))}
}

func startCaller(t *testing.T, o Options) *Caller {
	t.Helper()
	c, err := Call(t.Context(), o)
	require.NoError(t, err)
	t.Cleanup(c.Close)
	return c
}

func startWorker(t *testing.T, o Options, id string) *Worker {
	t.Helper()
	w, err := Work(t.Context(), o, id, t.TempDir())
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- w.Run(ctx) }()
	t.Cleanup(func() { stop(); assert.NoError(t, <-done) })
	return w
}

func room(t *testing.T) (*bake.Prepared, []*source.Source) {
	t.Helper()
	p, err := bake.Prepare(demo.Room())
	require.NoError(t, err)
	return p, source.All(p.Sources)
}

// A worker gives the layers that baking here gives, tells how far it is, and leaves nothing behind.
func TestAWorkerBakesTheSame(t *testing.T) {
	o := startServer(t)
	var log bytes.Buffer // written by the one worker alone, and read once it is done
	c := startCaller(t, o)
	o.Log = slog.New(slog.NewTextHandler(&log, nil))
	assert.True(t, c.Alone())
	assert.Equal(t, 1, c.Slots())
	startWorker(t, o, "one")
	<-c.Changed()
	assert.Equal(t, 2, c.Slots())
	p, sources := room(t)
	want, err := p.Bake(t.Context(), sources, bake.Good, nil)
	require.NoError(t, err)
	var told atomic.Int32
	asked := trail.With(t.Context(), trail.Trail{Request: "from-a-click", Bake: "b1"})
	got, err := c.Bake(asked, p, sources, bake.Good, func(share float64) { told.Add(1) })
	require.NoError(t, err)
	require.Len(t, got, len(want))
	assert.Contains(t, log.String(), `msg="layers baked" request=from-a-click bake=b1`)
	for i := range want {
		assert.Equal(t, want[i].Key, got[i].Key)
		assert.Equal(t, want[i].Encode(), got[i].Encode(), sources[i].ID)
	}
	moved, layers := c.Moved()
	assert.Equal(t, len(want), layers)
	assert.Positive(t, moved)
	require.Eventually(t, func() bool {
		left, err := c.blobs.(natsObjects).store.List(t.Context())
		return err == nil && len(left) == 1 // the level
	}, 5*time.Second, 50*time.Millisecond, "layers that were taken are gone")
	require.Eventually(t, func() bool { s := c.Workers(); return len(s) == 1 && s[0].Done == 1 && s[0].Documents == 1 }, 5*time.Second, 50*time.Millisecond)
}

// Levels and layers may go through an S3 store; the layers are the same, and are gone from there once they are taken.
func TestAWorkerBakesTheSameThroughS3(t *testing.T) {
	t.Setenv("AWS_ACCESS_KEY_ID", "somebody")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "secret")
	backend := s3mem.New()
	require.NoError(t, backend.CreateBucket("light"))
	s3 := httptest.NewServer(gofakes3.New(backend).Server())
	defer s3.Close()
	o := startServer(t)
	o.Blobs = s3.URL + "/light/on-the-way"
	c := startCaller(t, o)
	startWorker(t, o, "one")
	p, sources := room(t)
	want, err := p.Bake(t.Context(), sources, bake.Draft, nil)
	require.NoError(t, err)
	<-c.Changed()
	got, err := c.Bake(t.Context(), p, sources, bake.Draft, nil)
	require.NoError(t, err)
	require.Len(t, got, len(want))
	for i := range want {
		assert.Equal(t, want[i].Encode(), got[i].Encode(), sources[i].ID)
	}
	require.Eventually(t, func() bool {
		left, err := backend.ListBucket("light", nil, gofakes3.ListBucketPage{})
		return err == nil && len(left.Contents) == 1 // the level
	}, 5*time.Second, 50*time.Millisecond)
}

// Nobody works for a bake that is cancelled; an order of an earlier run is taken back.
func TestWhatNobodyWantsIsNotBaked(t *testing.T) {
	o := startServer(t)
	c := startCaller(t, o)
	p, sources := room(t)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	_, err := c.Bake(ctx, p, sources, bake.Draft, nil)
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	w := startWorker(t, o, "one")
	require.Eventually(t, func() bool {
		info, err := c.orders.Info(t.Context())
		return err == nil && info.State.Msgs == 0
	}, 10*time.Second, 50*time.Millisecond, "the order is off the queue")
	w.mu.Lock()
	assert.Zero(t, w.beat.Done+w.beat.Failed)
	w.mu.Unlock()

	_, err = c.js.Publish(t.Context(), c.Name+".order.0.now", []byte("{}")) // of another version, left there
	require.NoError(t, err)
	again := startCaller(t, o)
	info, err := again.orders.Info(t.Context())
	require.NoError(t, err)
	assert.Zero(t, info.State.Msgs)
}

// What a worker sends is checked: bytes that are not what their name says, other layers, and too few are
// refused with the worker's name.
func TestWhatIsSentIsChecked(t *testing.T) {
	o := startServer(t)
	c := startCaller(t, o)
	p, sources := room(t)
	layers, err := p.Bake(t.Context(), sources[:1], bake.Draft, nil)
	require.NoError(t, err)
	data := layers[0].Encode()
	ord := &order{ID: "x", Sources: []string{sources[0].ID}, Keys: []string{layers[0].Key}}
	sent := func(l sentLayer) error {
		_, err := c.fetch(t.Context(), ord, &result{Order: "x", Worker: "liar", Layers: []sentLayer{l}})
		return err
	}
	err = c.blobs.Put(t.Context(), "x"+hashOf(data), bytes.ToUpper(data))
	require.NoError(t, err)
	err = sent(sentLayer{layers[0].Key, hashOf(data), len(data)})
	assert.ErrorIs(t, err, errDamaged)
	assert.ErrorContains(t, err, "worker liar")
	assert.ErrorIs(t, sent(sentLayer{layers[0].Key, hashOf(data), len(data)}), objects.ErrNotFound, "what is damaged is gone")
	assert.ErrorContains(t, sent(sentLayer{"another", hashOf(data), 1}), "another layer")
	_, err = c.fetch(t.Context(), ord, &result{Worker: "liar"})
	assert.ErrorContains(t, err, "0 layers of 1")
	hash, err := c.put(t.Context(), "x", []byte("no layer"))
	require.NoError(t, err)
	assert.Error(t, sent(sentLayer{layers[0].Key, hash, 8}))
}

// An order that came to too many workers is set aside with a word; one that cannot be done says why; what is no
// order is dropped.
func TestOrdersThatCannotBeDone(t *testing.T) {
	o := startServer(t)
	c := startCaller(t, o)
	p, sources := room(t)
	hash, err := c.send(t.Context(), p.Scene.Level)
	require.NoError(t, err)
	w := startWorker(t, o, "one")
	ask := func(ord order) result {
		waits := &waiter{result: make(chan result, 1)}
		c.mu.Lock()
		c.waiting[ord.ID] = waits
		c.mu.Unlock()
		data, err := json.Marshal(ord)
		require.NoError(t, err)
		_, err = c.js.Publish(t.Context(), c.subjectOf(kindNow), data)
		require.NoError(t, err)
		select {
		case r := <-waits.result:
			return r
		case <-time.After(20 * time.Second):
			t.Fatal("no answer")
			return result{}
		}
	}
	assert.Contains(t, ask(order{ID: "a", Document: hash, Quality: "draft", Sources: []string{"nobody"}, Keys: []string{"k"}}).Error, `no source "nobody"`)
	assert.Contains(t, ask(order{ID: "b", Document: hash, Quality: "draft", Sources: []string{sources[0].ID}, Keys: []string{"k"}}).Error, "another one here")
	assert.Contains(t, ask(order{ID: "c", Document: hashOf(nil), Quality: "draft", Sources: []string{sources[0].ID}, Keys: []string{"k"}}).Error, "did not come")
	_, err = c.js.Publish(t.Context(), c.subjectOf(kindNow), []byte("hello"))
	require.NoError(t, err)

	// It came to others often, and they ended without a word.
	held, err := c.consumer(t.Context(), kindNow)
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		info, err := held.Info(t.Context())
		return err == nil && info.NumPending == 0 && info.NumAckPending == 0
	}, 20*time.Second, 10*time.Millisecond, "what is no order was not dropped")
	w.Drain()
	require.Eventually(t, w.conn.IsClosed, 20*time.Second, 10*time.Millisecond)
	data, err := json.Marshal(order{ID: "d", Document: hash, Quality: "draft", Sources: []string{sources[0].ID}, Keys: []string{p.Key(sources[0], bake.Draft)}})
	require.NoError(t, err)
	waits := &waiter{result: make(chan result, 1)}
	c.mu.Lock()
	c.waiting["d"] = waits
	c.mu.Unlock()
	_, err = c.js.Publish(t.Context(), c.subjectOf(kindNow), data)
	require.NoError(t, err)
	for range mostDeliveries {
		batch, err := held.Fetch(1, jetstream.FetchMaxWait(5*time.Second))
		require.NoError(t, err)
		m := <-batch.Messages()
		require.NotNil(t, m, batch.Error())
		require.Equal(t, data, m.Data())
		require.NoError(t, m.Nak())
	}
	startWorker(t, o, "two")
	select {
	case r := <-waits.result:
		assert.Contains(t, r.Error, "set aside")
	case <-time.After(20 * time.Second):
		t.Fatal("no answer")
	}
}

// Wrong addresses, passwords and names are said, without the password.
func TestTheClusterIsNotReached(t *testing.T) {
	o := startServer(t)
	for _, url := range []string{"nats://127.0.0.1:1", "nats://grotta:guessed@" + o.URL[len("nats://grotta:let-me-in@"):]} {
		_, err := Call(t.Context(), Options{URL: url, Log: o.Log})
		require.Error(t, err)
		assert.ErrorContains(t, err, "the cluster at ")
		assert.NotContains(t, err.Error(), "guessed")
	}
	o.Name = "two words"
	_, err := Call(t.Context(), o)
	assert.ErrorContains(t, err, "letters, digits")
	o.Name = ""
	_, err = Work(t.Context(), o, "a.b", "")
	assert.ErrorContains(t, err, "letters, digits")
	o.Credentials = "/nowhere/at/all"
	_, err = Call(t.Context(), o)
	assert.Error(t, err)
}

// A full object store ends an order with an error, in bounded time.
func TestAFullObjectStoreIsSaid(t *testing.T) {
	o := startServer(t, func(s *server.Options) { s.JetStreamMaxStore = 1 << 20 })
	c := startCaller(t, o)
	was := insistFor
	insistFor = 2 * time.Second
	defer func() { insistFor = was }()
	big := make([]byte, 2<<20)
	_, err := rand.Read(big)
	require.NoError(t, err)
	began := time.Now()
	_, err = c.put(t.Context(), "", big)
	assert.ErrorContains(t, err, "resource")
	assert.Less(t, time.Since(began), 2*insistFor)
	hash, err := c.put(t.Context(), "", []byte("small"))
	require.NoError(t, err, "what has room goes on")
	data, err := c.get(t.Context(), "", hash)
	require.NoError(t, err)
	assert.Equal(t, "small", string(data))
}

// A worker of another version is known, and counts for nothing.
func TestAWorkerOfAnotherVersion(t *testing.T) {
	o := startServer(t)
	c := startCaller(t, o)
	data, err := json.Marshal(beat{ID: "old", Engine: bake.Engine - 1, Threads: 4})
	require.NoError(t, err)
	require.NoError(t, c.conn.Publish(c.Name+".beat", data))
	require.Eventually(t, func() bool { return len(c.Workers()) == 1 }, 5*time.Second, 20*time.Millisecond)
	assert.False(t, c.Workers()[0].Takes)
	assert.True(t, c.Alone())
	assert.NotEqual(t, c.subjectOf(kindNow), c.Name+".order."+fmt.Sprint(bake.Engine-1)+".now", "its queue is another one")
	assert.False(t, c.Drain("nobody"))
}
