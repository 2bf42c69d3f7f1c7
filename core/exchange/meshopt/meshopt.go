// Package meshopt decodes buffer views that EXT_meshopt_compression and KHR_meshopt_compression pack, as the
// extensions' bitstream appendices describe them. Nothing is allocated before the bytes that fill it are there.
package meshopt

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"
	"math/bits"
)

var errShort = errors.New("the packed data ends too early")

// Most bytes that a byte of packed data can become. In version 0 a group of 16 equal bytes takes two bits; in version
// 1 a block of up to 256 elements takes two bits for each byte of an element.
var mostRatio = [2]int{64, 1024}

const (
	groupSize  = 16
	blockBytes = 8192
	blockMost  = 256
)

// Attributes decodes the mode ATTRIBUTES, in version 0 (EXT_meshopt_compression) or 1 (KHR_meshopt_compression):
// count elements of stride bytes, which are coded as their difference from the element before.
func Attributes(data []byte, count, stride int) ([]byte, error) {
	if stride <= 0 || stride > 256 || stride%4 != 0 {
		return nil, fmt.Errorf("elements have %d bytes; 4 to 256 are allowed, by fours", stride)
	}
	if len(data) == 0 {
		return nil, errShort
	}
	version := int(data[0]) - 0xa0
	if version != 0 && version != 1 {
		return nil, fmt.Errorf("attributes begin with byte %#x; 0xa0 is version 0, 0xa1 version 1", data[0])
	}
	// The last bytes are the element before the first; version 1 has a byte for each four bytes of an element after it.
	kinds, tail := 0, max(stride, 32)
	if version == 1 {
		kinds = stride / 4
		tail = max(stride+kinds, 24)
	}
	if len(data) < 1+tail {
		return nil, errShort
	}
	if count < 0 || count > len(data)*mostRatio[version]/stride+groupSize {
		return nil, fmt.Errorf("%d elements of %d bytes cannot come from %d bytes", count, stride, len(data))
	}
	out := make([]byte, count*stride)
	last := data[len(data)-stride-kinds:][:stride] // of the element before
	d := attributes{rest: data[1 : len(data)-tail], version: version, kinds: data[len(data)-kinds:]}
	most := min(blockBytes/stride&^(groupSize-1), blockMost)
	for first := 0; first < count; first += most {
		n := min(most, count-first)
		block := out[first*stride : (first+n)*stride]
		if err := d.block(block, last, n, stride); err != nil {
			return nil, err
		}
		last = block[(n-1)*stride:]
	}
	if len(d.rest) != 0 {
		return nil, fmt.Errorf("%d bytes are left after the last element", len(d.rest))
	}
	return out, nil
}

// attributes is what is left of packed attributes, with the kind of difference of each four bytes; version 0 has one kind.
type attributes struct {
	rest    []byte
	version int
	kinds   []byte
	deltas  [4][blockMost]byte
}

// block decodes n elements.
func (d *attributes) block(block, last []byte, n, stride int) (err error) {
	var controls []byte
	if d.version == 1 {
		if len(d.rest) < stride/4 {
			return errShort
		}
		controls, d.rest = d.rest[:stride/4], d.rest[stride/4:]
	}
	for k := 0; k < stride; k += 4 {
		for j := range 4 {
			if d.version == 0 {
				err = d.take(j, n, [4]int{0, 2, 4, 8})
			} else {
				err = d.takeBy(controls[k/4]>>(2*j)&3, j, n)
			}
			if err != nil {
				return err
			}
		}
		kind := byte(0)
		if d.version == 1 {
			kind = d.kinds[k/4]
		}
		switch kind & 3 {
		case 0:
			for j := range 4 {
				v := last[k+j]
				for i := range n {
					v += unzigzag(d.deltas[j][i])
					block[i*stride+k+j] = v
				}
			}
		case 1:
			for j := 0; j < 4; j += 2 {
				v := binary.LittleEndian.Uint16(last[k+j:])
				for i := range n {
					delta := uint16(d.deltas[j][i]) | uint16(d.deltas[j+1][i])<<8
					v += -(delta & 1) ^ delta>>1
					binary.LittleEndian.PutUint16(block[i*stride+k+j:], v)
				}
			}
		case 2:
			v := binary.LittleEndian.Uint32(last[k:])
			for i := range n {
				delta := uint32(d.deltas[0][i]) | uint32(d.deltas[1][i])<<8 | uint32(d.deltas[2][i])<<16 | uint32(d.deltas[3][i])<<24
				v ^= bits.RotateLeft32(delta, -int(kind>>4))
				binary.LittleEndian.PutUint32(block[i*stride+k:], v)
			}
		default:
			return errors.New("the differences are of a kind that there is not")
		}
	}
	return nil
}

