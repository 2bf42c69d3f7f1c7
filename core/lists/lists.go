// Package lists helps with lists so long that their room to grow counts.
package lists

import "slices"

// Exact is a list without much room to grow: the same, or a copy.
func Exact[T any](list []T) []T {
	if cap(list)-len(list) > len(list)/16 {
		return slices.Clone(list)
	}
	return list
}
