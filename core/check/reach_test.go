package check

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"grotta/core/geom"
)

// What the index finds is what looking at every box finds.
func TestTheIndexOfBoxesMissesNone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		place := rapid.Float64Range(-40, 40)
		box := func(most float64) geom.Bounds {
			low := geom.Vec3{place.Draw(t, "x"), place.Draw(t, "y"), place.Draw(t, "z")}
			side := rapid.Float64Range(0, most)
			return geom.Bounds{Min: low, Max: low.Add(geom.Vec3{side.Draw(t, "w"), side.Draw(t, "h"), side.Draw(t, "d")})}
		}
		var boxes []geom.Bounds
		within := geom.NoBounds()
		for range rapid.IntRange(0, 200).Draw(t, "boxes") {
			b := box(rapid.SampledFrom([]float64{0, 0.5, 60}).Draw(t, "size"))
			boxes = append(boxes, b)
			within.Grow(b.Min)
			within.Grow(b.Max)
		}
		if len(boxes) == 0 {
			return
		}
		asked := box(rapid.SampledFrom([]float64{0, 3, 80}).Draw(t, "asked"))
		var want []int32
		for i, b := range boxes {
			apart := false
			for axis := range 3 {
				apart = apart || b.Min[axis] > asked.Max[axis] || b.Max[axis] < asked.Min[axis]
			}
			if !apart {
				want = append(want, int32(i))
			}
		}
		assert.Equal(t, want, newBoxIndex(boxes, within, 0.25).near(asked))
	})
}
