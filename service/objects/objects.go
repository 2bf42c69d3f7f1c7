// Package objects keeps named bytes where several machines reach them.
package objects

import (
	"context"
	"errors"
	"time"
)

// Store keeps objects. Whoever puts an object of a name that is there replaces it; it appears once it is whole.
type Store interface {
	// Size is how many bytes an object has, or ErrNotFound.
	Size(ctx context.Context, name string) (int64, error)
	Put(ctx context.Context, name string, data []byte) error
	// Get is an object, or ErrNotFound.
	Get(ctx context.Context, name string) ([]byte, error)
	// Delete takes an object away; one that is not there is no error.
	Delete(ctx context.Context, name string) error
}

// Info is what a list tells of an object.
type Info struct {
	Name string
	Size int64     // bytes
	Time time.Time // when it was put
}

// Errors of stores that another try does not mend.
var (
	ErrNotFound = errors.New("no such object")
	ErrRefused  = errors.New("the store refuses this")
)
