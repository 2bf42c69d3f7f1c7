// Package keyed has a lock for each of many names.
package keyed

import (
	"context"
	"sync"
)

// Locks are locks by name. The zero value is ready. A name takes memory only while
// somebody has its lock or waits for it.
type Locks struct {
	mu  sync.Mutex
	all map[string]*lock
}

type lock struct {
	free  chan struct{} // holds a token while nobody has the lock
	count int           // of those who have it or wait for it
}

// Lock takes the lock of a name, or gives up with the context's error.
func (k *Locks) Lock(ctx context.Context, name string) (unlock func(), err error) {
	k.mu.Lock()
	if k.all == nil {
		k.all = map[string]*lock{}
	}
	l := k.all[name]
	if l == nil {
		l = &lock{free: make(chan struct{}, 1)}
		l.free <- struct{}{}
		k.all[name] = l
	}
	l.count++
	k.mu.Unlock()
	leave := func() {
		k.mu.Lock()
		defer k.mu.Unlock()
		if l.count--; l.count == 0 {
			delete(k.all, name)
		}
	}
	select {
	case <-l.free:
		return func() { l.free <- struct{}{}; leave() }, nil
	case <-ctx.Done():
		leave()
		return nil, ctx.Err()
	}
}
