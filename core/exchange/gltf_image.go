package exchange

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image/png"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/ext/texturetransform"
	"github.com/qmuntal/gltf/modeler"
	"golang.org/x/image/webp"

	"grotta/core/level"
	"grotta/core/picture"
)

// image takes in the image of a texture once, and gives its id; "" where it cannot
// be had, which is said.
func (in *importer) image(t *gltf.TextureInfo, at string) string {
	source, ok := in.sourceOf(t.Index, at)
	if !ok {
		return ""
	}
	return in.imageOf(source, "the base colour's factor stands alone")
}

// sourceOf is the number of a texture's image: that of EXT_texture_webp, or its own. Where it has none, this is said.
func (in *importer) sourceOf(texture int, at string) (source int, ok bool) {
	if texture >= 0 && texture < len(in.doc.Textures) {
		t := in.doc.Textures[texture]
		var ext struct {
			Source *int `json:"source"`
		}
		if text := rawExtension(t.Extensions[webpTexture]); text != nil && json.Unmarshal(text, &ext) == nil && ext.Source != nil {
			return *ext.Source, true
		}
		if t.Source != nil {
			return *t.Source, true
		}
	}
	in.report.leave("%s: its texture has no image that can be read here", at)
	return 0, false
}

// imageOf takes in an image once, and gives its id; "" where it cannot be had, which is said with what comes of it.
func (in *importer) imageOf(index int, without string) string {
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
		in.report.leave("/images/%d: %v; %s", index, err, without)
		in.imageID[index] = ""
		return ""
	}
	extras := in.doc.Images[index].Extras
	image.ID, image.Name = in.idOf(extras, name, "image"), clip(name)
	if image.Name == image.ID {
		image.Name = ""
	}
	image.Credit, image.Licence = clip(marked(extras, "credit")), clip(marked(extras, "licence"))
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

// mean is the means of the image of a texture; nil where it cannot be had, which is said. The image is not kept.
func (in *importer) mean(index int, at string) *picture.Means {
	source, ok := in.sourceOf(index, at)
	if !ok {
		return nil
	}
	if known, ok := in.meanOf[source]; ok {
		return known
	}
	in.meanOf[source] = nil
	data, _, err := in.imageData(source)
	var width, height int
	if err == nil {
		width, height, err = picture.Size(data)
	}
	if err == nil {
		if in.meanPixels += width * height; in.meanPixels > level.MaxImagePixels {
			err = fmt.Errorf("brings the images that are read for their mean to more than %d pixels together", level.MaxImagePixels)
		}
	}
	var m picture.Means
	if err == nil {
		m, err = picture.Mean(data)
	}
	if err != nil {
		in.report.leave("/images/%d: %v", source, err)
		return nil
	}
	in.meanOf[source] = &m
	return &m
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
	case strings.HasPrefix(src.URI, "data:"):
		_, coded, isCoded := strings.Cut(src.URI, ";base64,")
		if !isCoded {
			return nil, "", fmt.Errorf("is given by an address of data that is not base64")
		}
		data, err = base64.StdEncoding.DecodeString(coded)
	default:
		var file string
		if file, err = unescape(src.URI); err == nil {
			data, err = in.files.find(file)
		}
	}
	if err == nil && bytes.HasPrefix(data, []byte("RIFF")) {
		data, err = pngOf(data, level.MaxImagePixels-in.pixels)
	}
	return data, src.Name, err
}

// pngOf is a WebP image of so many pixels at most as PNG, which a level keeps.
func pngOf(data []byte, most int) ([]byte, error) {
	head, err := webp.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("is no WebP image: %w", err)
	}
	if head.Width*head.Height > most {
		return nil, fmt.Errorf("is %d by %d pixels; there is room for %d in all", head.Width, head.Height, most)
	}
	image, err := webp.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("cannot be read: %w", err)
	}
	var out bytes.Buffer
	if err := png.Encode(&out, image); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
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
		in.report.leave("%s: has an image and no %s; the image lies by metres", at, name)
		return nil
	}
	at += "/attributes/" + name
	acr, err := in.accessor(index, at)
	if err != nil {
		return err
	}
	uvs, err := in.vectors(acr, 2)
	if err != nil {
		return fault(at, "cannot be read: %v", err)
	}
	if 3*len(uvs) != len(m.Positions) {
		return fault(at, "has %d entries for %d vertices", len(uvs), len(m.Positions)/3)
	}
	move := uvTransform(in.doc.Materials[*p.Material].PBRMetallicRoughness.BaseColorTexture)
	for _, uv := range uvs {
		u, v := move(uv[0], uv[1])
		m.UVs = append(m.UVs, u, v)
	}
	return nil
}

// uvTransform is what KHR_texture_transform does to places in an image.
func uvTransform(t *gltf.TextureInfo) func(u, v float64) (float64, float64) {
	ext, ok := t.Extensions[texturetransform.ExtensionName].(*texturetransform.TextureTranform)
	if !ok {
		return func(u, v float64) (float64, float64) { return u, v }
	}
	sin, cos := math.Sincos(ext.Rotation)
	scale := ext.ScaleOrDefault()
	return func(u, v float64) (float64, float64) {
		u, v = u*scale[0], v*scale[1]
		return cos*u + sin*v + ext.Offset[0], -sin*u + cos*v + ext.Offset[1]
	}
}

// checkNeighbours tells of a buffer that is named and did not come, before anything is read.
func (f *Files) checkNeighbours() error {
	var head struct {
		Buffers []struct {
			URI string `json:"uri"`
		} `json:"buffers"`
	}
	if json.Unmarshal(gltfText(f.Data), &head) != nil {
		return nil // what is wrong with it is said where it is read
	}
	for i, b := range head.Buffers {
		if b.URI == "" || strings.HasPrefix(b.URI, "data:") {
			continue
		}
		path := fmt.Sprintf("/buffers/%d/uri", i)
		name, err := unescape(b.URI)
		if err != nil {
			return fault(path, "is %q, which is no file name", level.Visible(b.URI))
		}
		if _, err := f.find(name); err != nil {
			return fault(path, "%v", err)
		}
	}
	return nil
}

// unescape reads the percent signs of a relative address (RFC 3986).
func unescape(uri string) (string, error) {
	var b strings.Builder
	for i := 0; i < len(uri); i++ {
		if uri[i] != '%' {
			b.WriteByte(uri[i])
			continue
		}
		if i+2 >= len(uri) {
			return "", strconv.ErrSyntax
		}
		v, err := strconv.ParseUint(uri[i+1:i+3], 16, 8)
		if err != nil {
			return "", err
		}
		b.WriteByte(byte(v))
		i += 2
	}
	return b.String(), nil
}

// gltfNeighbours are the files that a .gltf names: buffers and images.
func gltfNeighbours(data []byte) (names []string) {
	if checkContainer(data) != nil {
		return nil
	}
	type named struct {
		URI string `json:"uri"`
	}
	var head struct {
		Buffers []named `json:"buffers"`
		Images  []named `json:"images"`
	}
	if json.Unmarshal(gltfText(data), &head) != nil {
		return nil
	}
	for _, n := range append(head.Buffers, head.Images...) {
		if name, err := unescape(n.URI); err == nil && name != "" && !strings.HasPrefix(name, "data:") {
			names = append(names, name)
		}
	}
	return names
}
