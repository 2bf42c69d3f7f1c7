package parallel_test

import (
	"context"
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
