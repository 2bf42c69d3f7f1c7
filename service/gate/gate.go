// Package gate lets a bounded number of expensive requests work at once, in turns among
// the people who ask.
package gate

import (
	"context"
	"errors"
	"sync"
	"time"
)

// Gate has a number of places to work. A request that finds no free place waits. Each
// person's requests wait in their own queue, and the queues are served in turns. Make a
// gate with New.
type Gate struct {
	places, perPerson, all int

	mu      sync.Mutex
	inside  int
	waiting int
	queues  map[string][]chan struct{} // by person; a channel is closed when its place is free
	turns   []string                   // people with a queue, the next one first
	took    time.Duration              // about what a request takes, for RetryAfter
}

// ErrBusy is the error of a request that would make the queue of its person, or all queues
// together, too long.
var ErrBusy = errors.New("so much is being worked on that this is not taken now")

// New makes a gate with a number of places. At most perPerson requests of one person wait,
// and at most all requests of everybody together.
func New(places, perPerson, all int) *Gate {
	return &Gate{places: places, perPerson: perPerson, all: all, queues: map[string][]chan struct{}{}, took: time.Second}
}

// Enter waits for a place. It ends with the context's error, or at once with ErrBusy.
// leave must be called once the work is done.
func (g *Gate) Enter(ctx context.Context, person string) (leave func(), err error) {
	g.mu.Lock()
	if g.inside < g.places && g.waiting == 0 {
		g.inside++
		g.mu.Unlock()
		return g.leaver(), nil
	}
	if len(g.queues[person]) >= g.perPerson || g.waiting >= g.all {
		g.mu.Unlock()
		return nil, ErrBusy
	}
	turn := make(chan struct{})
	if len(g.queues[person]) == 0 {
		g.turns = append(g.turns, person)
	}
	g.queues[person] = append(g.queues[person], turn)
	g.waiting++
	g.mu.Unlock()
	select {
	case <-turn:
		return g.leaver(), nil
	case <-ctx.Done():
		g.giveUp(person, turn)
		return nil, ctx.Err()
	}
}

// RetryAfter is about when a place will be free for one more request.
func (g *Gate) RetryAfter() time.Duration {
	g.mu.Lock()
	defer g.mu.Unlock()
	rounds := 1 + g.waiting/g.places
	return min(max(time.Duration(rounds)*g.took, time.Second), time.Minute)
}

func (g *Gate) leaver() func() {
	began := time.Now()
	return sync.OnceFunc(func() {
		g.mu.Lock()
		defer g.mu.Unlock()
		g.took += (time.Since(began) - g.took) / 8 // a running mean
		g.inside--
		g.next()
	})
}

// next gives free places to those who wait, one person after the other.
func (g *Gate) next() {
	for g.inside < g.places && len(g.turns) > 0 {
		person := g.turns[0]
		queue := g.queues[person]
		close(queue[0])
		g.inside++
		g.waiting--
		if g.turns = g.turns[1:]; len(queue) > 1 {
			g.queues[person] = queue[1:]
			g.turns = append(g.turns, person)
		} else {
			delete(g.queues, person)
		}
	}
}

// giveUp takes a request out of its queue, or hands on the place that it just got.
func (g *Gate) giveUp(person string, turn chan struct{}) {
	g.mu.Lock()
	defer g.mu.Unlock()
	queue := g.queues[person]
	for i, have := range queue {
		if have != turn {
			continue
		}
		g.waiting--
		queue = append(queue[:i:i], queue[i+1:]...)
		if g.queues[person] = queue; len(queue) == 0 {
			delete(g.queues, person)
			for k, name := range g.turns {
				if name == person {
					g.turns = append(g.turns[:k:k], g.turns[k+1:]...)
					break
				}
			}
		}
		return
	}
	g.inside--
	g.next()
}
