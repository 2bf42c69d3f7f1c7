package mirror_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/mirror"
)

// Five places of which nothing is asked of rays: what it takes to blur their maps.
func BenchmarkBlur(b *testing.B) {
	places := make([]mirror.Place, 5)
	for i := range places {
		places[i] = mirror.Place{Half: geom.Vec3{9, 9, 9}, Side: 64}
	}
	for b.Loop() {
		_, err := mirror.Capture(b.Context(), places, func(_, d geom.Vec3) color.Linear { return grey(1 + d[1]) })
		require.NoError(b, err)
	}
}
