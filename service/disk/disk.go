// Package disk tells whether there is room on the disk that holds a folder, and which
// errors mean that there is none.
package disk

import (
	"errors"
	"fmt"
	"syscall"
)

// ErrFull is a write that found no room.
var ErrFull = errors.New("the disk is full")

// LeastFree is how many bytes must be free for the service to take changes.
const LeastFree = 1 << 20

// Explain adds ErrFull to an error that means it, such as ENOSPC or a quota.
func Explain(err error) error {
	if err == nil || errors.Is(err, ErrFull) {
		return err
	}
	if errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return err
}

// HasRoom is nil while the disk of a folder has LeastFree bytes; else it is ErrFull.
func HasRoom(dir string) error {
	free, err := Free(dir)
	if err != nil {
		return err
	}
	if free < LeastFree {
		return fmt.Errorf("%w: %d bytes are free at %s, and %d are needed", ErrFull, free, dir, LeastFree)
	}
	return nil
}
