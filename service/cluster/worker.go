package cluster

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
	"go.opentelemetry.io/otel/attribute"
	"golang.org/x/sync/errgroup"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/source"
	"grotta/service/blob"
	"grotta/service/trail"
)

// Worker bakes what a service orders.
type Worker struct {
	*link
	id    string
	dir   string // of documents
	temp  bool   // dir is removed at the end
	cache *blob.Store

	drain     chan struct{} // closed when no new order is to be taken
	drainOnce sync.Once

	mu     sync.Mutex
	beat   beat
	ready  []prepared // the last ones used, the newest at the end
	orders map[string]context.CancelFunc
}

// prepared is a document laid out for light.
type prepared struct {
	document string
	level    *bake.Prepared
}

// Bounds of what a worker keeps.
const (
	preparedKept   = 4
	cacheMostBytes = 1 << 30
)

// mostDeliveries is how often an order may come before it is set aside. Once it may have been left to others; the
// workers that took it the other times ended without a word.
const mostDeliveries = 4

// politeFor is how long an order is left to workers that have its level ready.
const politeFor = 150 * time.Millisecond

// Work connects a worker to its cluster. id names it; dir is a folder for what it keeps of levels, "" for one
// that is removed at the end.
func Work(ctx context.Context, o Options, id, dir string) (*Worker, error) {
	if !names.MatchString(id) {
		return nil, fmt.Errorf("a worker's name %q: letters, digits, - and _ are allowed, at most 32", id)
	}
	l, err := dial(ctx, o, "worker "+id)
	if err != nil {
		return nil, err
	}
	temp := dir == ""
	if temp {
		if dir, err = os.MkdirTemp("", "grotta-worker-"); err != nil {
			l.conn.Close()
			return nil, err
		}
	}
	cache, err := blob.Open(dir)
	if err != nil {
		l.conn.Close()
		return nil, err
	}
	host, _ := os.Hostname() // it is only shown
	w := &Worker{link: l, id: id, dir: dir, temp: temp, cache: cache, drain: make(chan struct{}), orders: map[string]context.CancelFunc{}}
	w.beat = beat{ID: id, Host: host, Engine: bake.Engine, Threads: runtime.GOMAXPROCS(0), Documents: []string{}}
	return w, nil
}

// Drain takes no new order. Run ends when the one under way is done.
func (w *Worker) Drain() {
	w.drainOnce.Do(func() {
		w.mu.Lock()
		w.beat.Draining = true
		w.mu.Unlock()
		close(w.drain)
		w.tell()
	})
}

// Run takes orders until the context ends or the worker is drained. What is under way when the context ends is
// given back.
func (w *Worker) Run(ctx context.Context) error {
	defer w.close()
	for subject, take := range map[string]nats.MsgHandler{
		w.Name + ".cancel.*":      w.cancelled,
		w.Name + ".drain." + w.id: func(*nats.Msg) { w.Drain() },
	} {
		if _, err := w.conn.Subscribe(subject, take); err != nil {
			return err
		}
	}
	var now, later jetstream.Consumer
	start, stop := context.WithTimeout(ctx, startingFor)
	defer stop()
	if err := again(start, func(call context.Context) (err error) {
		if now, err = w.consumer(call, kindNow); err == nil {
			later, err = w.consumer(call, kindLater)
		}
		return err
	}); err != nil {
		return fmt.Errorf("the queue of orders: %w", err)
	}
	beating, end := context.WithCancel(ctx)
	var beats sync.WaitGroup
	beats.Go(func() { w.beatOn(beating) })
	defer beats.Wait()
	defer end()
	for ctx.Err() == nil {
		select {
		case <-w.drain:
			w.tell()
			return w.conn.FlushTimeout(time.Second)
		default:
		}
		msg, err := w.next(now, later)
		if err != nil {
			w.Log.Warn("the queue of orders does not answer", "error", err)
			wait(ctx, time.Second)
			continue
		}
		if msg != nil {
			w.handle(ctx, msg)
		}
	}
	return nil
}

func (w *Worker) close() {
	w.conn.Close()
	if w.temp {
		os.RemoveAll(w.dir)
	}
}

// next is an order for which somebody waits, or else one that can wait; nil where there is none for a while.
func (w *Worker) next(now, later jetstream.Consumer) (jetstream.Msg, error) {
	for _, ask := range []func() (jetstream.MessageBatch, error){
		func() (jetstream.MessageBatch, error) { return now.FetchNoWait(1) },
		func() (jetstream.MessageBatch, error) { return later.FetchNoWait(1) },
		func() (jetstream.MessageBatch, error) {
			return now.Fetch(1, jetstream.FetchMaxWait(250*time.Millisecond))
		},
	} {
		batch, err := ask()
		if err != nil {
			return nil, err
		}
		for msg := range batch.Messages() {
			return msg, nil
		}
		if err := batch.Error(); err != nil && !errors.Is(err, nats.ErrTimeout) && !errors.Is(err, jetstream.ErrNoMessages) {
			return nil, err
		}
	}
	return nil, nil
}

