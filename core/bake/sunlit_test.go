package bake_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/demo"
)

// Sun that comes through windows lights a hall by a few strips on its floor, and by the ground outside, which is as bright.
// Rays go to the strips, and through the windows. It is held against path tracing, without smoothing, so that noise counts.
func TestASunlitHallHasLittleNoise(t *testing.T) {
	const places, paths = 60, 20_000
	l := demo.SunlitHall()
	l.Lightmap.Denoise = false
	p := prepare(t, l)
	inside := demo.HardPlace{Judged: []string{"ceiling", "west", "east", "north"}}
	list := reference.Pick(p.Map, inside.Judges, places)
	truth := reference.New(p.Map).Texels(list, paths)
	m := mixOf(t, p, bake.Good)
	mean, squares, bias := 0.0, 0.0, 0.0
	for k, i := range list {
		off := float64(m.Pix[3*p.Texels.List[i].Index+1]) - truth[k].Lux
		mean, squares, bias = mean+truth[k].Lux/places, squares+(off*off-truth[k].Error*truth[k].Error)/places, bias+off/places
	}
	rms := math.Sqrt(max(squares, 0))
	t.Logf("mean %.0f lx, off by %.1f %% (%+.1f %%)", mean, 100*rms/mean, 100*bias/mean)
	assert.Less(t, rms/mean, 0.1)
	assert.InDelta(t, 0, bias/mean, 0.02)
}
