package radiosity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/direct"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/source"
)

func laidOut(t *testing.T, l *level.Level) *lightmap.Map {
	require.NoError(t, l.Validate())
	m, err := lightmap.New(scene.Build(l))
	require.NoError(t, err)
	return m
}

// patchesOf is the patch of each lit texel, and whether something divides its square.
func patchesOf(t *testing.T, m *lightmap.Map) (patches []int32, isCut []bool) {
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	for ci := range m.Layout.Charts {
		first, end := m.Texels.Of(ci)
		for texel := first; texel < end; texel++ {
			x, y := m.PlaceOf(&m.Layout.Charts[ci], texel)
			patch, c := links.PatchAt(links.Grid(ci), x, y)
			patches, isCut = append(patches, patch), append(isCut, c)
		}
	}
	return patches, isCut
}

// An open floor is parted in squares of two by two texels at most densities, and of an
// eighth of a metre where that is more.
func TestPatchesOfAnOpenFloor(t *testing.T) {
	for density, side := range map[float64]int{1: 2, 4: 2, 24: 3, 40: 5} {
		l := leveltest.Plane()
		l.Solids[0].Size = level.Vec{3, 0.2, 2}
		l.Lightmap.Density = density
		m := laidOut(t, l)
		patches, isCut := patchesOf(t, m)
		counts, inner := map[int32]int{}, 0
		for i, texel := range m.Texels.List {
			counts[patches[i]]++
			at := texel.Origin
			if isCut[i] && texel.Normal(m.Scene)[1] > 0.9 && math.Abs(float64(at[0])) < 1.4 && math.Abs(float64(at[2])) < 0.9 {
				inner++
			}
		}
		assert.Zero(t, inner, "nothing parts the floor")
		whole := 0
		for _, n := range counts {
			require.LessOrEqual(t, n, side*side)
			if n == side*side {
				whole++
			}
		}
		assert.GreaterOrEqual(t, whole, int(3*density)/side*(int(2*density)/side), "%v texels a metre", density)
	}
}

// Along a wall squares are cut, and each patch lies on one side of it.
func TestPatchesEndAtWalls(t *testing.T) {
	for _, density := range []float64{2, 8, 24} {
		const wall = 0.3
		l := leveltest.Plane()
		l.Solids[0].Size = level.Vec{4, 0.2, 4}
		leveltest.Block(l, "wall", level.Vec{wall, 1, 0}, level.Vec{0.02, 2, 4})
		l.Lightmap.Density = density
		m := laidOut(t, l)
		patches, isCut := patchesOf(t, m)
		sides, cut := map[int32]bool{}, 0
		for i, texel := range m.Texels.List {
			if texel.Normal(m.Scene)[1] < 0.9 || texel.Origin[1] > 0.1 {
				continue
			}
			right := texel.Origin[0] > wall
			was, met := sides[patches[i]]
			require.True(t, !met || was == right, "%v texels a metre: a patch on both sides", density)
			sides[patches[i]] = right
			if isCut[i] {
				cut++
				assert.InDelta(t, wall, texel.Origin[0], 2*max(2/density, 0.125), "only what is near is cut")
			}
		}
		assert.GreaterOrEqual(t, cut, int(4*density)-2, "the wall cuts as many texels as it is long")
	}
}

// closedBox is a room of 2 m on each side about (0, 1, 0), of one albedo of a half.
func closedBox() *level.Level { return leveltest.ClosedBox(level.Vec{2, 2, 2}) }

// evenLight is 100 lx on every texel.
func evenLight(m *lightmap.Map) direct.Light {
	even, lux := direct.New(m, 1), direct.Chunk{}
	for c := range lux {
		for i := range lux[c] {
			lux[c][i] = 100
		}
	}
	for k := range m.Chunks() {
		even.Put(k, &lux)
	}
	return even
}

func isInBox(texel *lightmap.Texel) bool {
	inside := true
	for k, x := range texel.Origin {
		inside = inside && math.Abs(float64(x)-[3]float64{0, 1, 0}[k]) < 1.01
	}
	return inside
}

// In a closed box of one albedo in which every face shines alike, each patch gets E of direct
// light and sends back E·ρ/(1-ρ): the sum of the geometric series of bounces.
func TestBouncesInAClosedBoxAreAGeometricSeries(t *testing.T) {
	const tolerance = 1e-4
	m := laidOut(t, closedBox())
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	even := evenLight(m)
	sent, err := links.Sent(t.Context(), []Emitter{{&source.Source{}, &even, 1}}, tolerance, false)
	require.NoError(t, err)
	checked := 0
	for i := range links.Patches() {
		texel := &m.Texels.List[links.FirstTexel(i)]
		if !isInBox(texel) {
			continue
		}
		row := make([]float32, 8)
		sent.Mean(row, []uint32{uint32(i)}, 1)
		rho := m.Scene.Surfaces[texel.Surface(m.Scene)].Finish().Albedo[0] // rounded as a colour code
		require.InEpsilon(t, 100*rho/(1-rho), row[0], 0.002)
		checked++
	}
	assert.Positive(t, checked)
}

