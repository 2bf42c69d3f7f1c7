package parallel_test

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/parallel"
)

// A panic in one of the goroutines is one of the caller, who can recover from it.
func TestPanicsReachTheCaller(t *testing.T) {
	var got any
	func() {
		defer func() { got = recover() }()
		parallel.Steps(context.Background(), 1000, 1, func(i, _ int) {
			if i == 500 {
				panic("the five hundredth")
			}
		}, nil)
	}()
	assert.ErrorContains(t, got.(error), "the five hundredth")
}

// Guard gives panics as errors: those that are errors, those of another goroutine, and any other with its stack.
func TestGuard(t *testing.T) {
	assert.NoError(t, parallel.Guard(func() error { return nil }))
	lost := errors.New("lost")
	assert.Equal(t, lost, parallel.Guard(func() error { return lost }))
	assert.Equal(t, lost, parallel.Guard(func() error { panic(lost) }))
	for _, do := range []func() error{
		func() error { panic("the lamp fell over") },
		func() error { parallel.All(4, func(int) { panic("the lamp fell over") }); return nil },
	} {
		var p *parallel.Panic
		err := parallel.Guard(do)
		if assert.ErrorAs(t, err, &p) {
			assert.Equal(t, "the lamp fell over", p.Value)
			assert.NotEmpty(t, p.Stack)
		}
	}
}
