// Package lists helps with lists so long that their room to grow counts.
package lists

import (
	"slices"
	"unsafe"
)

// Exact is a list without much room to grow: the same, or a copy.
func Exact[T any](list []T) []T {
	if cap(list)-len(list) > len(list)/16 {
		return slices.Clone(list)
	}
	return list
}

// MemoryBytes is what a list takes, with its room to grow.
func MemoryBytes[T any](list []T) int {
	var one T
	return cap(list) * int(unsafe.Sizeof(one))
}
