// Package digest names values by their content. A Writer takes values one after
// the other in an explicit, versioned encoding and hashes them with SHA-256, so
// that a name depends on the values and not on how Go prints or names a struct.
//
// The encoding: every value starts with one byte for its type. Numbers follow as
// 64 bits, little-endian; float64 by its IEEE 754 bits, with -0 written as 0.
// Text, bytes and lists follow their length. Two different sequences of calls
// therefore never write the same bytes.
package digest

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash"
	"math"
)

// Sum is the digest of what was written.
type Sum [sha256.Size]byte

// String is the sum in hexadecimal, 64 digits.
func (s Sum) String() string { return hex.EncodeToString(s[:]) }

// Seed is the first 64 bits of the sum, for generators of random numbers.
func (s Sum) Seed() uint64 { return binary.BigEndian.Uint64(s[:]) }

// Type bytes of the encoding. They are part of every digest: never renumber them.
const (
	tagText    = 1
	tagBool    = 2
	tagInt     = 3
	tagFloat   = 4
	tagList    = 5
	tagSum     = 6
	tagFloat32 = 7
)

// Writer collects values. The zero value is ready after Reset.
type Writer struct {
	hash   hash.Hash
	buffer []byte
}

// flushAt is how many bytes are collected before they are hashed.
const flushAt = 4096

// New starts a digest of a kind of thing, such as "layer", in a version of that
// kind's own encoding. Raise the version when the same values must get another name.
func New(kind string, version int) *Writer {
	return new(Writer).Reset(kind, version)
}

// Reset starts another digest, as New does, with the memory of one that is done.
func (w *Writer) Reset(kind string, version int) *Writer {
	if w.hash == nil {
		w.hash, w.buffer = sha256.New(), make([]byte, 0, flushAt+64)
	}
	w.hash.Reset()
	w.buffer = w.buffer[:0]
	return w.Text(kind).Int(version)
}

// Sum is the digest of all that was written so far.
func (w *Writer) Sum() Sum {
	w.flush()
	var sum Sum
	w.hash.Sum(sum[:0])
	return sum
}

func (w *Writer) flush() {
	w.hash.Write(w.buffer)
	w.buffer = w.buffer[:0]
}

func (w *Writer) put(tag byte, bits uint64) *Writer {
	w.buffer = binary.LittleEndian.AppendUint64(append(w.buffer, tag), bits)
	if len(w.buffer) >= flushAt {
		w.flush()
	}
	return w
}

// Text writes a text.
func (w *Writer) Text(s string) *Writer {
	w.put(tagText, uint64(len(s)))
	for len(s) > 0 {
		n := min(len(s), flushAt)
		w.buffer = append(w.buffer, s[:n]...)
		w.flush()
		s = s[n:]
	}
	return w
}

// Bool writes a truth value.
func (w *Writer) Bool(b bool) *Writer {
	if b {
		return w.put(tagBool, 1)
	}
	return w.put(tagBool, 0)
}

// Int writes a whole number.
func (w *Writer) Int(n int) *Writer { return w.put(tagInt, uint64(n)) }

// Float writes numbers, each as a value of its own.
func (w *Writer) Float(numbers ...float64) *Writer {
	for _, x := range numbers {
		w.put(tagFloat, math.Float64bits(x+0)) // -0 + 0 is 0
	}
	return w
}

// Float32 writes numbers, each as a value of its own.
func (w *Writer) Float32(numbers ...float32) *Writer {
	for _, x := range numbers {
		w.put(tagFloat32, uint64(math.Float32bits(x+0)))
	}
	return w
}

// List announces a list of n values, which the caller writes next.
func (w *Writer) List(n int) *Writer { return w.put(tagList, uint64(n)) }

// Sum256 writes the digest of something else.
func (w *Writer) Sum256(s Sum) *Writer {
	w.put(tagSum, uint64(len(s)))
	w.buffer = append(w.buffer, s[:]...)
	return w
}

// Bytes is the digest of a block of data such as an image file.
func Bytes(data []byte) Sum { return Sum(sha256.Sum256(data)) }