// takeBy decodes the j-th bytes of n elements as version 1 has them: by one of two sets of sizes, all 0, or whole.
func (d *attributes) takeBy(control byte, j, n int) error {
	switch control {
	case 0:
		return d.take(j, n, [4]int{0, 1, 2, 4})
	case 1:
		return d.take(j, n, [4]int{1, 2, 4, 8})
	case 2:
		clear(d.deltas[j][:n])
		return nil
	}
	if len(d.rest) < n {
		return errShort
	}
	copy(d.deltas[j][:n], d.rest)
	d.rest = d.rest[n:]
	return nil
}

func unzigzag(v byte) byte { return -(v & 1) ^ v>>1 }

// take decodes the j-th bytes of n elements, in groups of 16. Two bits of a header tell for each group how many bits
// its bytes have, of four sizes.
func (d *attributes) take(j, n int, sizes [4]int) (err error) {
	groups := (n + groupSize - 1) / groupSize
	header := (groups + 3) / 4
	if len(d.rest) < header {
		return errShort
	}
	head := d.rest[:header]
	d.rest = d.rest[header:]
	for g := range groups {
		group := d.deltas[j][g*groupSize : (g+1)*groupSize]
		switch size := sizes[head[g/4]>>(g%4*2)&3]; size {
		case 0:
			clear(group)
		case 8:
			if len(d.rest) < groupSize {
				return errShort
			}
			copy(group, d.rest)
			d.rest = d.rest[groupSize:]
		default:
			if d.rest, err = takeBits(d.rest, group, size); err != nil {
				return err
			}
		}
	}
	return nil
}

// takeBits decodes a group whose bytes have 1, 2 or 4 bits. Of 2 or 4, the highest bits of a byte come first; of 1,
// the lowest. A value that does not fit is all ones, and follows its group whole.
func takeBits(data, group []byte, size int) (rest []byte, err error) {
	packed := groupSize * size / 8
	if len(data) < packed {
		return nil, errShort
	}
	rest = data[packed:]
	whole := byte(1)<<size - 1
	for i := range group {
		at := i * size
		shift := 8 - size - at%8
		if size == 1 {
			shift = at % 8
		}
		v := data[at/8] >> shift & whole
		if v == whole {
			if len(rest) == 0 {
				return nil, errShort
			}
			v, rest = rest[0], rest[1:]
		}
		group[i] = v
	}
	return rest, nil
}

// Triangles decodes the mode TRIANGLES: count indices, three for each triangle, of size bytes. A
// triangle mostly shares an edge with one of the last sixteen.
func Triangles(data []byte, count, size int) ([]byte, error) {
	const tail = 16
	if count < 0 || count%3 != 0 {
		return nil, fmt.Errorf("%d indices are no whole triangles", count)
	}
	if len(data) < 1+count/3+tail {
		return nil, errShort
	}
	if data[0] != 0xe1 {
		return nil, fmt.Errorf("triangles begin with byte %#x; 0xe1 is version 1", data[0])
	}
	d := triangles{rest: data[1+count/3 : len(data)-tail], table: data[len(data)-tail:]}
	out, err := newIndices(count, size)
	if err != nil {
		return nil, err
	}
	for _, code := range data[1 : 1+count/3] {
		t, err := d.next(code)
		if err != nil {
			return nil, err
		}
		for _, v := range t {
			if err := out.put(v); err != nil {
				return nil, err
			}
		}
	}
	if len(d.rest) != 0 {
		return nil, fmt.Errorf("%d bytes are left after the last triangle", len(d.rest))
	}
	return out.data, nil
}

// triangles is the state of the decoder: the last sixteen edges and vertices, the next new
// vertex, and the last one that was given by its number.
type triangles struct {
	rest, table    []byte
	edges          [16][2]uint32
	vertices       [16]uint32
	edge, vertex   int
	fresh, written uint32
}

func (d *triangles) pushEdge(a, b uint32) { d.edges[d.edge&15] = [2]uint32{a, b}; d.edge++ }
func (d *triangles) pushVertex(v uint32)  { d.vertices[d.vertex&15] = v; d.vertex++ }

