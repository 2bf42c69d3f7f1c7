package cluster

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"github.com/nats-io/nuid"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/service/trail"
)

// Caller is the service's side: it has layers baked by the workers of a cluster.
type Caller struct {
	*link
	stop context.CancelFunc
	done sync.WaitGroup

	mu        sync.Mutex
	waiting   map[string]*waiter
	workers   map[string]*heard
	documents []document // the last ones sent
	changed   chan struct{}
	moved     int64 // bytes of layers that came
	came      int   // layers
}

// waiter is who waits for an order.
type waiter struct {
	result chan result
	report func(float64)
}

// heard is a worker by what it last said.
type heard struct {
	beat
	at time.Time
}

// document is a level that was sent, and its hash.
type document struct {
	level *level.Level
	hash  string
}

// documentsKept is how many levels' hashes are remembered.
const documentsKept = 16

// Call connects a service to its cluster. Orders of an earlier run are taken back: the database knows what is
// to be done.
func Call(ctx context.Context, o Options) (*Caller, error) {
	l, err := dial(ctx, o, "service")
	if err != nil {
		return nil, err
	}
	c := &Caller{link: l, waiting: map[string]*waiter{}, workers: map[string]*heard{}, changed: make(chan struct{}, 1)}
	ctx, c.stop = context.WithCancel(context.Background())
	if err := c.open(ctx); err != nil {
		c.Close()
		return nil, fmt.Errorf("the cluster at %s: %w", redacted(o.URL), err)
	}
	return c, nil
}

func (c *Caller) open(ctx context.Context) error {
	start, stop := context.WithTimeout(ctx, startingFor)
	defer stop()
	if err := again(start, func(call context.Context) error { return c.orders.Purge(call) }); err != nil {
		return fmt.Errorf("orders of an earlier run: %w", err)
	}
	var results jetstream.Consumer
	err := again(start, func(call context.Context) (err error) {
		results, err = c.results.CreateOrUpdateConsumer(call, jetstream.ConsumerConfig{
			Durable: "service", AckPolicy: jetstream.AckExplicitPolicy, AckWait: ackWait, MaxDeliver: -1, MaxAckPending: 1000,
		})
		return err
	})
	if err != nil {
		return fmt.Errorf("results: %w", err)
	}
	for subject, take := range map[string]nats.MsgHandler{
		c.Name + ".beat":       c.hear,
		c.Name + ".progress.*": c.progress,
		c.Name + ".wanted":     c.wanted,
	} {
		if _, err := c.conn.Subscribe(subject, take); err != nil {
			return err
		}
	}
	c.done.Go(func() { c.takeResults(ctx, results) })
	return nil
}

// Close ends it. Orders that are under way end with an error.
func (c *Caller) Close() {
	c.stop()
	c.done.Wait()
	c.conn.Close()
}

// Ready is nil while the cluster answers.
func (c *Caller) Ready() error {
	if !c.conn.IsConnected() {
		return errors.New("the cluster that bakes is not reached")
	}
	return nil
}

// Changed gets a value when a worker comes or goes.
func (c *Caller) Changed() <-chan struct{} { return c.changed }

// Slots is how many orders are worth having on the queue at once: two for each worker, so that none waits
// for its next one; and one where there is no worker, which then waits for the first.
func (c *Caller) Slots() int {
	return max(1, 2*len(c.able()))
}

// able are the workers that take orders of this service.
func (c *Caller) able() []*heard {
	c.mu.Lock()
	defer c.mu.Unlock()
	var able []*heard
	for _, w := range c.workers {
		if w.takes() && time.Since(w.at) < goneAfter {
			able = append(able, w)
		}
	}
	return able
}

func (b *beat) takes() bool { return b.Engine == bake.Engine && !b.Draining }

func (c *Caller) hear(m *nats.Msg) {
	var b beat
	if json.Unmarshal(m.Data, &b) != nil || b.ID == "" {
		return
	}
	c.mu.Lock()
	was := c.workers[b.ID]
	c.workers[b.ID] = &heard{b, time.Now()}
	for id, w := range c.workers {
		if time.Since(w.at) > 10*time.Minute {
			delete(c.workers, id)
		}
	}
	c.mu.Unlock()
	if was == nil || time.Since(was.at) > goneAfter || was.takes() != b.takes() {
		if b.Engine != bake.Engine {
			c.Log.Warn("a worker of another version gets no work", "worker", b.ID, "host", b.Host, "engine", b.Engine, "wanted", bake.Engine)
		}
		select {
		case c.changed <- struct{}{}:
		default:
		}
	}
}

