package exchange_test

import (
	"archive/zip"
	"bytes"
	"io"
	"math"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/qmuntal/gltf"
	"github.com/qmuntal/gltf/modeler"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/exchange"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/picture"
	"grotta/demo"
)

// Each corner of the exported model lies where the texels of its place are: the pages hold places in
// this test, in place of light.
func TestCornersLieOnTheirTexels(t *testing.T) {
	l := demo.Room()
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	size := p.Layout.PageSize
	image := layer.NewImage(size, p.Layout.Pages)
	set := make([]bool, len(image.Pix)/3)
	for _, texel := range p.Texels.List {
		copy(image.Pix[3*texel.Index:], texel.Origin[:])
		set[texel.Index] = true
	}
	var b bytes.Buffer
	own := layer.NewImage(size, p.Layout.Pages)
	baked := &exchange.Baked{Map: p.Map, Sources: p.Sources[:1], Image: image, Quality: "good", Layer: func(int) (*layer.Image, error) { return own, nil },
		Files: []exchange.File{{Name: "probes.json", What: "probes", Data: []byte("{}")}}}
	report, err := exchange.WriteBaked(t.Context(), &b, l, baked, exchange.Pages{As: "png", Encoding: picture.RGBM8, RangeLux: 2, Layers: true})
	require.NoError(t, err)
	assert.Contains(t, report.Notes[len(report.Notes)-1], "brighter than the range of 2 lx")
	archive, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	files := map[string][]byte{}
	for _, f := range archive.File {
		r, err := f.Open()
		require.NoError(t, err)
		files[f.Name], err = io.ReadAll(r)
		require.NoError(t, err)
	}
	var m exchange.Manifest
	require.NoError(t, json.Unmarshal(files["manifest.json"], &m))
	assert.Equal(t, 2.0, m.LuxPerUnit)
	assert.Equal(t, "good", m.Quality)
	assert.Len(t, m.Charts, len(p.Layout.Charts))
	for _, name := range append(append([]string{m.Model, m.Beside[0].File}, m.Pages...), m.Layers[0].Pages...) {
		assert.NotEmpty(t, files[name], name)
	}

	doc := new(gltf.Document)
	require.NoError(t, gltf.NewDecoder(bytes.NewReader(files["level.glb"])).Decode(doc))
	checked, all := 0, 0
	for _, n := range doc.Nodes {
		if n.Mesh == nil {
			continue
		}
		for _, prim := range doc.Meshes[*n.Mesh].Primitives {
			extras, _ := doc.Materials[*prim.Material].Extras.(map[string]any)
			grotta, _ := extras["grotta"].(map[string]any)
			page, ok := grotta["lightmap_page"].(float64)
			require.True(t, ok)
			positions, err := modeler.ReadPosition(doc, doc.Accessors[prim.Attributes[gltf.POSITION]], nil)
			require.NoError(t, err)
			places, err := modeler.ReadTextureCoord(doc, doc.Accessors[prim.Attributes[gltf.TEXCOORD_1]], nil)
			require.NoError(t, err)
			for i, uv := range places {
				require.True(t, uv[0] >= 0 && uv[0] <= 1 && uv[1] >= 0 && uv[1] <= 1)
				all++
				at := geom.Vec3(n.Translation).Add(geom.Vec3{float64(positions[i][0]), float64(positions[i][1]), float64(positions[i][2])})
				nearest := math.Inf(1)
				for dy := -1; dy <= 1; dy++ {
					for dx := -1; dx <= 1; dx++ {
						x, y := int(uv[0]*float32(size))+dx, int(uv[1]*float32(size))+dy
						k := (int(page)*size+y)*size + x
						if x < 0 || y < 0 || x >= size || y >= size || !set[k] {
							continue
						}
						texel := geom.Vec3{float64(image.Pix[3*k]), float64(image.Pix[3*k+1]), float64(image.Pix[3*k+2])}
						nearest = min(nearest, texel.Sub(at).Len())
					}
				}
				if !math.IsInf(nearest, 1) { // some corners are within other blocks, where no texel is
					checked++
					assert.Less(t, nearest, (1.5*math.Sqrt2+0.05)/l.Lightmap.Density, "%v: of the nine texels round it", at)
				}
			}
		}
	}
	assert.Greater(t, checked, all/4)
}

// An archive that would not fit into memory is refused before anything is made.
func TestTooManyTexelsAreRefused(t *testing.T) {
	large := &lightmap.Layout{PageSize: 4096, Pages: 8}
	_, err := exchange.WriteBaked(t.Context(), io.Discard, demo.Room(), &exchange.Baked{Map: &lightmap.Map{Layout: large}}, exchange.Pages{As: "exr"})
	assert.ErrorContains(t, err, "134217728 texels together")
	half := &lightmap.Layout{PageSize: 4096, Pages: 2}
	assert.NoError(t, exchange.Pages{As: "exr"}.Fit(half, 20))
	assert.Error(t, exchange.Pages{As: "exr", Directions: true}.Fit(half, 20))
	assert.Error(t, exchange.Pages{As: "exr", Layers: true}.Fit(half, 20))
}
