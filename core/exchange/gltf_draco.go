package exchange

import (
	"context"
	"encoding/binary"
	"fmt"
	"maps"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/exchange/draco"
	"grotta/core/level"
)

// KHR_draco_mesh_compression: primitives whose triangles and vertices are packed together in a buffer view.

const dracoPacked = "KHR_draco_mesh_compression"

var dracoNumbers = map[gltf.ComponentType]draco.Number{
	gltf.ComponentByte: draco.Int8, gltf.ComponentUbyte: draco.Uint8, gltf.ComponentShort: draco.Int16,
	gltf.ComponentUshort: draco.Uint16, gltf.ComponentUint: draco.Uint32, gltf.ComponentFloat: draco.Float32,
}

// unpackDraco gives the accessors of each packed primitive buffer views with what was packed. A primitive that has
// its values unpacked as well keeps these.
func (in *importer) unpackDraco() (err error) {
	var d *draco.Decoder
	ctx := context.Background()
	defer func() {
		if d != nil {
			d.Close()
		}
	}()
	// What is unpacked is bounded, and what is read for it: a file may name one packed mesh many times.
	room := dracoRoom{packed: in.files.size(), unpacked: maxArchiveBytes}
	for i, m := range in.doc.Meshes {
		for k, p := range m.Primitives {
			text := rawExtension(p.Extensions[dracoPacked])
			if text == nil || !in.lacksValues(p) {
				continue
			}
			path := fmt.Sprintf("/meshes/%d/primitives/%d/extensions/%s", i, k, dracoPacked)
			if d == nil {
				if d, err = draco.NewDecoder(ctx); err != nil {
					return err
				}
			}
			if err := in.unpackPrimitive(ctx, d, p, text, path, &room); err != nil {
				return err
			}
		}
	}
	return nil
}

// dracoRoom is how many bytes may still come, packed and unpacked.
type dracoRoom struct{ packed, unpacked int }

// lacksValues tells whether a primitive has accessors without values of their own.
func (in *importer) lacksValues(p *gltf.Primitive) bool {
	for _, index := range p.Attributes {
		if index >= 0 && index < len(in.doc.Accessors) && in.doc.Accessors[index].BufferView == nil {
			return true
		}
	}
	return p.Indices != nil && *p.Indices >= 0 && *p.Indices < len(in.doc.Accessors) && in.doc.Accessors[*p.Indices].BufferView == nil
}

func (in *importer) unpackPrimitive(ctx context.Context, d *draco.Decoder, p *gltf.Primitive, text []byte, path string, room *dracoRoom) error {
	ext := struct {
		BufferView int            `json:"bufferView"`
		Attributes map[string]int `json:"attributes"`
	}{BufferView: -1}
	if err := json.Unmarshal(text, &ext); err != nil {
		return fault(path, "is not understood: %v", level.ReadError(err))
	}
	if ext.BufferView < 0 || ext.BufferView >= len(in.doc.BufferViews) {
		return fault(path+"/bufferView", "is %d; the file has %d", ext.BufferView, len(in.doc.BufferViews))
	}
	view := in.doc.BufferViews[ext.BufferView]
	if err := in.checkView(view, fmt.Sprintf("/bufferViews/%d", ext.BufferView)); err != nil {
		return err
	}
	data, err := modeler.ReadBufferView(in.doc, view)
	if err != nil {
		return fault(path+"/bufferView", "cannot be read: %v", err)
	}
	if room.packed -= len(data); room.packed < 0 {
		return fault(path, "brings what is packed to more bytes than the file has (%d): packed meshes are named again and again", in.files.size())
	}
	var accessors []*gltf.Accessor
	var wanted []draco.Attribute
	for _, name := range slices.Sorted(maps.Keys(ext.Attributes)) {
		index, ok := p.Attributes[name]
		if !ok {
			continue // packed, and nobody asks for it
		}
		acr, err := in.accessor(index, path+"/attributes/"+name)
		if err != nil {
			return err
		}
		number, ok := dracoNumbers[acr.ComponentType]
		if !ok {
			return fault(fmt.Sprintf("/accessors/%d/componentType", index), "is a kind of number that is not packed")
		}
		accessors = append(accessors, acr)
		wanted = append(wanted, draco.Attribute{ID: ext.Attributes[name], Components: acr.Type.Components(), Number: number})
	}
	mesh, err := d.Decode(ctx, data, wanted, level.MaxTriangles, maxVertices)
	if err != nil {
		return fault(path, "cannot be unpacked: %v", err)
	}
	room.unpacked -= 4 * len(mesh.Indices)
	for _, values := range mesh.Values {
		room.unpacked -= len(values)
	}
	if room.unpacked < 0 {
		return fault(path, "brings what is unpacked to more than %d bytes, which is the most", maxArchiveBytes)
	}
	for i, acr := range accessors {
		in.fill(acr, mesh.Points, mesh.Values[i])
	}
	indices := &gltf.Accessor{Type: gltf.AccessorScalar}
	if p.Indices != nil {
		if indices, err = in.accessor(*p.Indices, path+"/indices"); err != nil {
			return err
		}
	} else {
		in.doc.Accessors = append(in.doc.Accessors, indices)
		p.Indices = gltf.Index(len(in.doc.Accessors) - 1)
	}
	indices.ComponentType = gltf.ComponentUint
	var bytes []byte
	for _, v := range mesh.Indices {
		bytes = binary.LittleEndian.AppendUint32(bytes, v)
	}
	in.fill(indices, len(mesh.Indices), bytes)
	p.Mode = gltf.PrimitiveTriangles // strips are unpacked to triangles
	return nil
}

// fill gives an accessor a buffer of its own with its values.
func (in *importer) fill(acr *gltf.Accessor, count int, values []byte) {
	in.doc.Buffers = append(in.doc.Buffers, &gltf.Buffer{ByteLength: len(values), Data: values})
	in.doc.BufferViews = append(in.doc.BufferViews, &gltf.BufferView{Buffer: len(in.doc.Buffers) - 1, ByteLength: len(values)})
	acr.BufferView, acr.ByteOffset, acr.Count = gltf.Index(len(in.doc.BufferViews)-1), 0, count
}
