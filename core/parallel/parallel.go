// Package parallel does many like things on all cores. It knows nothing of what
// they are.
package parallel

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"sync/atomic"

	"golang.org/x/sync/errgroup"
)

// Panic is what a panic of one of the goroutines becomes in the caller's.
type Panic struct {
	Value any
	Stack []byte // of the goroutine that panicked
}

// Guard calls do and gives a panic of it as an error.
func Guard(do func() error) (err error) {
	defer func() {
		switch r := recover().(type) {
		case nil:
		case error:
			err = r
		default:
			err = &Panic{r, debug.Stack()}
		}
	}()
	return do()
}

func (p *Panic) Error() string { return fmt.Sprintf("panic: %v\n%s", p.Value, p.Stack) }

// Steps does n things in steps on all cores. It ends early with the context's
// error. report, if not nil, gets how many are done, from any goroutine. Where one of
// them panics, the others end after their step and Steps panics with a *Panic.
func Steps(ctx context.Context, n, step int, do func(from, to int), report func(done int)) error {
	var next, done atomic.Int64
	var first atomic.Pointer[Panic]
	group, ctx := errgroup.WithContext(ctx)
	for range min(runtime.GOMAXPROCS(0), (n+step-1)/step) {
		group.Go(func() (err error) {
			defer func() {
				if r := recover(); r != nil {
					p, ok := r.(*Panic) // of a Steps within
					if !ok {
						p = &Panic{r, debug.Stack()}
					}
					first.CompareAndSwap(nil, p)
					err = p
				}
			}()
			for {
				from := int(next.Add(int64(step))) - step
				if from >= n {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				to := min(from+step, n)
				do(from, to)
				runtime.Gosched() // whoever waits for a core, such as a request, goes first
				if d := done.Add(int64(to - from)); report != nil {
					report(int(d))
				}
			}
		})
	}
	err := group.Wait()
	if p := first.Load(); p != nil {
		panic(p)
	}
	return err
}

// Shares is Steps whose report gets the share that is done, from 0 to 1.
func Shares(ctx context.Context, n, step int, do func(from, to int), report func(share float64)) error {
	if report == nil {
		return Steps(ctx, n, step, do, nil)
	}
	return Steps(ctx, n, step, do, func(done int) { report(float64(done) / float64(n)) })
}

// Each does n things one by one on all cores, as Steps does.
func Each(ctx context.Context, n int, do func(i int), report func(done int)) error {
	return Steps(ctx, n, 1, func(i, _ int) { do(i) }, report)
}

// All does n things to the end.
func All(n int, do func(i int)) {
	_ = Each(context.Background(), n, do, nil) // that context does not end
}

// InTurn does n things, so many at once, and each may wait for its turn, which comes when all before it are done: what
// may go on at once comes before that, and what has an order after it. It ends early with the first error, the context's
// or that of one of them, which may be a *Panic.
func InTurn(ctx context.Context, n, atOnce int, do func(ctx context.Context, i int, turn func()) error) error {
	group, within := errgroup.WithContext(ctx)
	group.SetLimit(atOnce)
	before := make(chan struct{}) // closed when all before are done
	close(before)
	for i := range n {
		wait, done := before, make(chan struct{})
		before = done
		group.Go(func() error {
			defer close(done)
			err := Guard(func() error { return do(within, i, func() { <-wait }) })
			<-wait
			return err
		})
	}
	return group.Wait()
}
