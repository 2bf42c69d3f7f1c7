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
	"grotta/core/source"
)

// sentOf lays a level out and returns what its first source's light sends, by a factor, with the direct light.
func sentOf(t *testing.T, l *level.Level, factor float32) (*Links, *direct.Light, *Sent) {
	t.Helper()
	m := laidOut(t, l)
	first := source.All(source.List(l, m.Scene))[:1]
	lights, err := direct.Bake(t.Context(), m, first, direct.Rays{Shadow: 16, Sky: 64}, nil)
	require.NoError(t, err)
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	sent, err := links.Sent(t.Context(), []Emitter{{first[0], &lights[0], factor}}, 1e-4, false)
	require.NoError(t, err)
	return links, &lights[0], sent
}

// Where the shadow of a plate ends on a floor, a ray that lands in the light brings all of the light, and one that lands in the
// shadow none: each brings what that differs from the mean of the patch.
func TestRaysReadTheLightWhereTheyLandBesideAnEdge(t *testing.T) {
	const edge = 1.1 // of the shadow
	l := leveltest.Plane(leveltest.Light("lamp", level.Directional, 100, level.Vec{0, 2, 0}, geom.Vec3{0, -1, 0}))
	leveltest.Block(l, "plate", level.Vec{edge + 2, 1, 0}, level.Vec{4, 0.01, 8})
	const factor, rays = 0.5, 64
	links, _, sent := sentOf(t, l, factor)
	m := links.m
	require.NotNil(t, sent.edges[0])

	floor := -1
	for i := range m.Texels.List {
		if o := m.Texels.List[i].Origin; math.Abs(float64(o[0])-edge) < 0.13 && math.Abs(float64(o[2])) < 0.2 && math.Abs(float64(o[1])) < 0.01 && m.Texels.List[i].Normal(m.Scene)[1] > 0.9 {
			floor = i
		}
	}
	require.GreaterOrEqual(t, floor, 0)
	patch := uint32(links.patchOf(floor))
	assert.True(t, sent.LandsNear(patch, 0.5))
	assert.False(t, sent.LandsNear(patch, 12), "too far away")
	k := 0
	for sent.edges[0].patches[k] != patch {
		k++
	}
	mean := float64(sent.edges[0].mean[k][0])
	rho := m.Scene.Surfaces[m.Texels.List[floor].Surface(m.Scene)].Finish().Albedo[0]
	for _, c := range []struct {
		x   float64
		lit bool
	}{{edge - 0.05, true}, {edge + 0.05, false}} {
		row := make([]float32, 8)
		sent.AddUneven(row, []Landing{sent.LandingOf(&lightmap.Texel{Origin: [3]float32{float32(c.x), 0.8, 0}}, geom.Vec3{0, -1, 0}, patch, 0.8, geom.Vec3{0, 2, 0})}, rays)
		want := 0.0
		if c.lit {
			want = 1 // lux, as it falls straight and a layer is of strength 1
		}
		assert.InDelta(t, factor*rho*(want-mean)/rays, row[0], 1e-3*rho*mean/rays, "at %v", c.x)
	}
	bright := &brightSet{of: map[uint32]int32{patch: 0}}
	before := len(sent.edges[0].patches)
	sent.edges[0].leaveOut(bright)
	assert.Len(t, sent.edges[0].patches, before-1)
	assert.NotContains(t, sent.edges[0].patches, patch)
}
