package preset_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/core/sky"
	"grotta/demo"
)

// Each rig can be read, is one rig lit by one key, and stands off whatever it
// is set against: nothing of its body is behind the surface, and something is
// close to it.
func TestStarterRigsStandOffTheirSurface(t *testing.T) {
	for _, r := range preset.Starters() {
		if r.Preset.Kind != preset.Rig {
			continue
		}
		text, err := level.Encode(r.Preset)
		require.NoError(t, err, r.Name)
		p, err := preset.Parse(text)
		require.NoError(t, err, r.Name)
		for _, normal := range []level.Vec{{0, 1, 0}, {0, -1, 0}, {1, 0, 0}, {0, 0, -1}, {0.6, 0, 0.8}} {
			at := level.Vec{2, 1, -3}
			op, _, err := p.Apply(demo.Room(), preset.Place{Origin: "recipes/" + r.Name, At: &at, Normal: &normal})
			require.NoError(t, err, r.Name)
			l, inverse, err := demo.Room().Apply(op)
			require.NoError(t, err, r.Name)
			world, lowest := l.World(), math.Inf(1)
			for _, s := range l.Solids {
				if s.Rig == "" {
					continue
				}
				for _, face := range s.FacePolygons() {
					for _, v := range face {
						lowest = min(lowest, world.Pose(&s.Entity).Apply(v).Sub(geom.Vec3(at)).Dot(geom.Vec3(normal)))
					}
				}
			}
			assert.GreaterOrEqual(t, lowest, 0.002-1e-9, "%s on %v", r.Name, normal)
			nearest := lowest
			for _, light := range l.Lights {
				if light.Rig == "" {
					continue
				}
				off := world.Pose(&light.Entity).Position.Sub(geom.Vec3(at)).Dot(geom.Vec3(normal))
				assert.GreaterOrEqual(t, off, 0.0, "%s on %v: %s is behind the surface", r.Name, normal, light.ID)
				nearest = min(nearest, off-light.RadiusM)
				keyed := r.Preset.Rig.KeyColor != "" || r.Preset.Rig.KeyKelvin > 0
				assert.True(t, !keyed || light.Color == "" && light.Kelvin == 0, "%s: the key colours %s", r.Name, light.ID)
			}
			assert.Less(t, nearest, 0.15, "%s on %v stands close to it", r.Name, normal)
			back, _, err := l.Apply(inverse)
			require.NoError(t, err)
			assert.Equal(t, len(demo.Room().Solids), len(back.Solids), "undone")
		}
	}
	require.NotNil(t, preset.StarterNamed("candle"))
	assert.Nil(t, preset.StarterNamed("no-such"))
}

// One key for a whole rig: its glow, beam and mist follow the lamp.
func TestPartsOfARigFollowItsKey(t *testing.T) {
	at := level.Vec{0, 2, 0}
	op, _, err := preset.StarterNamed("lantern-in-mist").Preset.Apply(demo.Room(), preset.Place{Origin: "recipes/lantern-in-mist", At: &at})
	require.NoError(t, err)
	l, _, err := demo.Room().Apply(op)
	require.NoError(t, err)
	rig := l.Rigs[0]
	next, _, err := l.Apply(level.Set(rig.ID, map[string]any{"key_color": "#00ff00", "key_strength": 0.5}))
	require.NoError(t, err)
	lamp := next.Light(rig.ID + "-lamp")
	assert.Equal(t, "#00ff00", next.Color(lamp).Hex())
	assert.Equal(t, 70.0, next.Strength(lamp))
	made := air.Of(next, next.World(), sky.OfLevel(next))
	for _, nits := range []color.Linear{made.Volumes[0].Nits, made.Glows[0].Color} {
		assert.True(t, nits[1] > 0 && nits[0] == 0 && nits[2] == 0, "mist and glow are green too")
	}
}

