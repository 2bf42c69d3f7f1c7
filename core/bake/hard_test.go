package bake_test

import (
	"math"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/core/layer"
	"grotta/demo"
)

// Hard places are as near to path tracing as docs/light-accuracy.md says. The root mean square of the
// error, as a share of the mean light, is what is held: the reference's own error is taken off it, and
// has to be small beside it.
func TestHardPlacesAreNearPathTracing(t *testing.T) {
	const places, paths = 40, 12_000
	bounds := map[string][2]float64{ // good and final
		"blinds of 0.17 m":           {0.045, 0.03},
		"blinds of 0.12 m":           {0.045, 0.03},
		"spot of 0.2 m":              {0.03, 0.03},
		"spot of 0.13 m":             {0.025, 0.02},
		"bright patch in a big room": {0.022, 0.02},
		"spot in a corner":           {0.075, 0.06},
		"window, even sky":           {0.09, 0.075},
		"corridor by bounces":        {0.045, 0.03},
	}
	for _, place := range demo.HardPlaces() {
		p := prepare(t, place.Level)
		list := reference.Pick(p.Map, place.Judges, places)
		truth := reference.New(p.Map).Texels(list, paths)
		for k, q := range []bake.Quality{bake.Good, bake.Final} {
			if q == bake.Final && os.Getenv("GROTTA_SOAK") == "" {
				continue // it takes long
			}
			m := mixOf(t, p, q)
			off := errorOf(m, p, list, truth)
			require.Less(t, off.own, 0.06, place.Label)
			t.Logf("%s, %s: %.1f %%, reference off by %.1f %%", place.Label, q, 100*off.bakes(), 100*off.own)
			assert.Less(t, off.bakes(), bounds[place.Label][k], "%s, %s", place.Label, q)
		}
	}
}

// A lamp close to a wall makes a spot on it that is far brighter than all else. A place at the other end of a hall has most of its bounced light
// from there, and meets the spot by chance unless it sends rays to it.
func TestAPlaceFarFromABrightSpot(t *testing.T) {
	l := demo.LampByAWall()
	l.Lightmap.Denoise = false
	p := prepare(t, l)
	list := reference.Pick(p.Map, func(id string) bool { return id == "floor" || id == "ceiling" || id == "south" }, 120)
	list = slices.DeleteFunc(list, func(i int) bool { return p.Texels.List[i].Origin[0] < 4 })
	truth := reference.New(p.Map).Texels(list, 40_000)
	off := errorOf(mixOf(t, p, bake.Good), p, list, truth)
	t.Logf("%d texels: %.1f %%, mean %+.1f %%, reference off by %.1f %%", len(list), 100*off.bakes(), 100*off.bias, 100*off.own)
	require.Less(t, off.own, 0.04)
	assert.Less(t, off.bakes(), 0.06)
}

// lightError is how far the light of some texels is off, as shares of its mean: root mean square, mean, and the root mean
// square of path tracing's own error, which is part of the first.
type lightError struct{ rms, bias, own float64 }

// bakes is the root mean square without path tracing's own.
func (e lightError) bakes() float64 { return math.Sqrt(max(e.rms*e.rms-e.own*e.own, 0)) }

// errorOf holds a mix against path tracing at some texels.
func errorOf(m *layer.Image, p *bake.Prepared, texels []int, truth []reference.Answer) (e lightError) {
	mean, squares, own2 := 0.0, 0.0, 0.0
	for k, i := range texels {
		off := float64(m.Pix[3*p.Texels.List[i].Index+1]) - truth[k].Lux
		mean, e.bias = mean+truth[k].Lux, e.bias+off
		squares, own2 = squares+off*off, own2+truth[k].Error*truth[k].Error
	}
	n := float64(len(texels))
	return lightError{math.Sqrt(squares*n) / mean, e.bias / mean, math.Sqrt(own2*n) / mean}
}
