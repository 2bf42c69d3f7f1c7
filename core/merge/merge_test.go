package merge_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/merge"
	"grotta/demo"
)

func changed(t *testing.T, l *level.Level, ops ...level.Operation) *level.Level {
	t.Helper()
	next, _, err := l.Apply(level.Batch("", ops...))
	require.NoError(t, err)
	return next
}

func merged(t *testing.T, base, mine, theirs *level.Level, take bool) (*level.Level, []merge.Clash) {
	t.Helper()
	out, err := merge.Levels(base, mine, theirs, func(merge.Clash) bool { return take })
	require.NoError(t, err)
	return changed(t, mine, out.Steps...), out.Clashes
}

func TestWhatOneSideChangedIsTaken(t *testing.T) {
	base := demo.Room()
	lamp := base.Lights[0].ID
	mine := changed(t, base, level.Set(lamp, map[string]any{"strength": 7.0}), level.Set("", map[string]any{"fog.haze.density": 0.2}))
	extra := level.NewLight("extra", level.Spot)
	theirs := changed(t, base, level.Set(lamp, map[string]any{"shadows.softness": 2.0}), level.Set("", map[string]any{"look.exposure_ev": 3.0, "environment.moon": level.Default[level.Sun]()}), level.Add("lights", extra))
	out, clashes := merged(t, base, mine, theirs, false)
	assert.Empty(t, clashes)
	assert.Equal(t, 7.0, out.Light(lamp).Strength)
	assert.Equal(t, 2.0, out.Light(lamp).Shadows.Softness)
	assert.Equal(t, 0.2, out.Fog.Haze.Density)
	assert.Equal(t, 3.0, out.Look.ExposureEV)
	assert.NotNil(t, out.Environment.Moon)
	assert.NotNil(t, out.Light("extra"))
}

func TestBothSidesClash(t *testing.T) {
	base := demo.Room()
	lamp := base.Lights[0].ID
	mine := changed(t, base, level.Set(lamp, map[string]any{"strength": 7.0}))
	theirs := changed(t, base, level.Set(lamp, map[string]any{"strength": 9.0}))
	out, clashes := merged(t, base, mine, theirs, false)
	require.Len(t, clashes, 1)
	assert.Equal(t, "lights/"+lamp+"/strength", clashes[0].Name())
	assert.Equal(t, 7.0, clashes[0].Mine)
	assert.Equal(t, 9.0, clashes[0].Theirs)
	assert.Equal(t, base.Lights[0].Strength, clashes[0].Base)
	assert.Equal(t, 7.0, out.Light(lamp).Strength)
	out, _ = merged(t, base, mine, theirs, true)
	assert.Equal(t, 9.0, out.Light(lamp).Strength)

	// One removes, the other changes.
	gone := changed(t, base, level.Remove(lamp))
	out, clashes = merged(t, base, mine, gone, false)
	require.Len(t, clashes, 1)
	assert.Empty(t, clashes[0].Path)
	assert.NotNil(t, out.Light(lamp))
	out, _ = merged(t, base, mine, gone, true)
	assert.Nil(t, out.Light(lamp))
	out, clashes = merged(t, base, gone, theirs, true)
	require.Len(t, clashes, 1)
	assert.Equal(t, 9.0, out.Light(lamp).Strength, "it comes back")
	out, clashes = merged(t, base, gone, base, true)
	assert.Empty(t, clashes)
	assert.Nil(t, out.Light(lamp), "removed here, unchanged there: it stays away")
}

// A merge into an unchanged side is the other side, and a merge of nothing changes nothing.
func TestMergesOfOneSideAreThatSide(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for range 20 {
		base := demo.Saltmarsh()
		theirs := base
		for range 12 {
			l := theirs.Lights[random.IntN(len(theirs.Lights))]
			switch random.IntN(4) {
			case 0:
				theirs = changed(t, theirs, level.Remove(l.ID))
			case 1:
				theirs = changed(t, theirs, level.Set(l.ID, map[string]any{"strength": random.Float64(), "transform.position": level.Vec{1, 2, random.Float64()}}))
			case 2:
				theirs = changed(t, theirs, level.Add("lights", level.NewLight(theirs.FreshID("more"), level.Point)))
			case 3:
				theirs = changed(t, theirs, level.Set("", map[string]any{"look.exposure_ev": random.Float64(), "environment.sun": nil}))
			}
		}
		out, clashes := merged(t, base, base, theirs, false)
		assert.Empty(t, clashes)
		_, left, err := out.Difference(t.Context(), theirs)
		require.NoError(t, err)
		assert.Empty(t, left)
		same, clashes := merged(t, base, theirs, base, false)
		assert.Empty(t, clashes)
		_, left, err = same.Difference(t.Context(), theirs)
		require.NoError(t, err)
		assert.Empty(t, left)
	}
}

func TestRoundingIsNoChange(t *testing.T) {
	assert.True(t, merge.Same([]any{1.0, 2e6}, []any{1 + 1e-8, 2e6 + 1e-3}))
	assert.False(t, merge.Same([]any{1.0}, []any{1.0001}))
	assert.True(t, merge.Same(map[string]any{"a": nil}, map[string]any{}))
	assert.True(t, merge.Same(map[string]any{}, map[string]any{"a": nil}))
	assert.False(t, merge.Same(map[string]any{}, map[string]any{"a": 1.0}))
	assert.False(t, merge.Same(nil, map[string]any{}))
}
