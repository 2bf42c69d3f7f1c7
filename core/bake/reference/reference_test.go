package reference_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake/baketest"
	"grotta/core/bake/reference"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// Over an open plane nothing comes by bounces: the tracer gives the inverse square law.
func TestAPointLightOverAPlane(t *testing.T) {
	p := baketest.Prepare(t, leveltest.Plane(leveltest.Light("l", level.Point, 100, level.Vec{0, 1.5, 0}, geom.Vec3{0, -1, 0})))
	var list []int
	for i := 0; i < len(p.Texels.List); i += 97 {
		if p.Texels.List[i].Normal(p.Scene)[1] > 0.9 {
			list = append(list, i)
		}
	}
	require.Greater(t, len(list), 10)
	side := 1 / p.Scene.Level.Lightmap.Density
	for k, answer := range reference.New(p.Map).Texels(list, 4000) {
		at := p.Texels.List[list[k]].Origin
		mean := 0.0
		const n = 20 // by each side of the texel
		for i := range n * n {
			x := float64(at[0]) + ((float64(i%n)+0.5)/n-0.5)*side
			z := float64(at[2]) + ((float64(i/n)+0.5)/n-0.5)*side
			mean += 100 * 1.5 / pow3(geom.Vec3{x, 1.5, z}.Len()) / (n * n)
		}
		assert.InDelta(t, mean, answer.Lux, 0.002*mean+4*answer.Error, "at %v", at)
		assert.Less(t, answer.Error, 0.05*mean)
	}
}

func pow3(x float64) float64 { return x * x * x }