// take reads a vertex that is written as its difference from the last such one.
func (d *triangles) take() (uint32, error) {
	v, rest, err := varint(d.rest)
	if err != nil {
		return 0, err
	}
	d.rest = rest
	d.written += v>>1 ^ -(v & 1)
	return d.written, nil
}

func (d *triangles) next(code byte) (t [3]uint32, err error) {
	if code < 0xf0 {
		return d.onEdge(code)
	}
	var codes [3]byte
	if code < 0xfe {
		more := d.table[code&15]
		codes = [3]byte{0, more >> 4, more & 15}
	} else {
		if len(d.rest) == 0 {
			return t, errShort
		}
		more := d.rest[0]
		d.rest = d.rest[1:]
		if more == 0 {
			d.fresh = 0
		}
		codes = [3]byte{0, more >> 4, more & 15}
		if code == 0xff {
			codes[0] = 15
		}
	}
	// All new vertices come before those that are written out.
	for i, c := range codes {
		if c == 15 {
			continue
		}
		if c == 0 {
			t[i] = d.fresh
			d.fresh++
		} else {
			t[i] = d.vertices[(d.vertex-int(c))&15]
		}
	}
	for i, c := range codes {
		if c == 15 {
			if t[i], err = d.take(); err != nil {
				return t, err
			}
		}
	}
	for i, c := range codes {
		if c == 0 || c == 15 {
			d.pushVertex(t[i])
		}
	}
	d.pushEdge(t[1], t[0])
	d.pushEdge(t[2], t[1])
	d.pushEdge(t[0], t[2])
	return t, nil
}

// onEdge is a triangle on one of the last edges, with a third vertex.
func (d *triangles) onEdge(code byte) (t [3]uint32, err error) {
	e := d.edges[(d.edge-1-int(code>>4))&15]
	var c uint32
	switch third := code & 15; third {
	case 0:
		c = d.fresh
		d.fresh++
		d.pushVertex(c)
	case 13, 14: // one before or after the last that was written out
		d.written += uint32(int32(third)*2 - 27)
		c = d.written
		d.pushVertex(c)
	case 15:
		if c, err = d.take(); err != nil {
			return t, err
		}
		d.pushVertex(c)
	default:
		c = d.vertices[(d.vertex-1-int(third))&15]
	}
	d.pushEdge(c, e[1])
	d.pushEdge(e[0], c)
	return [3]uint32{e[0], e[1], c}, nil
}

// Indices decodes the mode INDICES: count indices of size bytes, each as its difference from one of two
// before.
func Indices(data []byte, count, size int) ([]byte, error) {
	const tail = 4
	if count < 0 || len(data) < 1+count+tail {
		return nil, errShort
	}
	if data[0] != 0xd1 {
		return nil, fmt.Errorf("indices begin with byte %#x; 0xd1 is version 1", data[0])
	}
	out, err := newIndices(count, size)
	if err != nil {
		return nil, err
	}
	rest := data[1 : len(data)-tail]
	var last [2]uint32
	for range count {
		var v uint32
		if v, rest, err = varint(rest); err != nil {
			return nil, err
		}
		which := v & 1
		v >>= 1
		last[which] += v>>1 ^ -(v & 1)
		if err := out.put(last[which]); err != nil {
			return nil, err
		}
	}
	if len(rest) != 0 {
		return nil, fmt.Errorf("%d bytes are left after the last index", len(rest))
	}
	return out.data, nil
}

// varint reads a number of seven bits a byte, the lowest first.
func varint(data []byte) (v uint32, rest []byte, err error) {
	for i := range 5 {
		if i == len(data) {
			return 0, nil, errShort
		}
		v |= uint32(data[i]&127) << (7 * i)
		if data[i] < 128 {
			return v, data[i+1:], nil
		}
	}
	return 0, nil, errors.New("an index has more than five bytes")
}

// indices are written as numbers of two or four bytes.
type indices struct {
	data []byte
	size int
	at   int
}

func newIndices(count, size int) (*indices, error) {
	if size != 2 && size != 4 {
		return nil, fmt.Errorf("indices have %d bytes; 2 or 4 are allowed", size)
	}
	return &indices{data: make([]byte, count*size), size: size}, nil
}

func (x *indices) put(v uint32) error {
	if x.size == 4 {
		binary.LittleEndian.PutUint32(x.data[x.at:], v)
	} else {
		if v > math.MaxUint16 {
			return fmt.Errorf("the index %d does not fit into two bytes", v)
		}
		binary.LittleEndian.PutUint16(x.data[x.at:], uint16(v))
	}
	x.at += x.size
	return nil
}
