package radiosity

import "math/bits"

// patchSet is a set of patches, a bit for each; nil has none.
type patchSet []uint64

func (l *Links) newPatchSet() patchSet { return make(patchSet, (l.Patches()+63)/64) }

func (s patchSet) has(patch uint32) bool { return s != nil && s[patch/64]>>(patch%64)&1 != 0 }

func (s patchSet) add(patch uint32) { s[patch/64] |= 1 << (patch % 64) }

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