func (w *Worker) cancelled(m *nats.Msg) {
	w.mu.Lock()
	cancel := w.orders[m.Subject[strings.LastIndexByte(m.Subject, '.')+1:]]
	w.mu.Unlock()
	if cancel != nil {
		cancel()
	}
}

// handle works on an order until its result is stored, or gives it back.
func (w *Worker) handle(ctx context.Context, msg jetstream.Msg) {
	var o order
	meta, err := msg.Metadata()
	if err == nil {
		err = json.Unmarshal(msg.Data(), &o)
	}
	if err != nil || len(o.Sources) == 0 || len(o.Sources) != len(o.Keys) {
		w.Log.Error("a message that is no order", "error", err)
		_ = msg.Term()
		return
	}
	if meta.NumDelivered == 1 && len(o.Holders) > 0 && !slices.Contains(o.Holders, w.id) && !w.has(o.Document) {
		_ = msg.NakWithDelay(politeFor)
		return
	}
	if !w.isWanted(&o) {
		_ = msg.Ack()
		return
	}
	own, cancel := context.WithCancel(ctx)
	defer cancel()
	w.begin(&o, cancel)
	go func() {
		for own.Err() == nil {
			wait(own, aliveEvery)
			_ = msg.InProgress() // where it is not heard, another worker gets the order too
		}
	}()
	began := time.Now()
	r := result{Order: o.ID, Worker: w.id, Layers: []sentLayer{}}
	if meta.NumDelivered > mostDeliveries {
		err = fmt.Errorf("it came to workers %d times, and none of them answered; it is set aside", meta.NumDelivered-1)
	} else {
		doing, end := trail.Begin(trail.With(own, o.Trail), "bake an order", attribute.String("grotta.worker", w.id), attribute.String("grotta.quality", o.Quality), attribute.Int("grotta.layers", len(o.Sources)), attribute.Int64("grotta.delivery", int64(meta.NumDelivered)))
		err = parallel.Guard(func() error { return w.bake(doing, &o, &r) })
		end(err)
	}
	r.Took = time.Since(began).Seconds()
	w.end(&o, &r, err)
	switch {
	case ctx.Err() != nil:
		_ = msg.Nak() // this worker ends
		return
	case own.Err() != nil:
		_ = msg.Ack() // nobody wants it any more
		return
	case err != nil:
		o.Trail.Log(w.Log).Warn("an order failed", "order", o.ID, "sources", o.Sources, "error", err)
		r.Error, _, _ = strings.Cut(err.Error(), "\n") // a stack is for the log
		r.Layers = []sentLayer{}
	}
	if err == nil {
		o.Trail.Log(w.Log).Info("layers baked", "order", o.ID, "quality", o.Quality, "layers", len(r.Layers), "seconds", r.Took)
	}
	if w.answer(own, &r) == nil {
		_ = msg.Ack() // else it comes again, and its layers are there
	}
}

// isWanted asks the service whether somebody still waits for an order. Where it does not answer, it is.
func (w *Worker) isWanted(o *order) bool {
	answer, err := w.conn.Request(w.Name+".wanted", []byte(o.ID), time.Second)
	return err != nil || string(answer.Data) != "no"
}

// answer stores a result on its queue.
func (w *Worker) answer(ctx context.Context, r *result) error {
	data, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return w.insist(ctx, func(call context.Context) error {
		_, err := w.js.Publish(call, w.Name+".result."+r.Order, data)
		return err
	})
}

