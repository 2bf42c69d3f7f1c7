package exchange

import (
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
)

// vertex is what a corner of a triangle is in glTF.
type vertex struct {
	position, normal [3]float32
	uv, page         [2]float32 // in its image, and on its page of the lightmap
}

// vertices are the corners of a primitive, each once.
type vertices struct {
	list    []vertex
	index   map[vertex]uint32
	indices []uint32
}

func (v *vertices) add(at vertex) {
	i, known := v.index[at]
	if !known {
		if v.index == nil {
			v.index = map[vertex]uint32{}
		}
		i = uint32(len(v.list))
		v.list, v.index[at] = append(v.list, at), i
	}
	v.indices = append(v.indices, i)
}

// primitive writes the triangles into a document.
func (v *vertices) primitive(doc *gltf.Document, uvs, pages bool) *gltf.Primitive {
	p := &gltf.Primitive{
		Attributes: gltf.PrimitiveAttributes{
			gltf.POSITION: modeler.WritePosition(doc, each(v.list, func(v *vertex) [3]float32 { return v.position })),
			gltf.NORMAL:   modeler.WriteNormal(doc, each(v.list, func(v *vertex) [3]float32 { return v.normal })),
		},
		Indices: gltf.Index(modeler.WriteIndices(doc, v.indices)),
	}
	if uvs || pages { // the second set needs a first
		p.Attributes[gltf.TEXCOORD_0] = modeler.WriteTextureCoord(doc, each(v.list, func(v *vertex) [2]float32 { return v.uv }))
	}
	if pages {
		p.Attributes[gltf.TEXCOORD_1] = modeler.WriteTextureCoord(doc, each(v.list, func(v *vertex) [2]float32 { return v.page }))
	}
	return p
}

func each[T any](list []vertex, of func(*vertex) T) []T {
	out := make([]T, len(list))
	for i := range list {
		out[i] = of(&list[i])
	}
	return out
}
