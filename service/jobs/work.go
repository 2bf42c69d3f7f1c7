package jobs

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/nats-io/nats.go/jetstream"
	"go.opentelemetry.io/otel/attribute"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/parallel"
	"grotta/core/source"
	"grotta/service/disk"
	"grotta/service/store"
	"grotta/service/studio"
	"grotta/service/trail"
)

func (b *Baker) publish(ctx context.Context, t task) error {
	data, err := json.Marshal(t)
	if err != nil {
		return err
	}
	if _, err = b.js.Publish(ctx, t.subject(), data); err == nil {
		b.mu.Lock()
		b.queued[t.Bake]++
		b.line.joins(&t)
		b.mu.Unlock()
	}
	return err
}

// sourceOrder is the order in which a bake's layers are made: as the level lists
// its lights, then the rest.
func sourceOrder(job *store.Bake) []string {
	var order []string
	for _, l := range job.Level.Lights {
		if _, ok := job.Keys[l.ID]; ok {
			order = append(order, l.ID)
		}
	}
	var rest []string
	for id := range job.Keys {
		if !slices.Contains(order, id) {
			rest = append(rest, id)
		}
	}
	slices.Sort(rest)
	return append(order, rest...)
}

// askAgain is the pause before the queue is asked again when it was empty.
const askAgain = 10 * time.Second

// work takes tasks, as many at a time as there are hands for: one where this process bakes, because a layer
// uses every core by itself.
func (b *Baker) work(ctx context.Context) {
	var under sync.WaitGroup
	defer under.Wait()
	done := make(chan struct{})
	for busy := 0; ctx.Err() == nil; {
		for slots, changed := b.slots(); busy >= slots && ctx.Err() == nil; slots, changed = b.slots() {
			select {
			case <-done:
				busy--
			case <-changed:
			case <-time.After(askAgain): // workers that are gone do not say so
			case <-ctx.Done():
			}
		}
		msg, err := b.next(ctx)
		if err != nil && ctx.Err() == nil {
			b.log.Error("the queue does not answer", "error", err)
			select {
			case <-time.After(time.Second):
			case <-ctx.Done():
			}
		}
		if msg == nil {
			select { // some may have ended meanwhile
			case <-done:
				busy--
			default:
			}
			continue
		}
		busy++
		under.Go(func() {
			b.handle(ctx, msg)
			select {
			case done <- struct{}{}:
			case <-ctx.Done():
			}
		})
	}
}

// slots is how many tasks are worked on at once, and what gets a value when that changes.
func (b *Baker) slots() (int, <-chan struct{}) {
	if b.remote == nil {
		return 1, nil
	}
	return b.remote.Slots(), b.remote.Changed()
}

// handle works on one message until it is done, or says when it is to come again.
func (b *Baker) handle(ctx context.Context, msg jetstream.Msg) {
	var t task
	if err := json.Unmarshal(msg.Data(), &t); err != nil {
		b.log.Error("a message that is no task", "error", err)
		msg.Term()
		return
	}
	working, stop := context.WithCancel(ctx)
	defer stop()
	go func() { // the task stays ours, also while it waits for a worker
		for working.Err() == nil {
			select {
			case <-working.Done():
			case <-time.After(ackWait / 3):
				msg.InProgress()
			}
		}
	}()
	doing, end := trail.Begin(trail.With(ctx, t.Trail), "task of a bake", attribute.String("grotta.bake", t.Bake), attribute.Int("grotta.sources", len(t.Sources)), attribute.Bool("grotta.ahead", t.Ahead))
	err := parallel.Guard(func() error { return b.layers(doing, t) })
	end(err)
	content := string(msg.Data())
	switch {
	case err == nil || errors.Is(err, store.ErrOver) || errors.Is(err, store.ErrNotFound):
		b.acknowledge(msg, t) // done, or nobody wants it any more
	case ctx.Err() != nil:
		msg.Nak() // the service stops; it goes on at the next start
	case errors.Is(err, disk.ErrFull):
		b.wait(t.Bake, err)
		msg.NakWithDelay(2 * time.Second)
	case b.tried(content) < mostTries:
		t.Trail.Log(b.log).Warn("layers are tried again", "sources", t.Sources, "error", err)
		msg.NakWithDelay(time.Second)
	default:
		b.acknowledge(msg, t)
		b.fail(t.Bake, err)
	}
}

