package check

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
)

// In a black hall each square has the light of the lamp alone: its candela times the cosine over the distance squared.
func TestGroundHasTheLightOfItsLamp(t *testing.T) {
	p := hall()
	p.material("soot", func(m *level.Material) { m.Color = "#000000" })
	for _, s := range p.Solids {
		s.Surface.Material = "soot"
	}
	p.Lights[0].RangeM = 0
	ready, err := bake.Prepare(p.Level)
	require.NoError(t, err)
	sub := Of(ready)
	floors, err := sub.Ground(t.Context(), p.profile)
	require.NoError(t, err)
	require.Len(t, floors, 1)
	f := floors[0]
	assert.Equal(t, "hall", f.Zone)
	assert.Equal(t, p.profile.Play.CompeteLux, f.Asked)
	assert.InEpsilon(t, 64, float64(len(f.Squares))*f.SideM*f.SideM, 0.05, "the squares cover the floor")
	assert.LessOrEqual(t, len(f.Squares), mostSquares)
	lamp := geom.Vec3{0, 2.2, 0}
	for _, q := range f.Squares {
		d := q.Middle.Sub(lamp).Len()
		assert.InEpsilon(t, 100*lamp[1]/math.Pow(d, 3), q.Lux, 0.01)
	}

	p.Zones[0].Play = "none"
	ready, err = bake.Prepare(p.Level)
	require.NoError(t, err)
	floors, err = Of(ready).Ground(t.Context(), p.profile)
	require.NoError(t, err)
	assert.Empty(t, floors, "nobody plays there")

	gone, cancel := context.WithCancel(t.Context())
	cancel()
	p.Zones[0].Play = "compete"
	ready, err = bake.Prepare(p.Level)
	require.NoError(t, err)
	_, err = Of(ready).Ground(gone, p.profile)
	assert.ErrorIs(t, err, context.Canceled)
}

// A large floor has larger squares, not more.
func TestALargeFloorHasLargerSquares(t *testing.T) {
	p := hall()
	p.Zones[0].Boxes[0] = level.Box{Min: level.Vec{-60, 0, -60}, Max: level.Vec{60, 3, 60}}
	p.block("field", level.Vec{0, -0.11, 0}, level.Vec{120, 0.2, 120})
	ready, err := bake.Prepare(p.Level)
	require.NoError(t, err)
	floors, err := Of(ready).Ground(t.Context(), p.profile)
	require.NoError(t, err)
	require.Len(t, floors, 1)
	assert.LessOrEqual(t, len(floors[0].Squares), mostSquares)
	assert.Greater(t, floors[0].SideM, 1.0)
	assert.Greater(t, len(floors[0].Squares), mostSquares/5)
}
