package exchange

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/qmuntal/gltf"

	"grotta/core/level"
)

// A glTF file states sizes long before the bytes: of buffers, of accessors, of sparse
// parts. This file holds them against the bytes that are there before anything is
// allocated for them.

// maxVertices bounds the vertices of all meshes, each counted as often as it is shown.
const maxVertices = 3 * level.MaxTriangles

// IsGLTF tells whether a file is glTF by what only glTF has: the first bytes of a binary
// one, or an "asset" at the top of a JSON one.
func IsGLTF(data []byte) bool {
	if bytes.HasPrefix(data, []byte("glTF")) {
		return true
	}
	d := jsontext.NewDecoder(bytes.NewReader(data))
	if token, err := d.ReadToken(); err != nil || token.Kind() != '{' {
		return false
	}
	for d.PeekKind() == '"' {
		name, err := d.ReadToken()
		if err != nil {
			return false
		}
		if name.String() == "asset" {
			return d.PeekKind() == '{'
		}
		if d.SkipValue() != nil {
			return false
		}
	}
	return false
}

// maxContainers bounds the objects and lists in the JSON of a file.
const maxContainers = 1_000_000

// notGLTF says so where the text is no JSON at all.
func notGLTF(err error) error {
	bad, ok := err.(*level.Invalid)
	if ok && strings.HasPrefix(bad.Faults[0].Message, "is not JSON") {
		return fault(bad.Faults[0].Path, "is not glTF, for it %s", bad.Faults[0].Message)
	}
	return err
}

// gltfText is the JSON of a glTF file: the whole file, or the first chunk of a binary one.
func gltfText(data []byte) []byte {
	if !bytes.HasPrefix(data, []byte("glTF")) {
		return data
	}
	length := binary.LittleEndian.Uint32(data[12:])
	return data[20 : 20+int(length)] // checkContainer has seen that it fits
}

// checkBuffers holds what buffers claim against the bytes of the file and of those beside it.
func checkBuffers(data []byte, all int) error {
	var head struct {
		Buffers []struct {
			Bytes float64 `json:"byteLength"`
		} `json:"buffers"`
	}
	text := gltfText(data)
	if err := level.CountContainers(text, maxContainers); err != nil {
		return notGLTF(err)
	}
	if err := json.Unmarshal(text, &head); err != nil {
		return notGLTF(level.ReadError(err))
	}
	for i, b := range head.Buffers {
		if b.Bytes < 0 || b.Bytes > float64(all) {
			return fault(fmt.Sprintf("/buffers/%d/byteLength", i), "is %.0f; the whole file has %d bytes", b.Bytes, all)
		}
	}
	return nil
}

// checkAccessors holds what accessors claim against their buffer views.
func (in *importer) checkAccessors() error {
	for i, v := range in.doc.BufferViews {
		if err := in.checkView(v, fmt.Sprintf("/bufferViews/%d", i)); err != nil {
			return err
		}
	}
	for i, a := range in.doc.Accessors {
		path := fmt.Sprintf("/accessors/%d", i)
		if a.Count < 0 || a.Count > maxVertices {
			return fault(path+"/count", "is %d; the most is %d", a.Count, maxVertices)
		}
		if a.BufferView == nil && a.Sparse == nil {
			return fault(path, "has no bufferView, so all of its values would be zero")
		}
		if a.BufferView != nil {
			if err := in.checkRange(path, *a.BufferView, a.ByteOffset, a.Count, a.ComponentType, a.Type); err != nil {
				return err
			}
		}
		if s := a.Sparse; s != nil {
			if s.Count < 0 || s.Count > a.Count {
				return fault(path+"/sparse/count", "is %d; the accessor has %d values", s.Count, a.Count)
			}
			if err := in.checkRange(path+"/sparse/indices", s.Indices.BufferView, s.Indices.ByteOffset, s.Count, s.Indices.ComponentType, gltf.AccessorScalar); err != nil {
				return err
			}
			if err := in.checkRange(path+"/sparse/values", s.Values.BufferView, s.Values.ByteOffset, s.Count, a.ComponentType, a.Type); err != nil {
				return err
			}
			if a.BufferView == nil && s.Count < a.Count/64 {
				return fault(path+"/sparse/count", "is %d of %d values, and the rest would be zero", s.Count, a.Count)
			}
		}
	}
	return nil
}

// checkView holds what a buffer view claims against its buffer.
func (in *importer) checkView(v *gltf.BufferView, path string) error {
	if v.Buffer < 0 || v.Buffer >= len(in.doc.Buffers) {
		return fault(path+"/buffer", "is %d; the file has %d buffers", v.Buffer, len(in.doc.Buffers))
	}
	have := len(in.doc.Buffers[v.Buffer].Data)
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > have || v.ByteLength > have-v.ByteOffset {
		return fault(path, "goes from byte %d on for %d bytes; its buffer has %d", v.ByteOffset, v.ByteLength, have)
	}
	if v.ByteStride < 0 || v.ByteStride > 252 {
		return fault(path+"/byteStride", "is %d; allowed is 4 to 252", v.ByteStride)
	}
	return nil
}

// checkRange tells whether so many values fit into a buffer view.
func (in *importer) checkRange(path string, view, offset, count int, component gltf.ComponentType, kind gltf.AccessorType) error {
	if view < 0 || view >= len(in.doc.BufferViews) {
		return fault(path+"/bufferView", "is %d; the file has %d", view, len(in.doc.BufferViews))
	}
	v, size := in.doc.BufferViews[view], component.ByteSize()*kind.Components()
	stride := size
	if v.ByteStride != 0 {
		stride = v.ByteStride
	}
	if offset < 0 || count > 0 && offset+(count-1)*stride+size > v.ByteLength {
		return fault(path, "needs %d values of %d bytes from byte %d on; its buffer view has %d bytes", count, size, offset, v.ByteLength)
	}
	return nil
}