// acknowledge takes a message off the queue.
func (b *Baker) acknowledge(msg jetstream.Msg, t task) {
	msg.Ack()
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.tries, string(msg.Data()))
	b.line.leaves(&t)
	if b.queued[t.Bake]--; b.queued[t.Bake] <= 0 {
		delete(b.queued, t.Bake)
	}
}

// tried counts the tries of a message.
func (b *Baker) tried(content string) int {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.tries[content]++
	return b.tries[content]
}

// layers makes some layers of a bake, those that are still wanted and not there
// yet, and ends the bake with its last.
func (b *Baker) layers(ctx context.Context, t task) error {
	state, err := b.store.BakeState(t.Bake)
	if err != nil {
		return err
	}
	if state != "queued" && state != "running" {
		return store.ErrOver
	}
	job, err := b.store.BakeForWork(t.Bake)
	if err != nil {
		return err
	}
	run, err := b.begin(ctx, job)
	if err != nil {
		return err
	}
	p, err := b.studio.Prepare(run.ctx, job.Bake.Level, job.Revision, job.Level)
	if err != nil {
		return err
	}
	if t.Ahead {
		return b.ahead(ctx, run, p, t)
	}
	have, err := b.store.LayerBlobs(slices.Collect(maps.Values(job.Keys)))
	if err != nil {
		return err
	}
	quality := bake.Quality(job.Quality)
	wanted := wantedOf(p, t.Sources, func(s *source.Source) bool { return have[p.Key(s, quality)] != "" })
	if err := b.make(ctx, run, p, wanted, quality, b.reporter(job, run, wanted, len(have))); err != nil {
		return err
	}
	// Others may have made the rest meanwhile.
	if have, err = b.store.LayerBlobs(slices.Collect(maps.Values(job.Keys))); err != nil || len(have) < countKeys(job) {
		return err
	}
	return b.finish(ctx, job)
}

// countKeys is how many layers a bake has; sources may share one.
func countKeys(job *store.Bake) int {
	keys := map[string]bool{}
	for _, key := range job.Keys {
		keys[key] = true
	}
	return len(keys)
}

// ahead makes draft layers of sources that have none of any quality.
func (b *Baker) ahead(ctx context.Context, run *run, p *bake.Prepared, t task) error {
	m, err := b.studio.Lightmap(p, 0)
	if err != nil {
		return err
	}
	shown := map[string]bool{}
	for _, s := range m.Sources {
		shown[s.ID] = s.Layer != ""
	}
	wanted := wantedOf(p, t.Sources, func(s *source.Source) bool { return shown[s.ID] })
	if len(wanted) == 0 {
		return nil
	}
	if err := b.make(ctx, run, p, wanted, bake.Draft, nil); err != nil {
		return err
	}
	b.mu.Lock()
	run.status.Now = "coarse light of " + wanted[0].Name
	status := run.status
	b.mu.Unlock()
	b.tell(status)
	return nil
}

// wantedOf is the sources with some ids that are not there yet.
func wantedOf(p *bake.Prepared, ids []string, there func(*source.Source) bool) []*source.Source {
	var wanted []*source.Source
	for i := range p.Sources {
		if s := &p.Sources[i]; slices.Contains(ids, s.ID) && !there(s) {
			wanted = append(wanted, s)
		}
	}
	return wanted
}

// make bakes layers and stores them; store.ErrOver where the bake was cancelled.
func (b *Baker) make(ctx context.Context, run *run, p *bake.Prepared, wanted []*source.Source, q bake.Quality, report func(float64)) error {
	if len(wanted) == 0 {
		return nil
	}
	began := time.Now()
	baking, end := trail.Begin(trail.With(run.ctx, trail.Of(ctx)), "bake layers", attribute.String("grotta.quality", string(q)), attribute.Int("grotta.layers", len(wanted)))
	layers, err := b.bake(baking, p, wanted, q, report)
	end(err)
	if err != nil {
		if ctx.Err() == nil && run.ctx.Err() != nil {
			return store.ErrOver
		}
		return err
	}
	if err := b.keep(ctx, layers); err != nil {
		return err
	}
	trail.Of(ctx).Log(b.log).Info("layers baked", "quality", string(q), "layers", len(layers), "seconds", time.Since(began).Seconds())
	return nil
}

