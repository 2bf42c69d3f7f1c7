// Package jobs runs bakes: a bake is cut into handfuls of layers, each a message
// on a JetStream work queue. The database says what is to be done, so a service that is
// killed goes on where it was. It also carries events to whoever watches.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"go.opentelemetry.io/otel/attribute"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/service/disk"
	"grotta/service/store"
	"grotta/service/studio"
	"grotta/service/trail"
)

const (
	stream  = "BAKES"
	subject = "bake.layers"
)

// task is one message: some layers of one bake, which share the rays from surface
// to surface.
type task struct {
	Bake    string   `json:"bake"`
	Sources []string `json:"sources"`
	Ahead   bool     `json:"ahead,omitempty"` // at draft, to have something to show until the bake's own quality comes
	Quality string   `json:"quality"`
	By      string   `json:"by"`              // id of who started the bake
	First   bool     `json:"first,omitempty"` // an admin moved the bake up

	Trail trail.Trail `json:"trail"`
}

// Baker takes bakes, works on them, and tells how they go. What is to be done stands in
// the database; the queue is in memory and made from it, so that nothing of it can be
// lost, damaged or stopped by a full disk.
type Baker struct {
	store  *store.Store
	studio *studio.Studio
	log    *slog.Logger
	server *server.Server
	conn   *nats.Conn
	js     jetstream.JetStream
	stream jetstream.Stream
	stop   context.CancelFunc
	done   sync.WaitGroup
	bake   BakeFunc
	remote Remote // nil where this process bakes by itself
	line   line

	mu      sync.Mutex
	running map[string]*run
	queued  map[string]int    // messages on the queue, by bake
	tries   map[string]int    // of a message, by its content
	waits   map[string]string // why a bake does not go on, by its id
}

// BakeFunc bakes the layers of some sources.
type BakeFunc func(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error)

var bakeBy BakeFunc = func(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error) {
	return p.Bake(ctx, sources, q, report)
}

// BakeBy sets how bakers that start from now on bake.
func BakeBy(f BakeFunc) { bakeBy = f }

// Remote bakes on other machines.
type Remote interface {
	Bake(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error)
	Slots() int               // how many tasks it is given at once
	Changed() <-chan struct{} // gets a value when that changes
	Ready() error
	Alone() bool // whether there is no worker at all
}

// run is a bake that this process has worked on.
type run struct {
	cancel  context.CancelFunc
	ctx     context.Context
	started time.Time
	status  api.Bake
	before  int                // layers that were there when it began; -1 until it is known
	parts   map[string]float64 // layers that are done of each task, by its first source
}

// Start embeds a NATS server, which listens on no port and keeps its queue in memory,
// and starts the worker. dir is the folder of the data. Layers are baked by remote, or here where it is nil.
func Start(dir string, st *store.Store, sd *studio.Studio, log *slog.Logger, remote Remote) (*Baker, error) {
	b := &Baker{store: st, studio: sd, log: log, running: map[string]*run{}, queued: map[string]int{}, tries: map[string]int{}, waits: map[string]string{}}
	b.bake, b.line = bakeBy, newLine()
	if remote != nil {
		b.bake, b.remote = remote.Bake, remote
	}
	if err := b.startServer(filepath.Join(dir, "queue")); err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	if err := b.connect(); err != nil {
		b.server.Shutdown()
		return nil, fmt.Errorf("queue: %w", err)
	}
	return b, nil
}

// startServer starts the NATS server on an empty folder. What an earlier run left there
// is set aside: the database knows what is to be done.
func (b *Baker) startServer(dir string) error {
	if left, err := os.ReadDir(dir); err == nil && len(left) > 0 {
		aside := dir + "-set-aside"
		if err := errors.Join(os.RemoveAll(aside), os.Rename(dir, aside)); err != nil {
			return fmt.Errorf("what an earlier run left in %s cannot be set aside: %w", dir, err)
		}
		b.log.Warn("the queue of an earlier run was set aside and is made from the database", "folder", aside)
	}
	ns, err := server.NewServer(&server.Options{
		ServerName: "grotta", DontListen: true, JetStream: true, StoreDir: dir,
		NoSigs: true, NoLog: true, JetStreamMaxMemory: 64 << 20, JetStreamMaxStore: 1 << 20,
	})
	if err != nil {
		return err
	}
	ns.Start()
	if !ns.ReadyForConnections(10 * time.Second) {
		ns.Shutdown()
		return errors.New("it did not start within 10 seconds")
	}
	b.server = ns
	return nil
}

