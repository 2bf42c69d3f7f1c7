package scene_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/level"
	"grotta/core/scene"
)

// What lies outdoors is wet as a whole, by the zone of its middle.
func TestWetThings(t *testing.T) {
	l := level.New("Rain")
	m := level.Default[level.Material]()
	m.ID, m.Color, m.Porosity = "sand", "#bcbcbc", 1
	l.Materials = []*level.Material{&m}
	for _, x := range []float64{0, 20} {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position, s.Surface.Material = map[float64]string{0: "in", 20: "out"}[x], level.Vec{1, 1, 1}, level.Vec{x, 0, 0}, "sand"
		l.Solids = append(l.Solids, &s)
	}
	z := level.Default[level.Zone]()
	z.ID, z.Boxes = "shed", []level.Box{{Min: level.Vec{-2, -2, -2}, Max: level.Vec{2, 2, 2}}}
	l.Zones = []*level.Zone{&z}
	look := func(entity string) (albedo, roughness float64) {
		sc := scene.Build(l)
		for i := range sc.Surfaces {
			if f := sc.Surfaces[i].Finish(); sc.Surfaces[i].Body().Entity == entity {
				return f.Albedo[0], f.Material.Roughness
			}
		}
		return 0, 0
	}
	dry, _ := look("out")
	l.Environment.Wetness = 1
	wet, smooth := look("out")
	assert.InDelta(t, 0.5029, dry, 1e-3)
	assert.InDelta(t, 0.3638, wet, 1e-3)
	assert.InDelta(t, 0.2, smooth, 1e-12)
	inside, matt := look("in")
	assert.Equal(t, dry, inside)
	assert.Equal(t, 1.0, matt)
	half := 0.5
	z.Wetness = &half
	inside, _ = look("in")
	assert.InDelta(t, (dry+wet)/2, inside, 1e-9)
}