func (c *Caller) progress(m *nats.Msg) {
	c.mu.Lock()
	w := c.waiting[m.Subject[len(c.Name)+len(".progress."):]]
	c.mu.Unlock()
	var share float64
	if w != nil && w.report != nil && json.Unmarshal(m.Data, &share) == nil && share >= 0 && share <= 1 {
		w.report(share)
	}
}

// wanted answers a worker that asks whether somebody still waits for an order.
func (c *Caller) wanted(m *nats.Msg) {
	c.mu.Lock()
	_, waits := c.waiting[string(m.Data)]
	c.mu.Unlock()
	answer := "no"
	if waits {
		answer = "yes"
	}
	_ = m.Respond([]byte(answer)) // it asks again, or bakes for nothing
}

// Bake has layers baked, as bake.Prepared.Bake does. It waits for a worker where there is none. An error is
// what a worker said of the order; where a worker dies, another gets it.
func (c *Caller) Bake(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error) {
	hash, err := c.send(ctx, p.Scene.Level)
	if err != nil {
		return nil, fmt.Errorf("the level was not sent to the workers: %w", err)
	}
	o := order{ID: nuid.Next(), Trail: trail.Of(ctx), Document: hash, Quality: string(q), Holders: c.holders(hash)}
	for _, s := range sources {
		o.Sources, o.Keys = append(o.Sources, s.ID), append(o.Keys, p.Key(s, q))
	}
	w := &waiter{make(chan result, 1), report}
	c.mu.Lock()
	c.waiting[o.ID] = w
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		delete(c.waiting, o.ID)
		c.mu.Unlock()
	}()
	data, err := json.Marshal(o)
	if err != nil {
		return nil, err
	}
	if err := c.insist(ctx, func(call context.Context) error {
		_, err := c.js.Publish(call, c.subjectOf(kindOf(q)), data, jetstream.WithMsgID(o.ID))
		return err
	}); err != nil {
		return nil, fmt.Errorf("the order was not put on the queue: %w", err)
	}
	select {
	case <-ctx.Done():
		_ = c.conn.Publish(c.Name+".cancel."+o.ID, nil) // else it is baked for nothing
		return nil, ctx.Err()
	case r := <-w.result:
		if r.Error != "" {
			c.forget(p.Scene.Level) // it is sent again with the next try, in case that it is no longer there
			return nil, fmt.Errorf("worker %s: %s", r.Worker, r.Error)
		}
		return c.fetch(ctx, &o, &r)
	}
}

// holders are the workers that have a document ready.
func (c *Caller) holders(hash string) []string {
	holders := []string{}
	for _, w := range c.able() {
		if slices.Contains(w.Documents, hash) {
			holders = append(holders, w.ID)
		}
	}
	return holders
}

// send puts a level into the object store, unless it was there a while ago.
func (c *Caller) send(ctx context.Context, l *level.Level) (string, error) {
	c.mu.Lock()
	i := slices.IndexFunc(c.documents, func(d document) bool { return d.level == l })
	if i >= 0 {
		hash := c.documents[i].hash
		c.mu.Unlock()
		return hash, nil
	}
	c.mu.Unlock()
	data, err := level.Encode(l)
	if err != nil {
		return "", err
	}
	hash, err := c.put(ctx, "", data)
	if err != nil {
		return "", err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.documents = append(c.documents, document{l, hash}); len(c.documents) > documentsKept {
		c.documents = slices.Delete(c.documents, 0, 1)
	}
	return hash, nil
}

func (c *Caller) forget(l *level.Level) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.documents = slices.DeleteFunc(c.documents, func(d document) bool { return d.level == l })
}

