package jobs

import (
	"context"
	"errors"
	"fmt"
	"github.com/go-json-experiment/json"
	"slices"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"grotta/api"
	"grotta/core/bake"
	"grotta/service/store"
)

func (b *Baker) publish(ctx context.Context, t task, once string) error {
	data, err := json.Marshal(t)
	if err != nil {
		return err
	}
	_, err = b.js.Publish(ctx, subject, data, jetstream.WithMsgID(once))
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

// askAnew is after how long the queue is asked again where nothing came.
const askAnew = 10 * time.Second

// work takes one task at a time: a layer uses every core by itself.
func (b *Baker) work(ctx context.Context, consumer jetstream.Consumer) {
	defer close(b.done)
	for ctx.Err() == nil {
		if err := b.workOnce(ctx, consumer); err != nil && ctx.Err() == nil {
			b.log.Error("the queue does not answer", "error", err)
			select {
			case <-time.After(time.Second):
			case <-ctx.Done():
			}
		}
	}
}

func (b *Baker) workOnce(ctx context.Context, consumer jetstream.Consumer) error {
	wait, stop := context.WithTimeout(ctx, askAnew)
	defer stop()
	msgs, err := consumer.Fetch(1, jetstream.FetchContext(wait))
	if err != nil {
		return err
	}
	for msg := range msgs.Messages() {
		b.handle(ctx, msg)
	}
	return nil
}

func (b *Baker) handle(ctx context.Context, msg jetstream.Msg) {
	var t task
	if err := json.Unmarshal(msg.Data(), &t); err != nil {
		b.log.Error("a message that is no task", "error", err)
		msg.Term()
		return
	}
	err := b.layers(ctx, t, func() { msg.InProgress() })
	switch {
	case err == nil || errors.Is(err, store.ErrOver) || errors.Is(err, store.ErrNotFound):
		msg.Ack() // done, or nobody wants it any more
	case ctx.Err() != nil:
		msg.Nak() // the service stops; it goes on at the next start
	default:
		b.log.Error("layers failed", "bake", t.Bake, "sources", t.Sources, "error", err)
		msg.Ack()
		if status, err := b.store.SetBakeState(t.Bake, "failed", "", err.Error()); err == nil {
			b.forget(t.Bake)
			b.tell(status)
		}
	}
}

// layers makes some layers of a bake, those that are still wanted and not there
// yet, and ends the bake with its last.
func (b *Baker) layers(ctx context.Context, t task, alive func()) error {
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
		return b.ahead(ctx, run, p, t, alive)
	}
	have, before, err := b.have(job)
	if err != nil {
		return err
	}
	quality := bake.Quality(job.Quality)
	wanted := wantedOf(p, t.Sources, func(s *bake.Source) bool { return have[p.Key(s, quality)] })
	if err := b.make(ctx, run, p, wanted, quality, b.reporter(job, run, wanted, before, alive)); err != nil {
		return err
	}
	if before+len(wanted) == len(job.Keys) {
		_, err = b.finish(ctx, job)
	}
	return err
}

// ahead makes draft layers of sources that have none of any quality.
func (b *Baker) ahead(ctx context.Context, run *run, p *bake.Prepared, t task, alive func()) error {
	m, err := b.studio.Lightmap(p, 0)
	if err != nil {
		return err
	}
	shown := map[string]bool{}
	for _, s := range m.Sources {
		shown[s.ID] = s.Layer != ""
	}
	wanted := wantedOf(p, t.Sources, func(s *bake.Source) bool { return shown[s.ID] })
	if len(wanted) == 0 {
		return nil
	}
	if err := b.make(ctx, run, p, wanted, bake.Draft, func(float64) { alive() }); err != nil {
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
func wantedOf(p *bake.Prepared, ids []string, there func(*bake.Source) bool) []*bake.Source {
	var wanted []*bake.Source
	for i := range p.Sources {
		if s := &p.Sources[i]; slices.Contains(ids, s.ID) && !there(s) {
			wanted = append(wanted, s)
		}
	}
	return wanted
}

// make bakes layers and stores them; store.ErrOver where the bake was cancelled.
func (b *Baker) make(ctx context.Context, run *run, p *bake.Prepared, wanted []*bake.Source, q bake.Quality, report func(float64)) error {
	if len(wanted) == 0 {
		return nil
	}
	layers, err := p.Bake(run.ctx, wanted, q, report)
	if err != nil {
		if ctx.Err() == nil && run.ctx.Err() != nil {
			return store.ErrOver
		}
		return err
	}
	for _, l := range layers {
		if err := b.studio.AddLayer(l); err != nil {
			return err
		}
	}
	return nil
}

func (b *Baker) have(job *store.Bake) (map[string]bool, int, error) {
	var keys []string
	for _, key := range job.Keys {
		keys = append(keys, key)
	}
	blobs, err := b.store.LayerBlobs(keys)
	if err != nil {
		return nil, 0, err
	}
	have, n := map[string]bool{}, 0
	for _, key := range keys {
		if blobs[key] != "" {
			have[key] = true
			n++
		}
	}
	return have, n, nil
}

func (b *Baker) begin(ctx context.Context, job *store.Bake) (*run, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if r := b.running[job.ID]; r != nil {
		return r, nil
	}
	status, err := b.store.SetBakeState(job.ID, "running", "", "")
	if err != nil {
		return nil, err
	}
	r := &run{started: time.Now(), status: status}
	r.ctx, r.cancel = context.WithCancel(ctx)
	b.running[job.ID] = r
	return r, nil
}

func (b *Baker) forget(id string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if r := b.running[id]; r != nil {
		r.cancel()
		delete(b.running, id)
	}
}

// reporter turns the share done of a message into the progress of the whole bake,
// tells it at most five times a second, and keeps the message ours meanwhile.
func (b *Baker) reporter(job *store.Bake, r *run, wanted []*bake.Source, before int, alive func()) func(float64) {
	if len(wanted) == 0 {
		return nil
	}
	var last time.Time
	now := wanted[0].Name
	if len(wanted) > 1 {
		now = fmt.Sprintf("%s and %d more", now, len(wanted)-1)
	}
	return func(done float64) {
		b.mu.Lock()
		at := time.Now()
		if at.Sub(last) < 200*time.Millisecond {
			b.mu.Unlock()
			return
		}
		last = at
		all, reused := float64(len(job.Keys)), float64(job.Reused)
		share := float64(before) + done*float64(len(wanted))
		r.status.Done, r.status.Now, r.status.State = share/all, now, "running"
		if fresh := share - reused; fresh > 0 {
			r.status.LeftS = at.Sub(r.started).Seconds() / fresh * (all - share)
		}
		status := r.status
		b.mu.Unlock()
		alive()
		b.tell(status)
	}
}

// finish mixes the layers, hashes the mix, and ends the bake.
func (b *Baker) finish(ctx context.Context, job *store.Bake) (api.Bake, error) {
	p, err := b.studio.Prepare(ctx, job.Bake.Level, job.Revision, job.Level)
	if err != nil {
		return api.Bake{}, err
	}
	layers := make([]*bake.Layer, len(p.Sources))
	for i := range p.Sources {
		if layers[i], err = b.studio.Layer(job.Keys[p.Sources[i].ID]); err != nil {
			return api.Bake{}, err
		}
	}
	hash := bake.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers).Hash()
	status, err := b.store.SetBakeState(job.ID, "done", hash, "")
	b.forget(job.ID)
	if err != nil {
		return status, err
	}
	b.log.Info("bake done", "bake", job.ID, "level", job.Bake.Level, "layers", status.Layers, "reused", status.Reused)
	b.tell(status)
	return status, nil
}
