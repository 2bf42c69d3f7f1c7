package scene_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

func two(edit func(near, far *level.Solid)) *scene.Scene {
	l := level.New("Two")
	box := func(id string, z float64) *level.Solid {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, level.Vec{2, 2, 0.2}, level.Vec{0, 0, z}
		l.Solids = append(l.Solids, &s)
		return &s
	}
	edit(box("near", -2), box("far", -4))
	return scene.Build(l)
}

var eye, forward = geom.Vec3{0, 0, 0}, geom.Vec3{0, 0, -1}

// What casts a shadow and what is seen are asked apart.
func TestRolesAreKeptApart(t *testing.T) {
	s := two(func(near, far *level.Solid) { near.Surface.Visible = false })
	hit, ok := s.See(eye, forward, 100)
	require.True(t, ok)
	assert.Equal(t, "far", s.Surfaces[hit.Surface].Entity)
	assert.InDelta(t, 3.9, hit.Distance, 1e-5)
	assert.True(t, s.Blocked(eye, geom.Vec3{0, 0, -3}), "an unseen blocker stops light")

	s = two(func(near, far *level.Solid) { near.Surface.CastsShadow = false })
	assert.False(t, s.Blocked(eye, geom.Vec3{0, 0, -3}))
	assert.Empty(t, s.Inside(geom.Vec3{0, 0, -2}), "it shuts no light in")
	assert.Equal(t, "far", s.Inside(geom.Vec3{0, 0, -4}))

	s = two(func(near, far *level.Solid) { near.Enabled = false })
	assert.Len(t, s.Surfaces, 6)
}

func TestBlockersGoFromNearToFarEachOnce(t *testing.T) {
	s := two(func(_, _ *level.Solid) {})
	found := s.Blockers(eye, geom.Vec3{0, 0, -10})
	require.Len(t, found, 2)
	assert.Equal(t, []string{"near", "far"}, []string{found[0].ID, found[1].ID})
	assert.InDelta(t, -1.9, found[0].Point[2], 1e-5)
	assert.Empty(t, s.Blockers(eye, geom.Vec3{0, 0, -1}))
}

func TestFacesWithAnEntryOfTheirOwn(t *testing.T) {
	s := two(func(near, _ *level.Solid) {
		near.Faces = []level.Face{{Index: 4, Surface: level.Surface{Density: 30, Visible: true, CastsShadow: true, ReceivesLight: true}}}
	})
	for i := range s.Surfaces {
		want := s.Level.Lightmap.Density
		if s.Surfaces[i].Entity == "near" && s.Surfaces[i].Face == 4 {
			want = 30
			assert.InDelta(t, 1, s.Surfaces[i].Normal[2], 1e-12, "face 4 of a box is +z")
		}
		assert.Equal(t, want, s.Surfaces[i].DensityM)
	}
}
