package jobs

import (
	"context"
	"maps"
	"slices"
	"time"

	"github.com/nats-io/nats.go/jetstream"

	"grotta/core/bake"
)

// Kinds of tasks, each done where there is none of the one before: those of bakes that were moved up, those that somebody
// waits for, and the rest.
const (
	kindFirst = "first"
	kindNow   = "now"
	kindLater = "later"
)

var kinds = []string{kindFirst, kindNow, kindLater}

func (t *task) kind() string {
	if t.First {
		return kindFirst
	}
	if t.Ahead || bake.Quality(t.Quality) == bake.Draft {
		return kindNow
	}
	return kindLater
}

// subject is where tasks of a kind and a person lie on the queue.
func (t *task) subject() string { return subject + "." + t.kind() + "." + t.By }

// line says whose task is next: within a kind people take turns, so that nobody's hundred bakes hold up
// another's one.
type line struct {
	waiting   map[string]map[string]int // tasks on the queue, by kind and person
	last      map[string]string         // whose turn it was, by kind
	consumers map[string]jetstream.Consumer
	news      chan struct{} // gets a value when a task is put on the queue
}

func newLine() line {
	return line{
		waiting: map[string]map[string]int{kindFirst: {}, kindNow: {}, kindLater: {}}, last: map[string]string{},
		consumers: map[string]jetstream.Consumer{}, news: make(chan struct{}, 1),
	}
}

// joins and leaves note a task; the baker's lock is held.
func (l *line) joins(t *task) {
	l.waiting[t.kind()][t.By]++
	select {
	case l.news <- struct{}{}:
	default:
	}
}

func (l *line) leaves(t *task) {
	of := l.waiting[t.kind()]
	if of[t.By]--; of[t.By] <= 0 {
		delete(of, t.By)
	}
}

// turns are the people who have tasks of a kind, the next one first; the baker's lock is held.
func (l *line) turns(kind string) []string {
	people := slices.Sorted(maps.Keys(l.waiting[kind]))
	at, found := slices.BinarySearch(people, l.last[kind])
	if found {
		at++
	}
	return append(people[at:], people[:at]...)
}

// next is the next task of the queue; nil where there is none for a while.
func (b *Baker) next(ctx context.Context) (jetstream.Msg, error) {
	some := false
	for _, kind := range kinds {
		b.mu.Lock()
		people := b.line.turns(kind)
		b.mu.Unlock()
		for _, by := range people {
			some = true
			msg, err := b.take(ctx, &task{First: kind == kindFirst, Ahead: kind == kindNow, By: by})
			if err != nil {
				return nil, err
			}
			if msg != nil {
				b.mu.Lock()
				b.line.last[kind] = by
				b.mu.Unlock()
				return msg, nil
			}
		}
	}
	pause := askAgain
	if some { // all of them are under way, or wait to be tried again
		pause = 100 * time.Millisecond
	}
	select {
	case <-ctx.Done():
	case <-b.line.news:
	case <-time.After(pause):
	}
	return nil, nil
}

// take is the first task of a person and a kind; nil where there is none.
func (b *Baker) take(ctx context.Context, like *task) (jetstream.Msg, error) {
	subject := like.subject()
	consumer := b.line.consumers[subject] // only the goroutine of work uses them
	if consumer == nil {
		var err error
		consumer, err = b.stream.CreateOrUpdateConsumer(ctx, jetstream.ConsumerConfig{
			Durable: like.kind() + "-" + like.By, FilterSubject: subject,
			AckPolicy: jetstream.AckExplicitPolicy, AckWait: ackWait, MaxDeliver: -1, MaxAckPending: 256, MemoryStorage: true,
		})
		if err != nil {
			return nil, err
		}
		b.line.consumers[subject] = consumer
	}
	batch, err := consumer.FetchNoWait(1)
	if err != nil {
		return nil, err
	}
	for msg := range batch.Messages() {
		return msg, nil
	}
	return nil, nil // an error of the batch is that of the next call
}

// Queued is how many tasks of a person are on the queue or under way.
type Queued struct {
	By         string // id
	Now, Later int
}

// Queue lists who has tasks on the queue.
func (b *Baker) Queue() []Queued {
	b.mu.Lock()
	defer b.mu.Unlock()
	by := map[string]Queued{}
	for kind, people := range b.line.waiting {
		for id, n := range people {
			q := by[id]
			q.By = id
			if kind == kindLater {
				q.Later = n
			} else {
				q.Now += n
			}
			by[id] = q
		}
	}
	var all []Queued
	for _, id := range slices.Sorted(maps.Keys(by)) {
		all = append(all, by[id])
	}
	return all
}
