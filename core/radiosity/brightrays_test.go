package radiosity

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/source"
)

// behindSlats is a spot on the floor of a box, which lights its ceiling through slats, and places on that which lie together.
func behindSlats(t *testing.T) (spot *brightSet, runs [][]receiver) {
	l := closedBox()
	l.Lights = []*level.Light{leveltest.Light("lamp", level.Point, 100, level.Vec{0, 1, 0}, geom.Vec3{0, -1, 0})}
	for i := range 7 {
		leveltest.Block(l, fmt.Sprintf("slat-%d", i), level.Vec{-0.9 + 0.3*float64(i), 0.5, 0}, level.Vec{0.15, 0.02, 2})
	}
	m := laidOut(t, l)
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	light, _ := spotOnFloor(m, 5000)
	sent, err := links.Sent(t.Context(), []Emitter{{&source.List(l, m.Scene)[0], &light, 1}}, 1e-4, false)
	require.NoError(t, err)
	require.NotNil(t, sent.bright[0])
	for chart := range m.Layout.Charts {
		first, end := m.Texels.Of(chart)
		for ; first+Together <= end; first += Together {
			var run []receiver
			for i := first; i < first+Together; i++ {
				if x := &m.Texels.List[i]; isInBox(x) && x.Origin[1] > 1.99 {
					run = append(run, receiver{texel: x, normal: x.Shading(m.Scene)})
				}
			}
			if len(run) == Together {
				runs = append(runs, run)
			}
		}
	}
	require.Greater(t, len(runs), 10)
	return sent.bright[0], runs
}

// The variance that rays show is that of their light, held against many more rays. Where it is much, more rays are sent,
// and the light is less far off, but not brighter or darker on average.
func TestRaysGoWhereTheLightIsUnsure(t *testing.T) {
	const manyRays = 4096
	b, runs := behindSlats(t)
	mean, off, shown, offMore, bias, n := 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
	for _, run := range runs {
		var want [Together]float64
		for i := range run {
			b.lightBy(&run[i], manyRays, Rays)
			want[i] = run[i].light()
			b.lightBy(&run[i], 4, Rays)
			d := run[i].light() - want[i]
			mean, off, shown, n = mean+want[i], off+d*d, shown+run[i].variance, n+1
		}
		b.lightOn(run, BrightRays{Rays: 4, Error: 0.01}, Rays)
		for i := range run {
			d := run[i].light() - want[i]
			offMore, bias = offMore+d*d, bias+d
		}
	}
	mean /= n
	t.Logf("4 rays: off by %.3f of the mean, as they show by %.3f; up to %d: by %.3f, mean %+.3f",
		math.Sqrt(off/n)/mean, math.Sqrt(shown/n)/mean, 4*mostTimes, math.Sqrt(offMore/n)/mean, bias/n/mean)
	assert.InEpsilon(t, off, shown, 0.5)
	assert.Less(t, offMore, off/4)
	assert.InDelta(t, 0, bias/n/mean, 0.02)
}

// Where the error that they show is small, no more rays are sent; a few places that do not show it well send twice as many.
func TestRaysAreSavedWhereTheLightIsSure(t *testing.T) {
	b, runs := behindSlats(t)
	light := func(run []receiver, rays BrightRays) (lights []float64) {
		b.lightOn(run, rays, Rays)
		for i := range run {
			lights = append(lights, run[i].light())
		}
		return lights
	}
	run := runs[0]
	few, most := light(run, BrightRays{Rays: 4, Error: 10}), light(run, BrightRays{Rays: 4 * mostTimes, Error: 10})
	assert.NotEqual(t, few, most)
	assert.Equal(t, few, light(run, BrightRays{Rays: 4, Error: 5}))
	assert.Equal(t, most, light(run, BrightRays{Rays: 4, Error: 1e-6}))
	assert.Equal(t, light(run, BrightRays{Rays: 4 * timesOfFew, Error: 10})[:3], light(run[:3], BrightRays{Rays: 4, Error: 10}))
}