func (b *Baker) connect() error {
	var err error
	if b.conn, err = nats.Connect("", nats.InProcessServer(b.server)); err != nil {
		return err
	}
	if b.js, err = jetstream.New(b.conn); err != nil {
		return err
	}
	ctx, stop := context.WithCancel(context.Background())
	b.stop = stop
	b.stream, err = b.js.CreateStream(ctx, jetstream.StreamConfig{
		Name: stream, Subjects: []string{subject + ".>"}, Retention: jetstream.WorkQueuePolicy, Storage: jetstream.MemoryStorage,
	})
	if err != nil {
		return err
	}
	b.sweep(ctx)
	b.done.Go(func() { b.work(ctx) })
	b.done.Go(func() { b.sweepNowAndThen(ctx) })
	return nil
}

const (
	ackWait    = 30 * time.Second
	sweepEvery = 5 * time.Second
	mostTries  = 3 // of a message, before its bake is given up
)

func (b *Baker) sweepNowAndThen(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(sweepEvery):
			b.sweep(ctx)
		}
	}
}

// sweep queues what is missing of bakes that are not over and that nobody works on: those
// of an earlier run, and those whose queueing or last state failed to be written. A layer
// that is queued twice is baked once: the second worker finds it by its key.
func (b *Baker) sweep(ctx context.Context) {
	ids, err := b.store.UnfinishedBakes()
	if err != nil {
		b.log.Error("unfinished bakes cannot be listed", "error", err)
		return
	}
	for _, id := range ids {
		b.mu.Lock()
		underWay := b.queued[id] > 0
		b.mu.Unlock()
		if underWay || ctx.Err() != nil {
			continue
		}
		b.log.Info("bake goes on", "bake", id)
		if err := b.resume(ctx, id); err != nil {
			b.fail(id, err)
		}
	}
}

// resume puts what is missing of a bake on the queue. Where an earlier version of this
// program named its layers, they get the names that this one gives them.
func (b *Baker) resume(ctx context.Context, id string) error {
	job, err := b.store.BakeForWork(id)
	if err != nil {
		return err
	}
	p, err := b.studio.Prepare(ctx, job.Bake.Level, job.Revision, job.Level)
	if err != nil {
		return err
	}
	if keys := keysOf(p, bake.Quality(job.Quality)); !maps.Equal(keys, job.Keys) { // of an earlier version
		if err := b.store.SetBakeKeys(id, keys); err != nil {
			return err
		}
		job.Keys = keys
	}
	return b.enqueue(ctx, job)
}

// fail ends a bake with an error, unless the error is temporary.
func (b *Baker) fail(id string, cause error) {
	if errors.Is(cause, store.ErrNotFound) || errors.Is(cause, store.ErrOver) {
		b.forget(id)
		return
	}
	if errors.Is(cause, disk.ErrFull) {
		b.wait(id, cause)
		return
	}
	b.log.Error("bake failed", "bake", id, "error", cause)
	said, _, _ := strings.Cut(cause.Error(), "\ngoroutine ") // the log has the stack
	status, err := b.store.SetBakeState(id, "failed", "", said)
	b.forget(id)
	if err != nil {
		b.log.Error("its end was not written; it is tried again", "bake", id, "error", err)
		return
	}
	b.tell(status)
}

// wait says why a bake does not go on for now.
func (b *Baker) wait(id string, cause error) {
	b.mu.Lock()
	news := b.waits[id] == ""
	b.waits[id] = "waits for room on the disk"
	b.mu.Unlock()
	if news {
		b.log.Warn("a bake waits for room on the disk", "bake", id, "error", cause)
	}
}

// Close stops the worker and the queue. A bake that runs is resumed at the next
// start.
func (b *Baker) Close() {
	b.stop()
	b.done.Wait()
	b.conn.Close()
	b.server.Shutdown()
	b.server.WaitForShutdown()
	os.RemoveAll(b.server.StoreDir())
}

// Ready is nil while the queue answers.
func (b *Baker) Ready() error {
	if !b.server.JetStreamEnabled() || !b.conn.IsConnected() {
		return errors.New("the queue of bakes does not answer")
	}
	if b.remote != nil {
		return b.remote.Ready()
	}
	return nil
}