// A rig keeps its air when it is saved and placed elsewhere; what followed a light
// outside keeps the colour.
func TestRigsCarryTheirAir(t *testing.T) {
	l := demo.Room()
	at := level.Vec{1, 2.4, 0}
	op, _, err := preset.StarterNamed("floodlight").Preset.Apply(l, preset.Place{Origin: "recipes/floodlight", At: &at})
	require.NoError(t, err)
	l, _, err = l.Apply(op)
	require.NoError(t, err)
	l.Motes[0].ColorFrom = "lamp" // the room's own
	saved, err := preset.FromRig(l, l.Rigs[0].ID)
	require.NoError(t, err)
	require.NoError(t, saved.Validate())
	require.Len(t, saved.Parts.Beams, 1)
	require.Len(t, saved.Parts.Motes, 1)
	assert.Empty(t, saved.Parts.Motes[0].ColorFrom)
	own, err := color.ParseHex(saved.Parts.Motes[0].Color)
	require.NoError(t, err)
	for c, nits := range l.Color(l.Light("lamp")).Scale(l.Motes[0].Luminance) { // as bright and as warm as before
		assert.InDelta(t, nits, own[c]*saved.Parts.Motes[0].Luminance, 0.005*saved.Parts.Motes[0].Luminance)
	}
	lamp := l.Beams[0].Light
	l.Beams[0].Light, l.Beams[0].Color = "lamp", "#3060ff"
	blue, err := preset.FromRig(l, l.Rigs[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []any{"#3060ff", "", l.Beams[0].Luminance}, []any{blue.Parts.Beams[0].Color, blue.Parts.Beams[0].Light, blue.Parts.Beams[0].Luminance}, "a colour of its own stays")
	l.Beams[0].Light, l.Beams[0].Color = lamp, ""
	op, _, err = saved.Apply(l, preset.Place{Origin: "maren/mine@1", At: &at})
	require.NoError(t, err)
	twice, _, err := l.Apply(op)
	require.NoError(t, err)
	require.Len(t, twice.Beams, 2)
	assert.NotEqual(t, twice.Beams[0].Light, twice.Beams[1].Light, "each beam has its own lamp")
}

func TestLookAloneAndOldMoods(t *testing.T) {
	from := demo.Saltmarsh()
	look := preset.FromLook(from)
	require.NoError(t, look.Validate())
	op, _, err := look.Apply(demo.Room(), preset.Place{})
	require.NoError(t, err)
	l, _, err := demo.Room().Apply(op)
	require.NoError(t, err)
	assert.Equal(t, from.Look.Bloom, l.Look.Bloom)
	assert.Equal(t, demo.Room().Fog, l.Fog, "a look is no fog")

	// As a mood was written when there was no fog but haze.
	old, err := preset.Parse([]byte(`{"format":"grotta-preset/1","kind":"mood","mood":{"ambient":{},"sky":{},"haze":{"enabled":true,"density":0.03},"look":{}}}`))
	require.NoError(t, err)
	assert.True(t, old.Mood.Fog.Haze.Enabled)
	assert.Equal(t, 0.03, old.Mood.Fog.Haze.Density)
	assert.Nil(t, old.Mood.Haze)
}

func TestPlacesThatCannotBe(t *testing.T) {
	p := preset.StarterNamed("candle").Preset
	_, _, err := p.Apply(demo.Room(), preset.Place{})
	assert.ErrorContains(t, err, "/at is missing")
	_, _, err = p.Apply(demo.Room(), preset.Place{At: &level.Vec{}, Normal: &level.Vec{}})
	assert.ErrorContains(t, err, "/normal has no length")
	_, err = preset.Parse([]byte(`{"format":"grotta-preset/1","kind":"look"}`))
	assert.ErrorContains(t, err, "a look a look")
}

// Every starter stands on the stage: what it needs is there, and a level made of it is valid.
func TestEveryStarterStandsOnTheStage(t *testing.T) {
	for _, s := range preset.Starters() {
		staged, err := s.Preset.Stage()
		require.NoError(t, err, s.Name)
		require.NoError(t, staged.Level.Validate(), s.Name)
		assert.Len(t, staged.Level.Viewpoints, 1, s.Name)
		assert.Equal(t, s.Preset.Kind == preset.Rig || s.Preset.Kind == preset.Look, staged.Meter, s.Name)
	}
	zone, err := preset.FromZone(demo.Room(), "room")
	require.NoError(t, err)
	_, err = zone.Stage()
	require.NoError(t, err)
	_, err = preset.FromDensity(demo.Room()).Stage()
	require.NoError(t, err)
}
