package radiosity

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
)

// Under a lamp that hangs low over a floor, a ray that lands on a patch brings the light of the place where it lands, by
// the inverse square and the cosine, and not the mean of the patch.
func TestRaysReadTheLightWhereTheyLandOnASlope(t *testing.T) {
	const heightM, factor, rays = 1, 0.5, 64
	l := leveltest.Plane(leveltest.Light("lamp", level.Point, 100, level.Vec{0, heightM, 0}, geom.Vec3{0, -1, 0}))
	l.Lights[0].RadiusM, l.Lights[0].RangeM = 0, 0
	links, _, sent := sentOf(t, l, factor)
	m := links.m
	require.NotNil(t, sent.slopes[0])
	rho := m.Scene.Surfaces[m.Texels.List[0].Surface(m.Scene)].Finish().Albedo[0]

	brings := func(x, z float64, patch uint32) float64 { // as a share of what a white floor would send
		row := make([]float32, 8)
		from := &lightmap.Texel{Origin: [3]float32{float32(x), 0.5, float32(z)}}
		sent.AddUneven(row, []Landing{sent.LandingOf(from, geom.Vec3{0, -1, 0}, patch, 0.5, geom.Vec3{0, 1, 0})}, rays)
		return float64(row[0]) * rays / factor / float64(rho)
	}
	inTruth := func(x, z float64) float64 { return heightM / math.Pow(x*x+z*z+heightM*heightM, 1.5) }
	for i := range sent.slopes[0].list {
		s := &sent.slopes[0].list[i]
		assert.True(t, sent.LandsNear(s.patch, 0.5))
		assert.False(t, sent.LandsNear(s.patch, 40), "too far away")
		var sum, off, offOfMean float64
		texels := links.texelsOf(int(s.patch), nil)
		for _, k := range texels {
			o := m.Texels.List[k].Origin
			x, z := float64(o[0]), float64(o[2])
			delta := brings(x, z, s.patch)
			sum += delta
			off += math.Abs(float64(s.mean[0]) + delta - inTruth(x, z))
			offOfMean += math.Abs(float64(s.mean[0]) - inTruth(x, z))
		}
		assert.InDelta(t, 0, sum, 1e-3*float64(s.mean[0]), "no light is made")
		assert.Less(t, off, 0.4*offOfMean)
	}
	assert.Greater(t, len(sent.slopes[0].list), 20)

	bright := &brightSet{of: map[uint32]int32{sent.slopes[0].list[3].patch: 0}}
	before := len(sent.slopes[0].list)
	sent.slopes[0].leaveOut(bright)
	assert.Len(t, sent.slopes[0].list, before-1)
}

// A plane goes through the light of texels in a row as well.
func TestAPlaneThroughARow(t *testing.T) {
	x, y := plane(0.25, 0, 0, 0.5, 0)
	assert.Equal(t, []float64{2, 0}, []float64{x, y})
	x, y = plane(0, 0, 0.25, 0, -0.5)
	assert.Equal(t, []float64{0, -2}, []float64{x, y})
	x, y = plane(0.25, 0.125, 0.25, 0.25*3+0.125*5, 0.125*3+0.25*5)
	assert.InDelta(t, 3, x, 1e-12)
	assert.InDelta(t, 5, y, 1e-12)
	x, y = plane(0, 0, 0, 0, 0)
	assert.Zero(t, x+y)
}
