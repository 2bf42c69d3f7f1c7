package level_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

func TestAMixBringsLightsBack(t *testing.T) {
	l := level.New("Yard")
	lamp, torch := level.NewLight("lamp", level.Point), level.NewLight("torch", level.Spot)
	lamp.Kelvin, torch.Color = 2700, "#ff0000"
	l.Lights = []*level.Light{lamp, torch}
	l, _, err := l.Apply(level.Add("mixes", l.MixNow("warm", "Warm evening")))
	require.NoError(t, err)
	assert.Empty(t, l.Mix("warm").Operation(l).Steps, "nothing is other than it was kept")

	changed, _, err := l.Apply(level.Batch("",
		level.Set("lamp", map[string]any{"strength": 7, "kelvin": nil, "color": "#00ff00"}),
		level.Set("torch", map[string]any{"enabled": false}),
		level.Operation{Op: level.OpAdd, Part: "lights", Entity: map[string]any{"id": "new", "strength": 3}},
	))
	require.NoError(t, err)
	op := changed.Mix("warm").Operation(changed)
	assert.Equal(t, "Apply the mix Warm evening", op.Label)
	back, _, err := changed.Apply(op)
	require.NoError(t, err)
	assert.Equal(t, *l.Light("lamp"), *back.Light("lamp"))
	assert.Equal(t, *l.Light("torch"), *back.Light("torch"))
	assert.Equal(t, 3.0, back.Light("new").Strength, "what the mix does not name stays")

	// A light that is removed leaves the mix.
	without, _, err := back.Apply(level.Remove("lamp"))
	require.NoError(t, err)
	assert.Empty(t, without.Mix("warm").Settings[0].Light)
	assert.Empty(t, without.Mix("warm").Operation(without).Steps)
}
