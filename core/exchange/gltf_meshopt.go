package exchange

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/qmuntal/gltf"

	"grotta/core/exchange/meshopt"
	"grotta/core/level"
)

// Buffer views whose bytes are packed in another buffer, by one of two extensions of one shape.

var meshoptPacked = []string{"EXT_meshopt_compression", "KHR_meshopt_compression"}

// withoutFallbacks are files in which buffers that only stand for unpacked bytes are one byte long: no file brings
// them, and what they claim is not looked at. Other files come back as they are.
func (f *Files) withoutFallbacks() *Files {
	text := gltfText(f.Data)
	if !slices.ContainsFunc(meshoptPacked, func(name string) bool { return bytes.Contains(text, []byte(name)) }) {
		return f
	}
	var doc map[string]jsontext.Value
	var buffers []map[string]jsontext.Value
	if json.Unmarshal(text, &doc) != nil || json.Unmarshal(doc["buffers"], &buffers) != nil {
		return f // what is wrong with it is said where it is read
	}
	for _, b := range buffers {
		var ext map[string]struct {
			Fallback bool `json:"fallback"`
		}
		if json.Unmarshal(b["extensions"], &ext) == nil && slices.ContainsFunc(meshoptPacked, func(name string) bool { return ext[name].Fallback }) {
			b["uri"], b["byteLength"] = jsontext.Value(`"data:application/octet-stream;base64,AA=="`), jsontext.Value("1")
		}
	}
	list, err := json.Marshal(buffers)
	if err != nil {
		return f
	}
	doc["buffers"] = list
	own, err := json.Marshal(doc)
	if err != nil {
		return f
	}
	if bytes.HasPrefix(f.Data, []byte("glTF")) {
		own = append(own, bytes.Repeat([]byte(" "), (4-len(own)%4)%4)...)
		length := binary.LittleEndian.AppendUint32(nil, uint32(len(own)))
		own = slices.Concat(f.Data[:12], length, f.Data[16:20], own, f.Data[20+len(text):])
		binary.LittleEndian.PutUint32(own[8:], uint32(len(own)))
	}
	return &Files{f.Name, own, f.Beside}
}

// unpack gives each packed buffer view a buffer of its own with its bytes.
func (in *importer) unpack() error {
	room := maxArchiveBytes
	for i, v := range in.doc.BufferViews {
		name, text := packedBy(v)
		if text == nil {
			continue
		}
		path := fmt.Sprintf("/bufferViews/%d/extensions/%s", i, name)
		data, stride, err := in.unpacked(text)
		if err != nil {
			return fault(path, "%v", err)
		}
		if room -= len(data); room < 0 {
			return fault(path, "brings what is unpacked to more than %d bytes, which is the most", maxArchiveBytes)
		}
		v.Buffer, v.ByteOffset, v.ByteLength, v.ByteStride = len(in.doc.Buffers), 0, len(data), stride
		in.doc.Buffers = append(in.doc.Buffers, &gltf.Buffer{ByteLength: len(data), Data: data})
	}
	return nil
}

// packedBy is the extension that packs a buffer view, with its text; nil where none does.
func packedBy(v *gltf.BufferView) (name string, text []byte) {
	for _, name := range meshoptPacked {
		if text := rawExtension(v.Extensions[name]); text != nil {
			return name, text
		}
	}
	return "", nil
}

// unpacked is the bytes of a view, and its stride; 0 for indices.
func (in *importer) unpacked(text []byte) (data []byte, stride int, err error) {
	ext := struct {
		Buffer     int    `json:"buffer"`
		ByteOffset int    `json:"byteOffset"`
		ByteLength int    `json:"byteLength"`
		ByteStride int    `json:"byteStride"`
		Count      int    `json:"count"`
		Mode       string `json:"mode"`
		Filter     string `json:"filter"`
	}{}
	if err := json.Unmarshal(text, &ext); err != nil {
		return nil, 0, fmt.Errorf("is not understood: %w", level.ReadError(err))
	}
	if ext.Buffer < 0 || ext.Buffer >= len(in.doc.Buffers) {
		return nil, 0, fmt.Errorf("names buffer %d; the file has %d", ext.Buffer, len(in.doc.Buffers))
	}
	from := in.doc.Buffers[ext.Buffer].Data
	if ext.ByteOffset < 0 || ext.ByteLength < 0 || ext.ByteOffset > len(from) || ext.ByteLength > len(from)-ext.ByteOffset {
		return nil, 0, fmt.Errorf("goes from byte %d on for %d bytes; its buffer has %d", ext.ByteOffset, ext.ByteLength, len(from))
	}
	from = from[ext.ByteOffset : ext.ByteOffset+ext.ByteLength]
	switch ext.Mode {
	case "ATTRIBUTES":
		if data, err = meshopt.Attributes(from, ext.Count, ext.ByteStride); err != nil {
			return nil, 0, err
		}
		return data, ext.ByteStride, meshopt.Filter(ext.Filter, data, ext.ByteStride)
	case "TRIANGLES":
		data, err = meshopt.Triangles(from, ext.Count, ext.ByteStride)
	case "INDICES":
		data, err = meshopt.Indices(from, ext.Count, ext.ByteStride)
	default:
		err = fmt.Errorf("has the mode %q; there are ATTRIBUTES, TRIANGLES and INDICES", level.Visible(ext.Mode))
	}
	return data, 0, err
}
