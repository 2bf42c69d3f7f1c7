package lightmap_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/scene"
)

// tiled is a floor of 3 by 2 m at 4 texels a metre with blocks on it, and its map.
func tiled(t *testing.T, blocks ...[2]level.Vec) *lightmap.Map {
	t.Helper()
	l := level.New("Tiles")
	l.Lightmap.Density = 4
	add := func(id string, at, size level.Vec) {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, size, at
		l.Solids = append(l.Solids, &s)
	}
	add("floor", level.Vec{0, -0.1, 0}, level.Vec{3, 0.2, 2})
	for _, b := range blocks {
		add("block", b[0], b[1])
		l.Solids[len(l.Solids)-1].ID += string(rune('a' + len(l.Solids)))
	}
	m, err := lightmap.New(scene.Build(l))
	require.NoError(t, err)
	return m
}

// floorTexels are the texels of the top of the floor.
func floorTexels(m *lightmap.Map) (list []*lightmap.Texel) {
	for i := range m.Texels.List {
		x := &m.Texels.List[i]
		if m.Scene.Surfaces[x.Surface(m.Scene)].Body().Entity == "floor" && x.Normal(m.Scene)[1] > 0.9 {
			list = append(list, x)
		}
	}
	return list
}

// An open floor's squares are whole, and nothing parts them.
func TestSquaresOfAnOpenFloorAreWhole(t *testing.T) {
	m := tiled(t)
	texels := floorTexels(m)
	require.Len(t, texels, 12*8)
	squares := m.Squares()
	for _, x := range texels {
		assert.Equal(t, sampling.AllCells, x.Area)
		assert.False(t, x.Parted)
		s := squares.Of(x)
		assert.InDelta(t, 0.25, s.U.Len(), 1e-6)
		assert.InDelta(t, 0.25, s.V.Len(), 1e-6)
		assert.InDelta(t, 0, s.Middle.Len(), 1e-5, "its own place is its middle")
		assert.InDelta(t, 0, s.U.Dot(x.Normal(m.Scene)), 1e-6)
	}
}

// What a block covers of a square does not count.
func TestWhatABlockCoversDoesNotCount(t *testing.T) {
	// It covers x from -0.5 to 0.375: a whole texel's end and the left half of the next one.
	m := tiled(t, [2]level.Vec{{-0.0625, 0.5, 0}, {0.875, 1, 4}})
	half, bare := 0, 0
	squares := m.Squares()
	for _, x := range floorTexels(m) {
		s := squares.Of(x)
		middle := geom.Vec3{float64(x.Origin[0]), float64(x.Origin[1]), float64(x.Origin[2])}.Add(s.Middle)
		covered := math.Abs(middle[0]-0.375) < 0.01
		switch {
		case covered: // the right half is bare
			half++
			assert.True(t, x.Parted)
			for i := range sampling.CellCount {
				cx, cy := sampling.CellAt(i)
				at := middle.Add(s.U.Mul((float64(cx)+0.5)/4 - 0.5)).Add(s.V.Mul((float64(cy)+0.5)/4 - 0.5))
				assert.Equal(t, at[0] > 0.376, x.Area>>i&1 == 1, "part at %v", at)
			}
		case x.Area == sampling.AllCells:
			bare++
		}
	}
	assert.Equal(t, 8, half)
	assert.Equal(t, 8*(12-4), bare)
}

// A thin wall across a square parts it: only the side of the texel's own place counts, to the part.
func TestAThinWallPartsASquare(t *testing.T) {
	m := tiled(t, [2]level.Vec{{0.06, 0.5, 0}, {0.004, 1, 4}})
	parted := 0
	squares := m.Squares()
	for _, x := range floorTexels(m) {
		if !x.Parted || math.Abs(float64(x.Origin[0])-0.06) > 0.2 {
			continue
		}
		parted++
		own := x.Origin[0] > 0.06
		var room [16]geom.Vec3
		for _, step := range squares.Of(x).Spread(room[:], 1) {
			at := float64(x.Origin[0]) + step[0]
			if math.Abs(at-0.06) > 0.0625 { // farther than a part is wide
				assert.Equal(t, own, at > 0.06)
			}
		}
	}
	assert.Positive(t, parted)
}

// A texel's neighbours are found by their places, and there is none beyond the edge.
func TestNeighboursOfTexels(t *testing.T) {
	m := tiled(t)
	inner, corners := 0, 0
	for i := range m.Texels.List {
		x := &m.Texels.List[i]
		if m.Scene.Surfaces[x.Surface(m.Scene)].Body().Entity != "floor" || x.Normal(m.Scene)[1] < 0.9 {
			continue
		}
		around, missing := m.Beside(i), 0
		require.EqualValues(t, i, around[4], "itself")
		for k, j := range around {
			if j < 0 {
				missing++
				continue
			}
			other := &m.Texels.List[j]
			dx, dz := math.Abs(float64(other.Origin[0]-x.Origin[0])), math.Abs(float64(other.Origin[2]-x.Origin[2]))
			assert.LessOrEqual(t, max(dx, dz), 0.26, "neighbour %d", k)
			chart := m.ChartOf(i)
			px, py := m.PlaceOf(&m.Layout.Charts[chart], int(j))
			assert.EqualValues(t, j, m.TexelAt(chart, px, py))
		}
		switch missing {
		case 0:
			inner++
		case 5:
			corners++
		}
	}
	assert.Equal(t, 10*6, inner)
	assert.Equal(t, 4, corners)
}
