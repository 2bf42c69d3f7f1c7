package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
)

// halves is a closed room with a sheet of two sides across its middle, which faces east or west, and a
// lamp on one side.
func halves(faces, lampX float64) *level.Level {
	l := level.New("A room with a curtain")
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
	l.Lightmap.Density = 4
	block(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{4.2, 0.2, 2.2})
	block(l, "roof", level.Vec{0, 2.1, 0}, level.Vec{4.2, 0.2, 2.2})
	block(l, "east", level.Vec{2.05, 1, 0}, level.Vec{0.1, 2.4, 2.2})
	block(l, "west", level.Vec{-2.05, 1, 0}, level.Vec{0.1, 2.4, 2.2})
	block(l, "north", level.Vec{0, 1, -1.05}, level.Vec{4.2, 2.4, 0.1})
	block(l, "south", level.Vec{0, 1, 1.05}, level.Vec{4.2, 2.4, 0.1})
	cloth := level.Default[level.Material]()
	cloth.ID, cloth.Color, cloth.TwoSided = "cloth", "#bcbcbc", true
	l.Materials = append(l.Materials, &cloth)
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Surface.Material = "sheet", "cloth"
	sheet.Positions = []float64{0.03, -0.05, -1.02, 0.03, -0.05, 1.02, 0.03, 2.05, 1.02, 0.03, 2.05, -1.02}
	sheet.Indices = []uint32{0, 1, 2, 0, 2, 3}
	if faces > 0 {
		sheet.Indices = []uint32{0, 2, 1, 0, 3, 2}
	}
	l.Meshes = append(l.Meshes, &sheet)
	l.Lights = []*level.Light{light("lamp", level.Point, 100, level.Vec{lampX, 1.2, 0}, down)}
	return l
}

// A sheet with two sides keeps them apart, whichever way it faces: the side of the lamp is lit as a
// wall would be, and the room behind stays black.
func TestSheetsKeepTheirSidesApart(t *testing.T) {
	for _, q := range []bake.Quality{bake.Draft, bake.Good} {
		var lit [4]float64 // the mean on the lamp's side of the sheet
		for k, c := range [][2]float64{{1, 1.2}, {-1, 1.2}, {1, -1.2}, {-1, -1.2}} {
			p := prepare(t, halves(c[0], c[1]))
			m := mixOf(t, p, q)
			n, dark, worst := 0, 0, 0.0
			for i := range p.Texels.List {
				x := &p.Texels.List[i]
				at, v := vec3(x.Origin), float64(m.Pix[3*x.Index+1])
				if math.Abs(at[0]) > 2 || at[1] < 0 || at[1] > 2 || math.Abs(at[2]) > 1 {
					continue // outside
				}
				switch {
				case (at[0]-0.03)*c[1] < 0:
					dark++
					worst = max(worst, v)
				case p.Scene.Surfaces[x.Surface(p.Scene)].Body().Entity == "sheet":
					n++
					lit[k] += v
				}
			}
			require.Greater(t, n, 40)
			require.Greater(t, dark, 300)
			assert.Zero(t, worst, "%s, case %d", q, k)
			lit[k] /= float64(n)
		}
		assert.InEpsilon(t, lit[0], lit[1], 0.02, "%s: the side it faces does not matter", q)
		assert.InEpsilon(t, lit[2], lit[3], 0.02, "%s", q)
		assert.Greater(t, lit[0], 15.0)
	}
	// A light on the back is found by the ledger as by the bake.
	p := prepare(t, halves(-1, 1.2))
	on := ledger.Ask(p, geom.Vec3{0.03, 1, 0}, geom.Vec3{1, 0, 0}).Total.Luminance
	behind := ledger.Ask(p, geom.Vec3{0.03, 1, 0}, geom.Vec3{-1, 0, 0}).Total.Luminance
	assert.Greater(t, on, 50.0)
	assert.Zero(t, behind)
}
