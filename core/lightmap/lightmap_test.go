package lightmap_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"regexp"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/demo"
)

func plan(t *testing.T, l *level.Level) (*scene.Scene, *lightmap.Layout) {
	t.Helper()
	s := scene.Build(l)
	layout, err := lightmap.Plan(s)
	require.NoError(t, err)
	return s, layout
}

func boxes(r *rand.Rand, n int) *level.Level {
	l := level.New("Boxes")
	for i := range n {
		b := level.Default[level.Solid]()
		b.ID = fmt.Sprintf("b%d", i)
		b.Size = level.Vec{0.1 + r.Float64()*8, 0.1 + r.Float64()*4, 0.1 + r.Float64()*8}
		b.Transform.Position = level.Vec{r.Float64() * 40, r.Float64() * 4, r.Float64() * 40}
		l.Solids = append(l.Solids, &b)
	}
	return l
}

// No two charts share a texel, none leaves its page, and padding is kept.
func TestChartsDoNotOverlap(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for _, l := range []*level.Level{demo.Saltmarsh(), boxes(r, 40), boxes(r, 3)} {
		_, layout := plan(t, l)
		size, taken := layout.PageSize, map[[3]int]int{}
		for i, c := range layout.Charts {
			left, top := c.Corner()
			width, height := c.Size()
			require.True(t, left+width <= size && top+height <= size)
			require.Less(t, c.Page(), layout.Pages)
			for y := top; y < top+height; y++ {
				for x := left; x < left+width; x++ {
					other, used := taken[[3]int{c.Page(), x, y}]
					require.False(t, used, "charts %d and %d meet", i, other)
					taken[[3]int{c.Page(), x, y}] = i
				}
			}
		}
	}
}

func TestEverySurfacePointLiesInItsChart(t *testing.T) {
	s, layout := plan(t, boxes(rand.New(rand.NewPCG(2, 2)), 30))
	for _, c := range layout.Charts {
		left, top := c.Corner()
		width, height := c.Inner()
		for _, v := range s.Outline(&s.Surfaces[c.Surface]) {
			x, y := c.At(v)
			x, y = x-float64(left+lightmap.PaddingTexels), y-float64(top+lightmap.PaddingTexels)
			assert.GreaterOrEqual(t, x, -1e-4)
			assert.GreaterOrEqual(t, y, -1e-4)
			assert.LessOrEqual(t, x, float64(width)+1e-4)
			assert.LessOrEqual(t, y, float64(height)+1e-4)
		}
	}
}

// Texels stand off their surface by the offset, on the side it faces, and never
// inside a solid; a chart's texels are as many as its area asks.
func TestTexelsStandOnTheirSurface(t *testing.T) {
	s, layout := plan(t, demo.Saltmarsh())
	texels := layout.Texels(s)
	require.NotEmpty(t, texels.List)
	for i := 0; i < len(texels.List); i += 11 {
		x := texels.List[i]
		surface := &s.Surfaces[x.Surface(s)]
		p := geom.Vec3{float64(x.Origin[0]), float64(x.Origin[1]), float64(x.Origin[2])}
		require.Empty(t, s.Inside(p))
		if surface.Body().Mesh != nil { // a mesh's patch is not flat
			continue
		}
		above := s.Normal(surface).Dot(p.Sub(s.Outline(surface)[0]))
		require.InDelta(t, scene.OffsetM, above, 2e-4, surface.Body().Entity)
	}
	one := level.New("Tile")
	tile := level.Default[level.Solid]()
	tile.ID, tile.Size = "tile", level.Vec{3, 1, 2}
	one.Solids, one.Lightmap.Density = []*level.Solid{&tile}, 5
	s, layout = plan(t, one)
	assert.Equal(t, 2*(15*10+15*5+10*5), len(layout.Texels(s).List), "3 x 1 x 2 m at 5 texels a metre")
}