// fetch reads the layers of a result, checks them, and takes them out of the object store.
func (c *Caller) fetch(ctx context.Context, o *order, r *result) ([]*layer.Layer, error) {
	if len(r.Layers) != len(o.Keys) {
		return nil, fmt.Errorf("worker %s sent %d layers of %d", r.Worker, len(r.Layers), len(o.Keys))
	}
	layers := make([]*layer.Layer, len(o.Keys))
	for i, sent := range r.Layers {
		if sent.Key != o.Keys[i] {
			return nil, fmt.Errorf("worker %s sent another layer than that of %s", r.Worker, o.Sources[i])
		}
		data, err := c.get(ctx, r.Order, sent.Blob)
		if err == nil {
			layers[i], err = layer.Decode(sent.Key, data)
		}
		if err == nil {
			layers[i].Encoded = data // it is stored as it came
		}
		if err != nil {
			c.drop(ctx, r.Order+sent.Blob) // what is damaged is sent again
			return nil, fmt.Errorf("the layer of %s from worker %s: %w", o.Sources[i], r.Worker, err)
		}
		c.mu.Lock()
		c.moved, c.came = c.moved+int64(len(data)), c.came+1
		c.mu.Unlock()
	}
	for _, sent := range r.Layers {
		c.drop(ctx, r.Order+sent.Blob)
	}
	return layers, nil
}

// drop takes a blob out of the object store. What stays is gone after some days.
func (c *Caller) drop(ctx context.Context, name string) {
	call, stop := context.WithTimeout(ctx, callTimeout)
	defer stop()
	if err := c.blobs.Delete(call, name); err != nil {
		c.Log.Warn("a layer stays in the object store", "blob", name, "error", err)
	}
}

// takeResults hands results to whom they are for. Those that nobody waits for any more are dropped.
func (c *Caller) takeResults(ctx context.Context, results jetstream.Consumer) {
	for ctx.Err() == nil {
		msgs, err := results.Fetch(16, jetstream.FetchMaxWait(2*time.Second))
		if err != nil {
			wait(ctx, time.Second)
			continue
		}
		for msg := range msgs.Messages() {
			var r result
			if err := json.Unmarshal(msg.Data(), &r); err != nil {
				c.Log.Error("a message that is no result", "error", err)
				_ = msg.Term()
				continue
			}
			c.mu.Lock()
			w := c.waiting[r.Order]
			delete(c.waiting, r.Order) // a second one, of a worker that was thought dead, is not needed
			c.mu.Unlock()
			if w != nil {
				w.result <- r
			} else {
				for _, sent := range r.Layers {
					c.drop(ctx, r.Order+sent.Blob)
				}
			}
			_ = msg.Ack() // it comes again otherwise, and nobody waits for it then
		}
	}
}

func wait(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// State is one worker as the service knows it.
type State struct {
	ID, Host  string
	Engine    int
	Threads   int
	Takes     bool // whether it gets orders
	Draining  bool
	Gone      bool // not heard of for a while
	Now       string
	Documents int // that it has ready
	Done      int // orders
	Failed    int
	Layers    int
	BusyS     float64
	Sent      int64 // bytes
	Seen      time.Time
}

// Workers are those that were heard of in the last ten minutes, by their names.
func (c *Caller) Workers() []State {
	c.mu.Lock()
	defer c.mu.Unlock()
	states := []State{}
	for _, w := range c.workers {
		gone := time.Since(w.at) > goneAfter
		states = append(states, State{
			ID: w.ID, Host: w.Host, Engine: w.Engine, Threads: w.Threads, Takes: w.takes() && !gone, Draining: w.Draining, Gone: gone, Now: w.Now, Documents: len(w.Documents),
			Done: w.Done, Failed: w.Failed, Layers: w.Layers, BusyS: math.Round(w.Busy*10) / 10, Sent: w.Sent, Seen: w.at,
		})
	}
	slices.SortFunc(states, func(a, b State) int {
		switch {
		case a.ID < b.ID:
			return -1
		case a.ID > b.ID:
			return 1
		}
		return 0
	})
	return states
}

// Moved is how many bytes of how many layers came from workers.
func (c *Caller) Moved() (bytes int64, layers int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.moved, c.came
}

// Drain has a worker end after what it works on. It tells whether there is such a worker.
func (c *Caller) Drain(id string) bool {
	c.mu.Lock()
	w := c.workers[id]
	c.mu.Unlock()
	return w != nil && time.Since(w.at) < goneAfter && c.conn.Publish(c.Name+".drain."+id, nil) == nil
}

// Alone tells whether there is no worker that takes orders.
func (c *Caller) Alone() bool { return len(c.able()) == 0 }
