package layer_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/source"
)

// layout is where the faces of a block on a floor lie.
func layout(t *testing.T) *lightmap.Layout {
	l := leveltest.Plane()
	l.Lightmap.PageSize = 128
	leveltest.Block(l, "block", level.Vec{0, 1, 0}, level.Vec{2, 2, 2})
	plan, err := lightmap.Plan(scene.Build(l))
	require.NoError(t, err)
	return plan
}

// packed is a layer with random light on every second chart, and the light that went in,
// texel by texel of the pages.
func packed(t *testing.T, r *rand.Rand, brightest float64) (*layer.Layer, []float32) {
	on := layout(t)
	size := on.PageSize
	k, sheet, want := layer.NewPacker(on, "key"), layer.Sheet{}, make([]float32, 3*size*size*on.Pages)
	for i := 0; i < len(on.Charts); i += 2 {
		c := &on.Charts[i]
		sheet.Begin(c)
		width, height := c.Size()
		left, top := c.Corner()
		for place := range width * height {
			v := [3]float32{float32(brightest * r.Float64()), float32(r.Float64()), 0}
			sheet.Set(place, v)
			copy(want[3*((c.Page()*size+top+place/width)*size+left+place%width):], v[:])
		}
		k.Write(i, &sheet)
	}
	return k.Done(&lightmap.Seams{}, 3, &sheet), want
}

// What goes in comes out, to the step of a half-float: 2^-11 of a value, or 2^-24 of the
// layer's scale. Tiles are made where there is light alone.
func TestALayerHoldsItsLight(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	for _, brightest := range []float64{1e-6, 1, 3e4, 1e9} {
		l, want := packed(t, r, brightest)
		m := layer.NewImage(l.PageSize, l.Pages)
		l.AddTo(m, color.White)
		for i, v := range want {
			require.InDelta(t, v, m.Pix[i], float64(v)/2048+max(brightest, 1)*1e-7, "%g at %d", brightest, i)
		}
		assert.Less(t, len(l.Tiles)*layer.TileSize*layer.TileSize, len(want)/3, "dark places take no tiles")
	}
}

// A mix is the sum of layers times weights; one that is missing or has no weight adds nothing.
func TestMixIsAWeightedSum(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 2))
	a, lightA := packed(t, r, 8)
	b, lightB := packed(t, r, 300)
	sources := []source.Source{{Weight: color.Linear{2, 1, 1}}, {Weight: color.Linear{0.5, 3, 1}}, {}, {Weight: color.White}}
	m := layer.Mix(a.PageSize, a.Pages, sources, []*layer.Layer{a, b, b, nil})
	for i := range m.Pix {
		want := float64(lightA[i])*sources[0].Weight[i%3] + float64(lightB[i])*sources[1].Weight[i%3]
		require.InDelta(t, want, m.Pix[i], want/1000+1e-4, "at %d", i)
	}
}

func TestLayersGoThroughTheirEncoding(t *testing.T) {
	l, _ := packed(t, rand.New(rand.NewPCG(3, 3)), 50)
	require.NotEmpty(t, l.Tiles)
	encoded := l.Encode()
	back, err := layer.Decode(l.Key, encoded)
	require.NoError(t, err)
	assert.Equal(t, l, back)
	for cut := 0; cut < len(encoded); cut += 1 + len(encoded)/200 {
		_, err := layer.Decode("k", encoded[:cut])
		require.Error(t, err)
	}
}
