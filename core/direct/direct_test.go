package direct

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/source"
)

// Smoothing a penumbra takes noise off a slope, and leaves slopes, edges and lines.
func TestSmoothPenumbra(t *testing.T) {
	const side, noise = 8, 0.05
	r := rand.New(rand.NewPCG(1, 1))
	smooth := func(visible func(x, y int) float64) (after [side][side]float64) {
		var s penumbra
		var texels []lightmap.Texel
		for i := range side * side {
			texels = append(texels, lightmap.Texel{Index: int32(i/side*64 + i%side + 130)})
			s.visible = append(s.visible, visible(i%side, i/side))
			after[i/side][i%side] = s.visible[i]
		}
		s.place(texels, 64)
		for i, factor := range s.smooth(noise) {
			after[i/side][i%side] *= factor
		}
		return after
	}
	slope := func(x, y int) float64 { return 0.1 + 0.08*float64(x) + 0.02*float64(y) }
	edge := func(x, _ int) float64 { return float64(x / 4) }
	line := func(x, _ int) float64 {
		if x == 4 {
			return 0.5
		}
		return 0.8
	}
	var before, left float64
	slopes, edges, lines := smooth(slope), smooth(edge), smooth(line)
	noisy := smooth(func(x, y int) float64 {
		e := 0.02 * r.NormFloat64()
		before += e * e
		return slope(x, y) + e
	})
	for y := range side {
		for x := range side {
			assert.InDelta(t, slope(x, y), slopes[y][x], 1e-12)
			assert.Equal(t, edge(x, y), edges[y][x])
			assert.InDelta(t, line(x, y), lines[y][x], 1e-12)
			left += (noisy[y][x] - slope(x, y)) * (noisy[y][x] - slope(x, y))
		}
	}
	assert.Less(t, left, before/2)
}

// Light that is held until it is packed keeps 11 bits of each value.
func TestKeptLight(t *testing.T) {
	r, m := rand.New(rand.NewPCG(3, 1)), lightmapOf(t)
	for _, scale := range []float64{1e-20, 1, 1e9} {
		var lux [3][64]float32
		for c := range lux {
			for i := range lux[c] {
				lux[c][i] = float32(scale * math.Exp(-6*r.Float64()))
			}
		}
		for _, channels := range []int{3, 1} {
			l := New(m, channels)
			l.Put(1, (*Chunk)(&lux))
			require.True(t, l.IsDark(0))
			require.False(t, l.IsDark(1))
			var got Chunk
			l.Read(1, &got)
			for c := range lux {
				for i := range lux[c] {
					want := lux[c][i]
					if channels == 1 {
						want = lux[0][i]
					}
					require.InEpsilon(t, want, got[c][i], 1.0/(1<<11))
				}
			}
		}
	}
	l := New(m, 3)
	l.Put(1, &Chunk{})
	assert.True(t, l.IsDark(1), "nothing is kept of what is 0")
	l.Put(0, &Chunk{{1}})
	assert.False(t, l.AreDark(0, 2))
	l.Forget(0, 1)
	assert.True(t, l.AreDark(0, 2))
}

// lightmapOf is the map of a floor, which has more than three chunks.
func lightmapOf(t *testing.T) *lightmap.Map {
	m, err := lightmap.New(scene.Build(leveltest.Plane()))
	require.NoError(t, err)
	require.Greater(t, m.Chunks(), 3)
	return m
}

// The chunks that a light visits are those with texels within its range.
func TestOnlyChunksWithinReachAreLit(t *testing.T) {
	lamp := leveltest.Light("lamp", level.Point, 100, level.Vec{3, 1, -4}, geom.Vec3{0, -1, 0})
	lamp.RangeM = 2.5
	l := leveltest.Plane(lamp)
	sc := scene.Build(l)
	m, err := lightmap.New(sc)
	require.NoError(t, err)
	visited := map[int]bool{}
	Lit(m, &source.List(l, sc)[0], func(k int) { visited[k] = true })
	for k := range m.Chunks() {
		within := false
		for _, texel := range m.Chunk(k) {
			d := Receiver(m, &texel).Origin.Sub(geom.Vec3{3, 1, -4})
			within = within || d.Len() < 2.5
		}
		assert.False(t, within && !visited[k], "chunk %d has texels within the range", k)
	}
	assert.NotEmpty(t, visited)
	assert.Less(t, len(visited), m.Chunks()/4)
}

// The texels on which light ends are those that the edge of a shadow crosses.
func TestEdgesAreWhereTheShadowEnds(t *testing.T) {
	lamp := leveltest.Light("lamp", level.Point, 100, level.Vec{0, 2, 0}, geom.Vec3{0, -1, 0})
	lamp.RangeM = 0
	l := leveltest.Plane(lamp)
	leveltest.Block(l, "plate", level.Vec{2.55, 1.005, 0}, level.Vec{4, 0.01, 8})
	const edge = 0.55 * 2 // of the shadow
	sc := scene.Build(l)
	m, err := lightmap.New(sc)
	require.NoError(t, err)
	sources := source.List(l, sc)
	lights, err := Bake(t.Context(), m, []*source.Source{&sources[0]}, Rays{Shadow: 16, Sky: 64}, nil)
	require.NoError(t, err)
	crossed := 0
	for i := range m.Texels.List {
		texel := &m.Texels.List[i]
		at := Receiver(m, texel).Point
		if texel.Normal(sc)[1] < 0.9 || math.Abs(at[1]) > 0.01 || math.Abs(at[2]) > 2 || math.Abs(at[0]-edge) > 0.6 {
			continue
		}
		half := 0.5 / m.Layout.Charts[m.ChartOf(i)].Density
		off := math.Abs(at[0] - edge)
		is := lights[0].Edges(i/lightmap.ChunkTexels)>>(i%lightmap.ChunkTexels)&1 != 0
		if off < 0.7*half {
			assert.True(t, is, "%v", at)
			crossed++
		} else if off > 1.3*half {
			assert.False(t, is, "%v", at)
		}
	}
	assert.Greater(t, crossed, 5)

	// The light on a texel is what its chunk has.
	var chunk Chunk
	for k := range m.Chunks() {
		if chunk = (Chunk{}); !lights[0].IsDark(k) {
			lights[0].Read(k, &chunk)
		}
		for i := range m.Chunk(k) {
			assert.Equal(t, [3]float32{chunk[0][i], chunk[1][i], chunk[2][i]}, lights[0].At(k*lightmap.ChunkTexels+i))
		}
	}
}