// spotOnFloor is a light on the middle of the box's floor, half a metre wide, and how many texels it falls on.
func spotOnFloor(m *lightmap.Map, lux float32) (spot direct.Light, lit int) {
	return lightWhere(m, lux, func(x *lightmap.Texel) bool {
		return x.Origin[1] < 0.01 && math.Abs(float64(x.Origin[0])) < 0.25 && math.Abs(float64(x.Origin[2])) < 0.25
	})
}

// lightWhere is a light on some texels in the box, and how many these are.
func lightWhere(m *lightmap.Map, lux float32, isLit func(*lightmap.Texel) bool) (spot direct.Light, lit int) {
	spot = direct.New(m, 1)
	for k := range m.Chunks() {
		var chunk direct.Chunk
		for i, x := range m.Chunk(k) {
			if isInBox(&x) && isLit(&x) {
				for c := range chunk {
					chunk[c][i] = lux
				}
				lit++
			}
		}
		spot.Put(k, &chunk)
	}
	return spot, lit
}

// Of a small bright spot in the box, the bounces have the energy of the geometric series as well, and
// a place far from it gets what a small flat source sends by the cosine law.
func TestBouncesOfASmallBrightSpot(t *testing.T) {
	l := closedBox()
	l.Lights = []*level.Light{leveltest.Light("lamp", level.Point, 100, level.Vec{0, 1, 0}, geom.Vec3{0, -1, 0})}
	m := laidOut(t, l)
	lamp := &source.List(l, m.Scene)[0]
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	const lux, texelM2 = 5000, 1.0 / 64
	spot, lit := spotOnFloor(m, lux)
	require.Equal(t, 16, lit)
	sent, err := links.Sent(t.Context(), []Emitter{{lamp, &spot, 1}}, 1e-4, true)
	require.NoError(t, err)
	require.NotNil(t, sent.bright[0])
	rho := m.Scene.Surfaces[0].Finish().Albedo[0]
	flux := lux * texelM2 * float64(lit)
	total, far, squares := flux*rho, 0, 0.0
	for i := range links.Patches() {
		texel := &m.Texels.List[links.FirstTexel(i)]
		if !isInBox(texel) {
			continue
		}
		row := make([]float32, 8)
		sent.Mean(row, []uint32{uint32(i)}, 1)
		total += float64(row[0]) * links.areaOf(i)
		if texel.Origin[1] < 1.99 || math.Abs(float64(texel.Origin[0])) > 0.9 || math.Abs(float64(texel.Origin[2])) > 0.9 {
			continue
		}
		clear(row)
		sent.AddBrightOnPatch(row, i)
		want := 0.0 // over the texels of the spot
		for _, x := range []float64{-0.1875, -0.0625, 0.0625, 0.1875} {
			for _, z := range []float64{-0.1875, -0.0625, 0.0625, 0.1875} {
				dx, dz := float64(texel.Origin[0])-x, float64(texel.Origin[2])-z
				d2 := dx*dx + dz*dz + 4
				want += lux * rho * texelM2 * 4 / (math.Pi * d2 * d2)
			}
		}
		off := float64(row[0])/want - 1
		squares += off * off
		far++
	}
	assert.InEpsilon(t, flux*rho/(1-rho), total, 0.01, "all that goes back")
	assert.Greater(t, far, 30)
	rms := math.Sqrt(squares / float64(far))
	t.Logf("on the ceiling: off by %.3f", rms)
	assert.Less(t, rms, 0.08)
}

// A spot in the very joint of the floor and a wall, which lights both, is bright as well: half of its light goes far, though
// the other half goes no farther than the surface beside it.
func TestASpotInAJointIsBright(t *testing.T) {
	l := closedBox()
	l.Lights = []*level.Light{leveltest.Light("lamp", level.Point, 100, level.Vec{0, 1, 0}, geom.Vec3{0, -1, 0})}
	m := laidOut(t, l)
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	spot, lit := lightWhere(m, 5000, func(x *lightmap.Texel) bool {
		return x.Origin[0] > 0.8 && x.Origin[1] < 0.2 && math.Abs(float64(x.Origin[2])) < 0.25
	})
	require.Greater(t, lit, 10)
	sent, err := links.Sent(t.Context(), []Emitter{{&source.List(l, m.Scene)[0], &spot, 1}}, 1e-4, false)
	require.NoError(t, err)
	require.NotNil(t, sent.bright[0])
	var flux float64
	for _, p := range sent.bright[0].patches {
		at := m.Texels.List[links.first[p.patch]].Origin
		assert.True(t, at[0] > 0.6 && at[1] < 0.4, "%v", at)
		flux += p.flux
	}
	rho := m.Scene.Surfaces[0].Finish().Albedo[0]
	assert.InEpsilon(t, 5000*rho*float64(lit)/64, flux, 0.25, "all of its light but what falls on texels that the joint parts")
}

// A source that lights everything has no bright patches.
func TestEvenLightHasNoBrightPatches(t *testing.T) {
	l := closedBox()
	l.Lights = []*level.Light{leveltest.Light("lamp", level.Point, 100, level.Vec{0, 1, 0}, geom.Vec3{0, -1, 0})}
	m := laidOut(t, l)
	lamp := &source.List(l, m.Scene)[0]
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	even := evenLight(m)
	sent, err := links.Sent(t.Context(), []Emitter{{lamp, &even, 1}}, 1e-3, true)
	require.NoError(t, err)
	assert.Nil(t, sent.bright[0])
}
