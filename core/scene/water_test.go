package scene

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
)

// What is of a material of water: a block is filled with it, whatever its faces say; a mesh, a face of another block and
// what shines stay solid and stop light.
func TestWaterFillsBlocks(t *testing.T) {
	water := level.Default[level.Water]()
	l := level.New("Tank")
	for _, id := range []string{"water", "lava", "stone"} {
		m := level.Default[level.Material]()
		m.ID = id
		if id != "stone" {
			m.Water = &water
		}
		if id == "lava" {
			m.Emission = 500
		}
		l.Materials = append(l.Materials, &m)
	}
	box := func(id, material string, x float64) *level.Solid {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Surface.Material, s.Transform.Position = id, level.Vec{1, 1, 1}, material, level.Vec{x, 0, 0}
		l.Solids = append(l.Solids, &s)
		return &s
	}
	face := level.Default[level.Face]()
	face.Index, face.Material = 2, "stone"
	box("tank", "water", 0).Faces = []level.Face{face}
	face.Material = "water"
	box("post", "stone", 3).Faces = []level.Face{face}
	box("pit", "lava", 6)
	sheet := level.Default[level.Mesh]()
	sheet.ID, sheet.Surface.Material = "sheet", "water"
	sheet.Positions, sheet.Indices = []float64{8, 0, 1, 10, 0, 1, 10, 0, -1, 8, 0, -1}, []uint32{0, 1, 2, 0, 2, 3}
	l.Meshes = append(l.Meshes, &sheet)
	require.NoError(t, l.Validate())

	s := Build(l)
	require.Len(t, s.Waters, 1)
	assert.Equal(t, "tank", s.Waters[0].ID())
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		filled := f.Body().Entity == "tank"
		assert.Equal(t, filled, s.WaterOf(f) != nil, f.Body().Entity)
		assert.Equal(t, filled, f.Finish().Material.IsWater(), f.Body().Entity)
		assert.Equal(t, !filled, f.Finish().Roles.CastsShadow, f.Body().Entity)
	}
	for x, blocked := range map[float64]bool{0: false, 3: true, 6: true, 9: true} {
		assert.Equal(t, blocked, s.Blocked(geom.Vec3{x + 0.1, 2, 0.1}, geom.Vec3{x + 0.1, -2, 0.1}), "at %g", x)
	}
	in, out, leaves := s.Waters[0].Span(geom.Vec3{0.1, 2, 0.2}, geom.Vec3{0, -1, 0})
	assert.InDelta(t, 1.5, in, 1e-6)
	assert.InDelta(t, 2.5, out, 1e-6)
	assert.Equal(t, geom.Vec3{0, -1, 0}, leaves)
	in, out, _ = s.Waters[0].Span(geom.Vec3{2, 2, 0}, geom.Vec3{0, -1, 0})
	assert.Greater(t, in, out, "beside it")
	assert.Equal(t, 1.0, s.UnderWater(geom.Vec3{0, 0.6, 0})[0])
	assert.InDelta(t, level.Entering()*math.Pow(water.Through(1)[0], 0.7), s.UnderWater(geom.Vec3{0, -0.2, 0})[0], 1e-6)
}
