// Package jobs runs bakes: a bake is cut into handfuls of layers, each a message
// on a JetStream work queue, so that a service that is killed goes on where it was
// and other machines can help. It also carries events to whoever watches.
package jobs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"slices"
	"sync"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/level"
	"grotta/service/store"
	"grotta/service/studio"
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
}

// Baker takes bakes, works on them, and tells how they go.
type Baker struct {
	store  *store.Store
	studio *studio.Studio
	log    *slog.Logger
	server *server.Server
	conn   *nats.Conn
	js     jetstream.JetStream
	stop   context.CancelFunc
	done   chan struct{}

	mu      sync.Mutex
	running map[string]*run
}

// run is a bake that this process has worked on.
type run struct {
	cancel  context.CancelFunc
	ctx     context.Context
	started time.Time
	status  api.Bake
}

// Start embeds a NATS server that keeps its queue in a folder, listens on no
// port, and starts the worker.
func Start(dir string, st *store.Store, sd *studio.Studio, log *slog.Logger) (*Baker, error) {
	ns, err := server.NewServer(&server.Options{
		ServerName: "grotta", DontListen: true, JetStream: true, StoreDir: filepath.Join(dir, "queue"),
		NoSigs: true, NoLog: true, JetStreamMaxMemory: 16 << 20, JetStreamMaxStore: 256 << 20,
	})
	if err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	ns.Start()
	if !ns.ReadyForConnections(10 * time.Second) {
		return nil, errors.New("queue: it did not start within 10 seconds")
	}
	b := &Baker{store: st, studio: sd, log: log, server: ns, done: make(chan struct{}), running: map[string]*run{}}
	if err := b.connect(); err != nil {
		ns.Shutdown()
		return nil, fmt.Errorf("queue: %w", err)
	}
	return b, nil
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
	s, err := b.js.CreateOrUpdateStream(ctx, jetstream.StreamConfig{
		Name: stream, Subjects: []string{subject}, Retention: jetstream.WorkQueuePolicy, Storage: jetstream.FileStorage,
		Duplicates: time.Minute,
	})
	if err != nil {
		return err
	}
	consumer, err := s.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{
		Durable: "baker", AckPolicy: jetstream.AckExplicitPolicy, AckWait: 30 * time.Second, MaxDeliver: 5, MaxAckPending: 64,
	})
	if err != nil {
		return err
	}
	if err := b.resume(ctx); err != nil {
		return err
	}
	go b.work(ctx, consumer)
	return nil
}

// resume puts what is missing of unfinished bakes on the queue again. A layer
// that is done twice is done once: it is found by its key.
func (b *Baker) resume(ctx context.Context) error {
	ids, err := b.store.UnfinishedBakes()
	if err != nil {
		return err
	}
	for _, id := range ids {
		job, err := b.store.BakeForWork(id)
		if err != nil {
			return err
		}
		b.log.Info("bake goes on after a restart", "bake", id)
		if err := b.enqueue(ctx, job, "again-"+time.Now().Format(time.RFC3339Nano)); err != nil {
			return err
		}
	}
	return nil
}

// Close stops the worker and the queue. A bake that runs is resumed at the next
// start.
func (b *Baker) Close() {
	b.stop()
	<-b.done
	b.conn.Close()
	b.server.Shutdown()
	b.server.WaitForShutdown()
}

// Submit starts a bake of a level's revision. Layers that are there already, or
// that nothing reached which changed, are not baked again; where all are, the bake
// is done at once.
func (b *Baker) Submit(ctx context.Context, a store.Asker, id string, revision int, doc *level.Level, q bake.Quality) (api.Bake, error) {
	p, err := b.studio.Prepare(ctx, id, revision, doc)
	if err != nil {
		return api.Bake{}, err
	}
	if err := b.studio.Carry(ctx, id, p, q); err != nil {
		return api.Bake{}, err
	}
	keys, all := map[string]string{}, []string{}
	for i := range p.Sources {
		key := p.Key(&p.Sources[i], q)
		keys[p.Sources[i].ID] = key
		all = append(all, key)
	}
	have, err := b.store.LayerBlobs(all)
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
	job, err := b.store.BakeForWork(status.ID)
	if err != nil {
		return api.Bake{}, err
	}
	if reused == len(keys) {
		return b.finish(ctx, job)
	}
	return status, b.enqueue(ctx, job, "first")
}

// together is how many sources a message names: they share their rays, and what is done
// of a message that is cut off is done again.
const together = 12

func (b *Baker) enqueue(ctx context.Context, job *store.Bake, try string) error {
	var keys []string
	for _, key := range job.Keys {
		keys = append(keys, key)
	}
	have, err := b.store.LayerBlobs(keys)
	if err != nil {
		return err
	}
	missing := slices.DeleteFunc(sourceOrder(job), func(id string) bool { return have[job.Keys[id]] != "" })
	if len(missing) == 0 {
		_, err := b.finish(ctx, job)
		return err
	}
	for _, ahead := range []bool{true, false} {
		if ahead && bake.Quality(job.Quality) == bake.Draft {
			continue
		}
		for group := range slices.Chunk(missing, together) {
			if err := b.publish(ctx, task{job.ID, group, ahead}, fmt.Sprintf("%s/%s/%t/%s", job.ID, group[0], ahead, try)); err != nil {
				return err
			}
		}
	}
	return nil
}

// Cancel ends a bake. Layers that are finished stay.
func (b *Baker) Cancel(id string) (api.Bake, error) {
	status, err := b.store.SetBakeState(id, "cancelled", "", "")
	if err != nil {
		return status, err
	}
	b.mu.Lock()
	if r := b.running[id]; r != nil {
		r.cancel()
		delete(b.running, id)
	}
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
	return stored
}
