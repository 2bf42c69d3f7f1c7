package exchange

import (
	"fmt"
	"slices"

	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"

	"grotta/core/level"
	"grotta/core/picture"
)

// image takes in the image of a texture once, and gives its id; "" where it cannot
// be had, which is said.
func (in *importer) image(t *gltf.TextureInfo, at string) string {
	if t.Index < 0 || t.Index >= len(in.doc.Textures) || in.doc.Textures[t.Index].Source == nil {
		in.left = append(in.left, at+": its texture has no image that can be read here")
		return ""
	}
	if len(t.Extensions) > 0 {
		in.left = append(in.left, at+": its texture is moved or scaled by an extension, and is taken as it lies")
	}
	index := *in.doc.Textures[t.Index].Source
	if id, ok := in.imageID[index]; ok {
		return id
	}
	data, name, err := in.imageData(index)
	if err == nil && len(data) > level.MaxImageBytes {
		err = fmt.Errorf("has %d bytes; the most is %d", len(data), level.MaxImageBytes)
	}
	var image *level.Image
	if err == nil {
		image, err = in.takeImage(data)
	}
	if err != nil {
		in.left = append(in.left, fmt.Sprintf("/images/%d: %v; the base colour's factor stands alone", index, err))
		in.imageID[index] = ""
		return ""
	}
	image.ID, image.Name = in.ids.Fresh(firstOf(name, "image")), clip(name)
	in.level.Images = append(in.level.Images, image)
	in.imageID[index] = image.ID
	return image.ID
}

// takeImage decodes an image, if those of the level together leave room for it.
func (in *importer) takeImage(data []byte) (*level.Image, error) {
	width, height, err := picture.Size(data)
	if err != nil {
		return nil, err
	}
	if in.pixels += width * height; in.pixels > level.MaxImagePixels {
		in.pixels -= width * height
		return nil, fmt.Errorf("brings the level's images to more than %d pixels together", level.MaxImagePixels)
	}
	image := &level.Image{Data: data}
	return image, image.Decode()
}

func (in *importer) imageData(index int) (data []byte, name string, err error) {
	if index < 0 || index >= len(in.doc.Images) {
		return nil, "", fmt.Errorf("is not there; the file has %d images", len(in.doc.Images))
	}
	src := in.doc.Images[index]
	switch {
	case src.BufferView != nil:
		if *src.BufferView < 0 || *src.BufferView >= len(in.doc.BufferViews) {
			return nil, "", fmt.Errorf("names buffer view %d; the file has %d", *src.BufferView, len(in.doc.BufferViews))
		}
		data, err = modeler.ReadBufferView(in.doc, in.doc.BufferViews[*src.BufferView])
	case src.IsEmbeddedResource():
		data, err = src.MarshalData()
	default:
		err = fmt.Errorf("points outside the file")
	}
	return data, src.Name, err
}

func (in *importer) hasImage(material string) bool {
	return slices.ContainsFunc(in.level.Materials, func(m *level.Material) bool { return m.ID == material && m.Image != "" })
}

// uvs reads where the vertices of a mesh lie in its material's image.
func (in *importer) uvs(p *gltf.Primitive, at string, m *level.Mesh) error {
	if p.Material == nil || !in.hasImage(m.Surface.Material) {
		return nil
	}
	name := fmt.Sprintf("TEXCOORD_%d", in.doc.Materials[*p.Material].PBRMetallicRoughness.BaseColorTexture.TexCoord)
	index, ok := p.Attributes[name]
	if !ok {
		in.left = append(in.left, at+": has an image and no "+name+"; the image lies by metres")
		return nil
	}
	at += "/attributes/" + name
	acr, err := in.accessor(index, at)
	if err != nil {
		return err
	}
	uvs, err := modeler.ReadTextureCoord(in.doc, acr, nil)
	if err != nil {
		return fault(at, "cannot be read: %v", err)
	}
	if 3*len(uvs) != len(m.Positions) {
		return fault(at, "has %d entries for %d vertices", len(uvs), len(m.Positions)/3)
	}
	for _, uv := range uvs {
		m.UVs = append(m.UVs, float64(uv[0]), float64(uv[1]))
	}
	return nil
}
