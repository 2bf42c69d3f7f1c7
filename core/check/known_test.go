package check_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

// A level that is edited step by step is judged as one that is looked at for the first time: what is kept of lights
// is what they do.
func TestWhatIsKeptOfLightsHolds(t *testing.T) {
	for name, first := range map[string]*level.Level{"mill": demo.Mill(), "yard": demo.Yard()} {
		t.Run(name, func(t *testing.T) {
			random := rand.New(rand.NewPCG(5, uint64(len(name))))
			profile, err := platform.Named("cell-interior")
			require.NoError(t, err)
			l := first
			ready, err := bake.Prepare(l)
			require.NoError(t, err)
			sub := check.Of(ready)
			sub.Against(profile)
			for range 8 {
				op := anyEdit(random, l)
				l, _, err = l.Apply(op)
				require.NoError(t, err, "%+v", op)
				ready, err = ready.Again(l)
				require.NoError(t, err)
				sub = sub.Again(ready)
				fresh, err := bake.Prepare(l)
				require.NoError(t, err)
				require.Equal(t, check.Run(fresh, profile), sub.Against(profile), "after %+v", op)
			}
		})
	}
}

// anyEdit is something that a person does to light.
func anyEdit(random *rand.Rand, l *level.Level) level.Operation {
	light := l.Lights[random.IntN(len(l.Lights))]
	at := light.Transform.Position
	switch random.IntN(10) {
	case 0:
		return level.Set(light.ID, map[string]any{"transform.position": level.Vec{at[0] + 4*random.Float64() - 2, at[1], at[2] + random.Float64()}})
	case 1:
		return level.Set(light.ID, map[string]any{"strength": 500 * random.Float64()})
	case 2:
		return level.Set(light.ID, map[string]any{"range_m": 0.2 + 3*random.Float64()})
	case 3:
		return level.Set(light.ID, map[string]any{"enabled": !light.Enabled})
	case 4:
		return level.Set(light.ID, map[string]any{"shadows.cast": !light.Shadows.Cast})
	case 5:
		twin := *light
		twin.ID, twin.Transform.Position[1] = l.FreshID("twin"), at[1]-0.5
		return level.Add("lights", &twin)
	case 6:
		return level.Set("", map[string]any{"environment.ambient.strength": 30 * random.Float64()})
	case 8:
		v := l.Viewpoints[random.IntN(len(l.Viewpoints))]
		return level.Set(v.ID, map[string]any{"transform.position": level.Vec{v.Transform.Position[0] + random.Float64(), v.Transform.Position[1], v.Transform.Position[2]}})
	case 7:
		return level.Set("", map[string]any{"environment.sun.lux": 1000 * random.Float64()})
	}
	return level.Remove(light.ID)
}

func TestAnEditAsksAgainOnlyWhatItReaches(t *testing.T) {
	l := demo.Yard()
	ready, err := bake.Prepare(l)
	require.NoError(t, err)
	profile, err := platform.Named("baked-arena")
	require.NoError(t, err)
	sub := check.Of(ready)
	sub.Against(profile)
	require.Equal(t, len(l.Lights), sub.Known())
	l, _, err = l.Apply(level.Set(l.Lights[3].ID, map[string]any{"range_m": 2}))
	require.NoError(t, err)
	ready, err = ready.Again(l)
	require.NoError(t, err)
	assert.Equal(t, len(l.Lights)-1, sub.Again(ready).Known())
}