// Where a wall ends in the middle of its last texels, under a ceiling, these stand
// below it and not in its plane, from where rays would go on inside.
func TestTexelsKeepOffWhatTheyAbut(t *testing.T) {
	l := level.New("Wall")
	for _, b := range []struct {
		id       string
		at, size level.Vec
	}{{"wall", level.Vec{0, 1.375, 0}, level.Vec{4, 2.75, 0.2}}, {"ceiling", level.Vec{0, 2.8, 0}, level.Vec{6, 0.1, 6}}} {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = b.id, b.size, b.at
		l.Solids = append(l.Solids, &s)
	}
	l.Lightmap.Density = 10
	s, layout := plan(t, l)
	rows := map[float32]int{}
	for _, x := range layout.Texels(s).List {
		if s.Surfaces[x.Surface(s)].Body().Entity == "wall" && x.Normal(s)[2] > 0.9 {
			require.Less(t, x.Origin[1], float32(2.75-scene.OffsetM/2))
			rows[x.Origin[1]]++
		}
	}
	assert.Len(t, rows, 28)
	for y, n := range rows {
		assert.Equal(t, 40, n, "all of the row at %g", y)
	}
}

func TestEveryTexelOfAChartGetsAValue(t *testing.T) {
	s, layout := plan(t, demo.Room())
	texels := layout.Texels(s)
	have := map[int32]bool{}
	computed := map[int]bool{}
	for _, x := range texels.List {
		have[x.Index] = true
		computed[x.Surface(s)] = true
	}
	for ci, c := range layout.Charts {
		size := layout.PageSize
		left, top := c.Corner()
		width, _ := c.Size()
		index := func(place int) int32 {
			return int32((c.Page()*size+top+place/width)*size + left + place%width)
		}
		first, end := texels.Of(ci)
		for _, x := range texels.List[first:end] {
			require.EqualValues(t, c.Surface, x.Surface(s))
			u, v := layout.PlaceIn(&layout.Charts[ci], x.Index)
			require.Equal(t, x.Index, index(v*width+u))
		}
		for _, f := range texels.Fills(ci) {
			require.False(t, have[index(f.Place())], "filled twice, or over a computed texel")
			for step := range f.From(width) {
				require.True(t, have[index(f.Place()+step)], "filled from a texel without a value")
			}
			have[index(f.Place())] = true
		}
	}
	for _, c := range layout.Charts {
		if !computed[int(c.Surface)] {
			continue // wholly inside solids
		}
		left, top := c.Corner()
		width, height := c.Size()
		for y := range height {
			for x := range width {
				size := layout.PageSize
				require.True(t, have[int32((c.Page()*size+top+y)*size+left+x)])
			}
		}
	}
}

func TestPlanIsTheSameEachTime(t *testing.T) {
	_, a := plan(t, demo.Saltmarsh())
	_, b := plan(t, demo.Saltmarsh())
	assert.Equal(t, a, b)
}

func TestWhatDoesNotFitIsSaid(t *testing.T) {
	l := boxes(rand.New(rand.NewPCG(3, 3)), 400)
	l.Lightmap.PageSize, l.Lightmap.Density = 64, 8
	_, err := lightmap.Plan(scene.Build(l))
	var tooLarge *lightmap.TooLarge
	require.ErrorAs(t, err, &tooLarge)
	assert.Contains(t, err.Error(), "more than 64 pages of 64")
	// What is advised fits, or nearly.
	to := regexp.MustCompile(`to ([0-9.]+) texels a metre`).FindStringSubmatch(err.Error())
	require.NotNil(t, to, err.Error())
	l.Lightmap.Density, err = strconv.ParseFloat(to[1], 64)
	require.NoError(t, err)
	_, err = lightmap.Plan(scene.Build(l))
	assert.NoError(t, err, "at %v", l.Lightmap.Density)
	l.Lightmap.PageSize, l.Lightmap.Density = 4096, 250
	_, err = lightmap.Plan(scene.Build(l))
	assert.Error(t, err)
}

