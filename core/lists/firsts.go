package lists

import (
	"hash/maphash"
	"math/bits"
)

// Firsts finds equals among things that are known by number, in 8 to 16 bytes each.
type Firsts[K comparable] struct {
	key  func(i int32) K
	seed maphash.Seed
	at   []int32 // by the hash of their keys, or after; one more than the number, 0 is none
}

// NewFirsts has room for so many.
func NewFirsts[K comparable](count int, key func(i int32) K) *Firsts[K] {
	return &Firsts[K]{key, maphash.MakeSeed(), make([]int32, 1<<bits.Len(uint(2*count)))}
}

// Of is the one with the same key that was asked about first; it may be this one.
func (f *Firsts[K]) Of(i int32) int32 {
	key := f.key(i)
	for slot := maphash.Comparable(f.seed, key); ; slot++ {
		at := &f.at[slot%uint64(len(f.at))]
		if *at == 0 {
			*at = i + 1
		}
		if first := *at - 1; first == i || f.key(first) == key {
			return first
		}
	}
}
