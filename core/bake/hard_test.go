package bake_test

import (
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/demo"
)

// Hard places are as near to path tracing as docs/light-accuracy.md says. The root mean square of the
// error, as a share of the mean light, is what is held: the reference's own error is taken off it, and
// has to be small beside it.
func TestHardPlacesAreNearPathTracing(t *testing.T) {
	const places, paths = 40, 12_000
	bounds := map[string][2]float64{ // good and final
		"blinds of 0.17 m":           {0.05, 0.045},
		"blinds of 0.12 m":           {0.05, 0.045},
		"spot of 0.2 m":              {0.03, 0.03},
		"spot of 0.13 m":             {0.025, 0.02},
		"bright patch in a big room": {0.022, 0.02},
		"window, even sky":           {0.09, 0.075},
		"corridor by bounces":        {0.055, 0.04},
	}
	for _, place := range demo.HardPlaces() {
		p := prepare(t, place.Level)
		list := reference.Pick(p.Map, place.Judges, places)
		truth := reference.New(p.Map).Texels(list, paths)
		mean, own := 0.0, 0.0
		for _, a := range truth {
			mean, own = mean+a.Lux/places, own+a.Error*a.Error/places
		}
		require.Less(t, math.Sqrt(own), 0.06*mean, place.Label)
		for k, q := range []bake.Quality{bake.Good, bake.Final} {
			if q == bake.Final && os.Getenv("GROTTA_SOAK") == "" {
				continue // it takes long
			}
			m := mixOf(t, p, q)
			squares := 0.0
			for j, i := range list {
				off := float64(m.Pix[3*p.Texels.List[i].Index+1]) - truth[j].Lux
				squares += off * off / places
			}
			rms := math.Sqrt(max(squares-own, 0)) / mean
			t.Logf("%s, %s: %.1f %%, reference off by %.1f %%", place.Label, q, 100*rms, 100*math.Sqrt(own)/mean)
			assert.Less(t, rms, bounds[place.Label][k], "%s, %s", place.Label, q)
		}
	}
}
