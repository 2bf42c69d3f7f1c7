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
	"grotta/core/level/leveltest"
	"grotta/demo"
)

// A room of meshes under narrow blinds, of which the lowest slat ends above a row of texels, is as near to path tracing as one of
// blocks: the floor behind the slat has a side of its own.
func TestARoomOfMeshesUnderBlindsIsNearPathTracing(t *testing.T) {
	p := prepare(t, leveltest.OfMeshes(demo.Blinds(0.12, 0.05)))
	walls := func(id string) bool { return slices.Contains([]string{"ceiling", "west", "east", "north"}, id) }
	inside := slices.DeleteFunc(reference.Pick(p.Map, walls, 400), func(i int) bool {
		at := p.Texels.List[i].Origin
		return at[0] < -0.01 || at[0] > 4.01 || at[1] > 2.61 || at[2] < -0.01 || at[2] > 3
	})
	require.Greater(t, len(inside), 100)
	truth := reference.New(p.Map).Texels(inside, 12_000)
	for _, q := range []bake.Quality{bake.Good, bake.Final} {
		if q == bake.Final && os.Getenv("GROTTA_SOAK") == "" {
			continue // it takes long
		}
		off := errorOf(mixOf(t, p, q), p, inside, truth)
		t.Logf("%s: %.1f %% (%+.1f %%), reference off by %.1f %%", q, 100*off.rms, 100*off.bias, 100*off.own)
		assert.Less(t, off.bakes(), 0.045, "%s", q)
		assert.Less(t, math.Abs(off.bias), 0.012, "%s", q) // 0.015 and 0.024 with one light for both sides of the slat
	}
}