// A curved mesh is cut into patches that cover all of it once.
func TestMeshPatchesCoverTheMesh(t *testing.T) {
	l := level.New("Ball")
	m := level.Default[level.Mesh]()
	m.ID = "ball"
	const n = 12
	for i := range n + 1 {
		for j := range 2 * n {
			theta, phi := math.Pi*float64(i)/n, math.Pi*float64(j)/n
			m.Positions = append(m.Positions, math.Sin(theta)*math.Cos(phi), math.Cos(theta), math.Sin(theta)*math.Sin(phi))
		}
	}
	for i := range uint32(n) {
		for j := range uint32(2 * n) {
			a, b := i*2*n+j, i*2*n+(j+1)%(2*n)
			m.Indices = append(m.Indices, a, b, a+2*n, b, b+2*n, a+2*n)
		}
	}
	l.Meshes = []*level.Mesh{&m}
	require.NoError(t, l.Validate())
	s, layout := plan(t, l)
	var area float64
	for i := range s.Surfaces {
		for tri := range s.Corners(&s.Surfaces[i]) {
			area += geom.TriangleArea(tri[0], tri[1], tri[2])
			n := tri[1].Sub(tri[0]).Cross(tri[2].Sub(tri[0])).Normalize()
			require.GreaterOrEqual(t, n.Dot(s.Normal(&s.Surfaces[i])), 0.7)
		}
	}
	assert.InEpsilon(t, 4*math.Pi, area, 0.03)
	assert.Less(t, len(layout.Charts), 40, "patches, not single triangles")
}

// A thing far thinner than a texel still gets one, on each of its faces.
func TestThinThingsGetTexels(t *testing.T) {
	l := level.New("Leg")
	leg := level.Default[level.Solid]()
	leg.ID, leg.Size = "leg", level.Vec{0.08, 0.8, 0.05}
	l.Solids, l.Lightmap.Density = []*level.Solid{&leg}, 0.5
	s, layout := plan(t, l)
	lit := map[int]bool{}
	for _, x := range layout.Texels(s).List {
		lit[x.Surface(s)] = true
	}
	assert.Len(t, lit, 6)
}

// A mesh is laid out alike however finely it is cut, and its seams are at its rim: also
// where it has so many triangles that those under a texel are looked up.
func TestFineMeshesAreLaidOutAsCoarseOnes(t *testing.T) {
	sheets := func(n uint32) (*scene.Scene, *lightmap.Layout, *lightmap.Texels) {
		l := level.New("Sheets")
		for k := range 2 { // side by side, so that they have a seam
			m := level.Default[level.Mesh]()
			m.ID, m.Transform.Position = fmt.Sprint("sheet-", k), level.Vec{4 * float64(k), 0, 0}
			for i := range (n + 1) * (n + 1) {
				x, z := i%(n+1), i/(n+1)
				m.Positions = append(m.Positions, 4*float64(x)/float64(n), 0, 3*float64(z)/float64(n))
				if x < n && z < n {
					m.Indices = append(m.Indices, i, i+n+1, i+1, i+1, i+n+1, i+n+2)
				}
			}
			l.Meshes = append(l.Meshes, &m)
		}
		require.NoError(t, l.Validate())
		s, layout := plan(t, l)
		return s, layout, layout.Texels(s)
	}
	coarse, coarseLayout, few := sheets(1)
	fine, fineLayout, many := sheets(24)
	assert.Equal(t, 2*2*24*24, fine.Triangles())
	require.Len(t, many.List, len(few.List))
	for i := range few.List {
		a, b := &few.List[i], &many.List[i]
		require.Equal(t, a.Index, b.Index)
		require.Equal(t, a.Surface(coarse), b.Surface(fine))
		for axis := range 3 {
			require.InDelta(t, a.Origin[axis], b.Origin[axis], 1e-5)
		}
		c := fine.CornersOf(int(b.Triangle)) // the one that it is over
		for axis := range 3 {
			at := float64(b.Origin[axis])
			require.GreaterOrEqual(t, at, min(c[0][axis], c[1][axis], c[2][axis])-0.003)
			require.LessOrEqual(t, at, max(c[0][axis], c[1][axis], c[2][axis])+0.003)
		}
	}
	a, b := coarseLayout.Seams(coarse, coarseLayout.Texels(coarse)), fineLayout.Seams(fine, fineLayout.Texels(fine))
	assert.NotEmpty(t, a.List)
	assert.InDelta(t, len(a.List), len(b.List), 24, "each edge of the rim ends in a spot more at most")
	assert.Positive(t, b.Len())
	n := 0
	for range b.Texels() {
		n++
	}
	assert.Equal(t, b.Len(), n)
}
