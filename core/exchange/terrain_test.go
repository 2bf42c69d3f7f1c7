package exchange_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/exchange"
	"grotta/core/level"
)

func greyPNG(t *testing.T, width, height int, deep bool, at func(x, y int) float64) []byte {
	t.Helper()
	var img image.Image
	if deep {
		g := image.NewGray16(image.Rect(0, 0, width, height))
		for i := range width * height {
			g.SetGray16(i%width, i/width, color.Gray16{Y: uint16(math.Round(at(i%width, i/width) * 0xffff))})
		}
		img = g
	} else {
		g := image.NewGray(image.Rect(0, 0, width, height))
		for i := range width * height {
			g.SetGray(i%width, i/width, color.Gray{Y: uint8(math.Round(at(i%width, i/width) * 0xff))})
		}
		img = g
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

// worstHeight is the largest difference of every vertex from a height that is known.
func worstHeight(l *level.Level, want func(x, z float64) float64) (worst float64, triangles int) {
	for _, m := range l.Meshes {
		for i := 0; i+2 < len(m.Positions); i += 3 {
			x, y, z := m.Positions[i]+m.Transform.Position[0], m.Positions[i+1]+m.Transform.Position[1], m.Positions[i+2]+m.Transform.Position[2]
			worst = max(worst, math.Abs(y-want(x, z)))
		}
		triangles += len(m.Indices) / 3
	}
	return worst, triangles
}

// A ramp to the east is one at any number of cells, to the precision of its image.
func TestTerrainHasTheHeightsOfItsImage(t *testing.T) {
	ramp := func(x, _ int) float64 { return float64(x) / 100 }
	for _, c := range []struct {
		deep  bool
		cells int
		off   float64
	}{{true, 100, 30.0 / 65535}, {true, 25, 30.0 / 65535}, {false, 100, 30.0 / 255}} {
		l, report, err := exchange.Read(&exchange.Files{Name: "hills.png", Data: greyPNG(t, 101, 51, c.deep, ramp)}, exchange.Options{TerrainM: 200, HeightM: 30, Cells: c.cells})
		require.NoError(t, err)
		worst, triangles := worstHeight(l, func(x, _ float64) float64 { return (x + 100) / 200 * 30 })
		assert.LessOrEqual(t, worst, c.off, "%v cells", c.cells)
		assert.Equal(t, 2*c.cells*(c.cells/2), triangles)
		assert.NotEmpty(t, l.Viewpoints)
		assert.NotEmpty(t, report.Notes)
	}
	// North is the upper edge, and faces look up.
	l, _, err := exchange.Read(&exchange.Files{Data: greyPNG(t, 9, 9, true, func(_, y int) float64 { return float64(8-y) / 8 })}, exchange.Options{TerrainM: 8, HeightM: 4})
	require.NoError(t, err)
	worst, _ := worstHeight(l, func(_, z float64) float64 { return (4 - z) / 8 * 4 })
	assert.Less(t, worst, 1e-4)
	m := l.Meshes[0]
	p := func(i uint32) [3]float64 { return [3]float64(m.Positions[3*i : 3*i+3]) }
	a, b, c := p(m.Indices[0]), p(m.Indices[1]), p(m.Indices[2])
	assert.Positive(t, (b[2]-a[2])*(c[0]-a[0])-(b[0]-a[0])*(c[2]-a[2]), "counter-clockwise from above")
}

func TestTerrainThatCannotBe(t *testing.T) {
	data := greyPNG(t, 9, 9, true, func(int, int) float64 { return 0.5 })
	for name, c := range map[string]struct {
		data []byte
		o    exchange.Options
		want string
	}{
		"no width": {data, exchange.Options{}, "--terrain METRES"},
		"wide":     {data, exchange.Options{TerrainM: 1e7}, "100000"},
		"cells":    {data, exchange.Options{TerrainM: 10, Cells: 5000}, "1 to 1024"},
		"cut":      {data[:len(data)-30], exchange.Options{TerrainM: 10}, "no PNG image that can be read"},
		"one":      {greyPNG(t, 1, 9, false, func(int, int) float64 { return 0 }), exchange.Options{TerrainM: 10}, "at least 2 by 2"},
	} {
		_, _, err := exchange.Read(&exchange.Files{Name: "x.png", Data: c.data}, c.o)
		assert.ErrorContains(t, err, c.want, name)
	}
}
