package radiosity

import (
	"math/bits"

	"grotta/core/lists"
)

// patchSet is a set of patches, a bit for each; nil has none.
type patchSet []uint64

func (l *Links) newPatchSet() patchSet { return make(patchSet, (l.Patches()+63)/64) }

func (s patchSet) has(patch uint32) bool { return s != nil && s[patch/64]>>(patch%64)&1 != 0 }

func (s patchSet) add(patch uint32) { s[patch/64] |= 1 << (patch % 64) }

// among adds those patches of some that are in the set to a list.
func (s patchSet) among(list, some []uint32) []uint32 {
	for _, patch := range some {
		if s.has(patch) {
			list = append(list, patch)
		}
	}
	return list
}

func (s patchSet) count() (n int) {
	for _, word := range s {
		n += bits.OnesCount64(word)
	}
	return n
}

// each calls visit for the patches, in order.
func (s patchSet) each(visit func(patch uint32)) {
	for i, word := range s {
		for ; word != 0; word &= word - 1 {
			visit(uint32(64*i + bits.TrailingZeros64(word)))
		}
	}
}

// listOf finds the part of a list that each patch has. Only patches that have one take room.
type listOf struct {
	has    patchSet
	before []uint32 // of each word of the set: how many patches of the set are before it
	starts []uint32 // of each patch of the set: where its part begins, and the end
}

// newListOf is for parts of these lengths, patch after patch.
func newListOf(lengths []uint32) listOf {
	words := (len(lengths) + 63) / 64
	o := listOf{make(patchSet, words), make([]uint32, words), []uint32{0}}
	for patch, n := range lengths {
		if patch%64 == 0 {
			o.before[patch/64] = uint32(len(o.starts) - 1)
		}
		if n > 0 {
			o.has.add(uint32(patch))
			o.starts = append(o.starts, o.starts[len(o.starts)-1]+n)
		}
	}
	o.starts = lists.Exact(o.starts)
	return o
}

// part is where a patch's part begins and ends.
func (o *listOf) part(patch uint32) (from, to uint32) {
	word, bit := o.has[patch/64], uint64(1)<<(patch%64)
	if word&bit == 0 {
		return 0, 0
	}
	at := o.before[patch/64] + uint32(bits.OnesCount64(word&(bit-1)))
	return o.starts[at], o.starts[at+1]
}