// bake makes the layers of an order and puts them into the object store.
func (w *Worker) bake(ctx context.Context, o *order, r *result) error {
	preparing, end := trail.Begin(ctx, "prepare a level")
	p, err := w.prepare(preparing, o.Document)
	end(err)
	if err != nil {
		return err
	}
	quality := bake.Quality(o.Quality)
	sources := make([]*source.Source, len(o.Sources))
	for i, id := range o.Sources {
		if sources[i] = p.Source(id); sources[i] == nil {
			return fmt.Errorf("the level that came has no source %q", id)
		}
		if key := p.Key(sources[i], quality); key != o.Keys[i] {
			return fmt.Errorf("the light of %s would be another one here than the service wants", id)
		}
	}
	var told time.Time
	var telling sync.Mutex
	baking, end := trail.Begin(ctx, "bake layers", attribute.String("grotta.quality", o.Quality), attribute.Int("grotta.layers", len(sources)))
	layers, err := p.Bake(baking, sources, quality, func(share float64) {
		telling.Lock()
		defer telling.Unlock()
		if time.Since(told) < 200*time.Millisecond {
			return
		}
		told = time.Now()
		if data, err := json.Marshal(share); err == nil {
			_ = w.conn.Publish(w.Name+".progress."+o.ID, data) // it only shows how far it is
		}
	})
	end(err)
	if err != nil {
		return err
	}
	ctx, end = trail.Begin(ctx, "send layers", attribute.Int("grotta.layers", len(layers)))
	sent := make([]sentLayer, len(layers))
	sending, ctx := errgroup.WithContext(ctx)
	sending.SetLimit(runtime.GOMAXPROCS(0))
	for i, l := range layers {
		sending.Go(func() error {
			data := l.Encode()
			hash, err := w.put(ctx, o.ID, data)
			if err != nil {
				return fmt.Errorf("a layer was not stored: %w", err)
			}
			sent[i] = sentLayer{l.Key, hash, len(data)}
			return nil
		})
	}
	err = sending.Wait()
	end(err)
	r.Layers = sent
	return err
}

func (w *Worker) has(document string) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	return slices.ContainsFunc(w.ready, func(p prepared) bool { return p.document == document })
}

// prepare is a document laid out for light: one of the last, or one from the folder or the object store.
func (w *Worker) prepare(ctx context.Context, document string) (*bake.Prepared, error) {
	w.mu.Lock()
	for i, p := range w.ready {
		if p.document == document {
			w.ready = append(slices.Delete(w.ready, i, i+1), p)
			w.mu.Unlock()
			return p.level, nil
		}
	}
	w.mu.Unlock()
	data, err := w.cache.Get(document)
	if err != nil { // not there, or damaged: then it is written again
		if data, err = w.get(ctx, "", document); err != nil {
			return nil, fmt.Errorf("the level did not come: %w", err)
		}
		if _, err := w.cache.Put(data); err != nil {
			w.Log.Warn("a level is not kept in the folder", "folder", w.dir, "error", err)
		}
		w.bound()
	}
	l, err := level.ParseStored(data)
	if err != nil {
		return nil, fmt.Errorf("the level that came cannot be read: %w", err)
	}
	p, err := bake.Prepare(l)
	if err != nil {
		return nil, err
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.ready = append(w.ready, prepared{document, p}); len(w.ready) > preparedKept {
		w.ready = slices.Delete(w.ready, 0, 1)
	}
	w.beat.Documents = []string{}
	for _, p := range w.ready {
		w.beat.Documents = append(w.beat.Documents, p.document)
	}
	return p, nil
}

// bound removes the oldest documents of the folder while there are too many.
func (w *Worker) bound() {
	type kept struct {
		path string
		at   time.Time
		size int64
	}
	var all []kept
	sum := int64(0)
	_ = filepath.WalkDir(w.dir, func(path string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return nil
		}
		if info, err := d.Info(); err == nil {
			all, sum = append(all, kept{path, info.ModTime(), info.Size()}), sum+info.Size()
		}
		return nil
	})
	slices.SortFunc(all, func(a, b kept) int { return a.at.Compare(b.at) })
	for _, k := range all {
		if sum <= cacheMostBytes {
			return
		}
		if os.Remove(k.path) == nil {
			sum -= k.size
		}
	}
}

func (w *Worker) begin(o *order, cancel context.CancelFunc) {
	w.mu.Lock()
	w.orders[o.ID] = cancel
	w.beat.Now = o.words()
	w.mu.Unlock()
	w.tell()
}

func (w *Worker) end(o *order, r *result, err error) {
	w.mu.Lock()
	defer w.mu.Unlock()
	delete(w.orders, o.ID)
	w.beat.Now, w.beat.Busy = "", w.beat.Busy+r.Took
	if err != nil {
		w.beat.Failed++
		return
	}
	w.beat.Done, w.beat.Layers = w.beat.Done+1, w.beat.Layers+len(r.Layers)
	for _, l := range r.Layers {
		w.beat.Sent += int64(l.Size)
	}
}

func (w *Worker) beatOn(ctx context.Context) {
	for ctx.Err() == nil {
		w.tell()
		wait(ctx, beatEvery)
	}
}

// tell says how the worker is.
func (w *Worker) tell() {
	w.mu.Lock()
	data, err := json.Marshal(w.beat)
	w.mu.Unlock()
	if err == nil {
		_ = w.conn.Publish(w.Name+".beat", data) // the next one comes soon
	}
}