// keep stores layers.
func (b *Baker) keep(ctx context.Context, layers []*layer.Layer) (err error) {
	_, end := trail.Begin(ctx, "store layers", attribute.Int("grotta.layers", len(layers)))
	defer func() { end(err) }()
	for _, l := range layers {
		if err := b.studio.AddLayer(l); err != nil {
			return err
		}
	}
	return nil
}

func (b *Baker) begin(ctx context.Context, job *store.Bake) (*run, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.waits, job.ID)
	if r := b.running[job.ID]; r != nil {
		return r, nil
	}
	status, err := b.store.SetBakeState(job.ID, "running", "", "")
	if err != nil {
		return nil, err
	}
	r := &run{started: time.Now(), status: status, before: -1, parts: map[string]float64{}}
	r.ctx, r.cancel = context.WithCancel(ctx)
	b.running[job.ID] = r
	return r, nil
}

func (b *Baker) forget(id string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.forgetLocked(id)
}

func (b *Baker) forgetLocked(id string) {
	delete(b.waits, id)
	if r := b.running[id]; r != nil {
		r.cancel()
		delete(b.running, id)
	}
}

// reporter turns the share done of a task into the progress of the whole bake, and tells it at most five
// times a second. have is how many layers there were before it.
func (b *Baker) reporter(job *store.Bake, r *run, wanted []*source.Source, have int) func(float64) {
	if len(wanted) == 0 {
		return nil
	}
	b.mu.Lock()
	if r.before < 0 {
		r.before = have
	}
	b.mu.Unlock()
	var last time.Time
	now := wanted[0].Name
	if len(wanted) > 1 {
		now = fmt.Sprintf("%s and %d more", now, len(wanted)-1)
	}
	return func(done float64) {
		b.mu.Lock()
		r.parts[wanted[0].ID] = done * float64(len(wanted))
		at := time.Now()
		if at.Sub(last) < 200*time.Millisecond {
			b.mu.Unlock()
			return
		}
		last = at
		all, share := float64(len(job.Keys)), float64(r.before)
		for _, part := range r.parts {
			share += part
		}
		r.status.Done, r.status.Now, r.status.State = min(share/all, 1), now, "running"
		if fresh := share - float64(job.Reused); fresh > 0 {
			r.status.LeftS = at.Sub(r.started).Seconds() / fresh * (all - share)
		}
		status := r.status
		b.mu.Unlock()
		b.tell(status)
	}
}

// finish mixes the layers, hashes the mix, and ends the bake. Where layers were lost on
// disk meanwhile, all that are missing are queued again instead.
func (b *Baker) finish(ctx context.Context, job *store.Bake) error {
	p, err := b.studio.Prepare(ctx, job.Bake.Level, job.Revision, job.Level)
	if err != nil {
		return err
	}
	layers, lost := make([]*layer.Layer, len(p.Sources)), false
	for i := range p.Sources {
		layers[i], err = b.studio.Layer(job.Keys[p.Sources[i].ID])
		switch {
		case errors.Is(err, studio.ErrLost) || errors.Is(err, store.ErrNotFound):
			lost = true // it is forgotten now; the rest is looked at too
		case err != nil:
			return err
		}
	}
	if lost {
		b.log.Warn("layers of a bake were lost on disk and are baked again", "bake", job.ID)
		if queued, err := b.queueMissing(ctx, job, false); err != nil || queued > 0 {
			return err
		}
		return errors.New("the bake does not name all of its layers")
	}
	hash := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers).Hash()
	status, err := b.store.SetBakeState(job.ID, "done", hash, "")
	if err != nil {
		return err
	}
	b.forget(job.ID)
	trail.Of(trail.With(ctx, trail.Trail{Bake: job.ID})).Log(b.log).Info("bake done", "level", job.Bake.Level, "layers", status.Layers, "reused", status.Reused)
	b.tell(status)
	return nil
}
