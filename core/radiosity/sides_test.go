package radiosity

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
)

// A screen crosses a row of texels, in the middle of a floor or at its end. The sun shines at a slant, so that the floor is lit
// before the screen and dark behind it. Whether the screen stands on the floor or ends just above it, a ray that lands in the strip between
// the screen and the next texel brings the light of that side, however far it comes from.
func TestALandingReadsTheSideOfAScreen(t *testing.T) {
	const factor, rays, farM = 0.5, 64, 30
	lit := math.Sqrt2 / 2 // a layer is of strength 1
	screens := []struct {
		atM, gapM float64
		meshes    bool
	}{{0.1, 0, false}, {0.1, 0.02, false}, {9.86, 0, false}, {9.86, 0.02, false}, {9.875, 0.02, false}, {9.89, 0, false}, {9.89, 0.02, false}, {0.1, 0, true}, {0.1, 0.02, true}, {9.86, 0.02, true}, {9.89, 0, true}}
	for _, screen := range screens {
		t.Run(fmt.Sprintf("at %v m, gap of %v m, meshes %v", screen.atM, screen.gapM, screen.meshes), func(t *testing.T) {
			l := leveltest.Plane(leveltest.Light("sun", level.Directional, 100, level.Vec{0, 2, 0}, geom.Vec3{1, -1, 0}))
			leveltest.Block(l, "screen", level.Vec{screen.atM, screen.gapM + 0.5, 0}, level.Vec{0.01, 1, 8})
			if screen.meshes {
				l = leveltest.OfMeshes(l)
			}
			links, lights, sent := sentOf(t, l, factor)
			m := links.m
			floor := slices.IndexFunc(m.Layout.Charts, func(c lightmap.Chart) bool {
				s := &m.Scene.Surfaces[c.Surface]
				first, _ := m.Scene.TrianglesOf(s)
				return s.Body().Entity == "floor" && m.Scene.NormalOf(first)[1] > 0.9
			})
			require.GreaterOrEqual(t, floor, 0)
			mean := make([][4]float32, links.Patches())
			require.NoError(t, links.meanOnPatches(t.Context(), lights, mean))
			for _, side := range []struct{ x, lux float64 }{{screen.atM - 0.05, lit}, {screen.atM + 0.05, 0}} {
				at := geom.Vec3{side.x, 0, 0.3}
				on := links.patchUnder(floor, at)
				if on == noPatch { // it counts as dark
					assert.Zero(t, side.lux)
					continue
				}
				patch := uint32(on)
				got := float64(mean[patch][0])
				if sent.LandsNear(patch, farM) {
					row := make([]float32, 8)
					from := &lightmap.Texel{Origin: [3]float32{float32(at[0]), farM, float32(at[2])}}
					sent.AddUneven(row, []Landing{sent.LandingOf(from, geom.Vec3{0, -1, 0}, patch, farM, geom.Vec3{0, 1, 0})}, rays)
					rho := m.Scene.Surfaces[m.Layout.Charts[floor].Surface].Finish().Albedo[0]
					got += float64(row[0]) * rays / factor / float64(rho)
				}
				tolerance := 0.02
				if side.lux == 0 { // as much light comes through the gap as falls on a strip of its height
					tolerance += lit * screen.gapM / 0.1
				}
				assert.InDelta(t, side.lux, got, tolerance, "at %v", side.x)
			}
		})
	}
}

// An open floor has one side.
func TestAnOpenFloorHasOneSide(t *testing.T) {
	l := leveltest.Plane()
	m := laidOut(t, l)
	links, err := New(t.Context(), m, nil)
	require.NoError(t, err)
	for patch := range links.Patches() {
		assert.Nil(t, links.sidesOf(patch))
	}
}
