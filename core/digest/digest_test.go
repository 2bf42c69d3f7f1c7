package digest_test

import (
	"crypto/sha256"
	"encoding/hex"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/digest"
)

// The encoding is fixed: these bytes, written out by hand, are what a digest is of.
func TestEncodingIsAsDocumented(t *testing.T) {
	want := "01" + "0400000000000000" + hex.EncodeToString([]byte("lamp")) + // the kind
		"03" + "0200000000000000" + // its version
		"02" + "0100000000000000" + // true
		"04" + "000000000000f83f" + // 1.5
		"04" + "0000000000000000" + // -0
		"07" + "0000c03f00000000" + // 1.5 as float32
		"05" + "0300000000000000" + // a list of 3
		"01" + "0000000000000000" // no text
	bytes, err := hex.DecodeString(want)
	assert.NoError(t, err)
	sum := sha256.Sum256(bytes)
	got := digest.New("lamp", 2).Bool(true).Float(1.5, math.Copysign(0, -1)).Float32(1.5).List(3).Text("").Sum()
	assert.Equal(t, hex.EncodeToString(sum[:]), got.String())
	again := digest.New("other", 1).Text("left over")
	again.Sum()
	assert.Equal(t, got, again.Reset("lamp", 2).Bool(true).Float(1.5, 0).Float32(1.5).List(3).Text("").Sum())
}

// What is split otherwise is another digest, however long it is.
func TestBordersOfValuesCount(t *testing.T) {
	of := func(write func(w *digest.Writer)) digest.Sum {
		w := digest.New("x", 1)
		write(w)
		return w.Sum()
	}
	all := map[digest.Sum]string{}
	for name, write := range map[string]func(w *digest.Writer){
		"ab":        func(w *digest.Writer) { w.Text("ab") },
		"a b":       func(w *digest.Writer) { w.Text("a").Text("b") },
		"1":         func(w *digest.Writer) { w.Int(1) },
		"1.0":       func(w *digest.Writer) { w.Float(1) },
		"float32 1": func(w *digest.Writer) { w.Float32(1) },
		"true":      func(w *digest.Writer) { w.Bool(true) },
		"list":      func(w *digest.Writer) { w.List(1) },
		"many": func(w *digest.Writer) {
			for range 5000 {
				w.Int(7)
			}
		},
		"one fewer": func(w *digest.Writer) {
			for range 4999 {
				w.Int(7)
			}
		},
		"a sum": func(w *digest.Writer) { w.Sum256(digest.Bytes(nil)) },
	} {
		sum := of(write)
		assert.Empty(t, all[sum], "%s is the same as %s", name, all[sum])
		all[sum] = name
	}
}