// Submit starts a bake of a level's revision. Layers that are there already, or
// that nothing reached which changed, are not baked again; where all are, the bake
// is done at once.
func (b *Baker) Submit(ctx context.Context, a store.Asker, id string, revision int, doc *level.Level, q bake.Quality) (_ api.Bake, err error) {
	ctx, end := trail.Begin(ctx, "order a bake", attribute.String("grotta.level", id), attribute.Int("grotta.revision", revision), attribute.String("grotta.quality", string(q)))
	defer func() { end(err) }()
	p, err := b.studio.Prepare(ctx, id, revision, doc)
	if err != nil {
		return api.Bake{}, err
	}
	if err := b.studio.Carry(ctx, id, p, q); err != nil {
		return api.Bake{}, err
	}
	keys := keysOf(p, q)
	have, err := b.store.LayerBlobs(slices.Collect(maps.Values(keys)))
	if err != nil {
		return api.Bake{}, err
	}
	reused := 0
	for _, key := range keys {
		if have[key] != "" {
			reused++
		}
	}
	status, err := b.store.NewBake(a, id, revision, string(q), keys, reused, doc)
	if err != nil {
		return api.Bake{}, err
	}
	trail.Note(ctx, attribute.String("grotta.bake", status.ID), attribute.Int("grotta.layers", len(keys)), attribute.Int("grotta.reused", reused))
	trail.Of(ctx).Log(b.log).Info("bake ordered", "bake", status.ID, "level", id, "revision", revision, "quality", string(q), "layers", len(keys), "reused", reused)
	job, err := b.store.BakeForWork(status.ID)
	if err == nil {
		err = b.enqueue(ctx, job)
	}
	if errors.Is(err, store.ErrOver) { // the sweep found it first, or it was cancelled
		err = nil
	}
	if err != nil {
		b.fail(status.ID, err)
		return api.Bake{}, err
	}
	if status, err = b.store.Bake(a, status.ID); err != nil {
		return api.Bake{}, err
	}
	return b.Status(status), nil
}

// Together is how many sources a message names: they share their rays, and what is done
// of a message that is cut off is done again.
const Together = 12

// enqueue puts what is missing of a bake on the queue, and ends it where nothing is.
func (b *Baker) enqueue(ctx context.Context, job *store.Bake) error {
	queued, err := b.queueMissing(ctx, job, false)
	if err == nil && queued == 0 {
		err = b.finish(ctx, job)
	}
	return err
}

// MoveUp puts what is missing of a bake before all others. What of it was on the queue already stays there, and finds
// nothing left to do.
func (b *Baker) MoveUp(ctx context.Context, id string) error {
	state, err := b.store.BakeState(id)
	if err != nil {
		return err
	}
	if state != "queued" && state != "running" {
		return store.ErrOver
	}
	job, err := b.store.BakeForWork(id)
	if err != nil {
		return err
	}
	if _, err = b.queueMissing(ctx, job, true); err == nil {
		trail.Of(ctx).Log(b.log).Info("bake moved up", "bake", id)
	}
	return err
}

// queueMissing puts what is missing of a bake on the queue and counts the messages.
func (b *Baker) queueMissing(ctx context.Context, job *store.Bake, first bool) (queued int, err error) {
	have, err := b.store.LayerBlobs(slices.Collect(maps.Values(job.Keys)))
	if err != nil {
		return 0, err
	}
	about := trail.Of(trail.With(ctx, trail.Trail{Bake: job.ID}))
	missing := slices.DeleteFunc(sourceOrder(job), func(id string) bool { return have[job.Keys[id]] != "" })
	for _, ahead := range []bool{true, false} {
		if ahead && bake.Quality(job.Quality) == bake.Draft {
			continue
		}
		for group := range slices.Chunk(missing, Together) {
			if err := b.publish(ctx, task{Bake: job.ID, Sources: group, Ahead: ahead, Quality: job.Quality, By: job.By, First: first, Trail: about}); err != nil {
				return queued, err
			}
			queued++
		}
	}
	return queued, nil
}

// keysOf names the layers of a prepared level, by source.
func keysOf(p *bake.Prepared, q bake.Quality) map[string]string {
	keys := map[string]string{}
	for i := range p.Sources {
		keys[p.Sources[i].ID] = p.Key(&p.Sources[i], q)
	}
	return keys
}

// Cancel ends a bake. Layers that are finished stay.
func (b *Baker) Cancel(id string) (api.Bake, error) {
	status, err := b.store.SetBakeState(id, "cancelled", "", "")
	if err != nil {
		return status, err
	}
	b.mu.Lock()
	b.forgetLocked(id)
	b.mu.Unlock()
	b.tell(status)
	return status, nil
}

// Status adds the progress, if this process works on the bake, to what is stored.
func (b *Baker) Status(stored api.Bake) api.Bake {
	b.mu.Lock()
	defer b.mu.Unlock()
	if r := b.running[stored.ID]; r != nil && !stored.Over() {
		stored.Done, stored.LeftS, stored.Now, stored.State = r.status.Done, r.status.LeftS, r.status.Now, "running"
	}
	if b.remote != nil && !stored.Over() && b.remote.Alone() {
		stored.Now = "waits for a worker"
	}
	if why := b.waits[stored.ID]; why != "" && !stored.Over() {
		stored.Now = why
	}
	return stored
}
