package air_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/air"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
)

func falling(kind string) *air.Emitter {
	l := level.New("Weather")
	m := level.Default[level.Motes]()
	m.ID, m.Falls, m.Size, m.SpeedMps, m.WindShare, m.RateHz, m.EdgeM = "m", kind, level.Vec{10, 8, 10}, 0, 0, 200, 0.1
	m.Transform.Position = level.Vec{0, 4, 0}
	l.Motes = []*level.Motes{&m}
	a := air.Of(l, l.World(), sky.OfLevel(l))
	return &a.Motes[0]
}

// Rain falls at the speed of drops, is there all the way down, and ends where it meets something.
func TestRainFallsAndStops(t *testing.T) {
	e := falling("rain")
	sum := 0.0
	for _, m := range e.Motes {
		assert.Equal(t, 4.0, m.Start[1], "from the top")
		assert.Zero(t, m.Velocity[0])
		sum -= m.Velocity[1] / float64(len(e.Motes))
	}
	assert.InDelta(t, 6.5, sum, 0.2, "Gunn and Kinzer: 6.49 m/s at 2 mm")
	low, high := 0, 0
	for _, s := range e.Specks(3.7) {
		assert.GreaterOrEqual(t, s.At[1], 0.0)
		if s.At[1] < 4 {
			low++
		} else {
			high++
		}
	}
	assert.InEpsilon(t, high, low, 0.3, "as many below as above")

	// A roof at 3 m over the eastern half.
	e.Stop(func(from, dir geom.Vec3, far float64) (float64, bool) {
		d := (from[1] - 3) / -dir[1]
		return d, from[0]+dir[0]*d > 0 && d < far
	})
	west := 0
	for _, s := range e.Specks(3.7) {
		if s.At[0] > 0 {
			require.GreaterOrEqual(t, s.At[1], 3-1e-6, "dry under the roof")
		} else if s.At[1] < 3 {
			west++
		}
	}
	assert.Greater(t, west, 20)
}

// Snow and leaves swing on their way; dust does not fall.
func TestSnowAndLeavesSway(t *testing.T) {
	for kind, most := range map[string]float64{"snow": 0.12, "leaves": 0.35} {
		e := falling(kind)
		reach := 0.0
		for _, m := range e.Motes[:50] {
			one := *e
			one.Motes = []air.Mote{m}
			at := func(s float64) (float64, bool) {
				for _, x := range one.Specks(s) {
					return x.At[0], true
				}
				return 0, false
			}
			for s := range 40 {
				if x, ok := at(m.BornS + 1 + 0.05*float64(s)); ok {
					reach = max(reach, x-m.Start[0], m.Start[0]-x)
				}
			}
		}
		assert.InDelta(t, most, reach, 0.02, kind)
	}
	e := falling("none")
	before := len(e.Specks(2))
	e.Stop(func(_, _ geom.Vec3, _ float64) (float64, bool) { return 0, true })
	assert.Len(t, e.Specks(2), before)
}
