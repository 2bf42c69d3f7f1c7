package level_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/demo"
)

// Air that means nothing is refused, each with its place.
func TestAirThatCannotBe(t *testing.T) {
	for says, set := range map[string]func(l *level.Level){
		"/fog/haze/end_m is 5; at least start_m, 15":                  func(l *level.Level) { l.Fog.Haze.EndM = 5 },
		`/fog/haze/color_from is "moon"`:                              func(l *level.Level) { l.Fog.Haze.ColorFrom = "moon" },
		"/fog/height/falloff_m is 0; more than 0 is needed":           func(l *level.Level) { l.Fog.Height.FalloffM = 0 },
		"/fog/lit is \"some\"":                                        func(l *level.Level) { l.Fog.Lit = "some" },
		"/fog_volumes/0/size/1 is 0; more than 0 is needed":           func(l *level.Level) { l.FogVolumes[0].Size[1] = 0 },
		"/fog_volumes/0/density is -1; allowed is 0 to 100":           func(l *level.Level) { l.FogVolumes[0].Density = -1 },
		"/glows/0/image is missing":                                   func(l *level.Level) { l.Glows[0].Shape = "image" },
		"/glows/0/fade_end_m is 3; at least fade_start_m, 9":          func(l *level.Level) { l.Glows[0].FadeStartM, l.Glows[0].FadeEndM = 9, 3 },
		`/beams/0/light is "nobody"`:                                  func(l *level.Level) { l.Beams[0].Light = "nobody" },
		"/beams/0/angle_deg is 90; the most is 80":                    func(l *level.Level) { l.Beams[0].AngleDeg = 90 },
		"/motes/0/rate_hz gives 6000 motes at once; the most is 4000": func(l *level.Level) { l.Motes[0].RateHz, l.Motes[0].LifeS = 1000, 6 },
		"/motes/0/size_max_m is 0.001; at least size_min_m":           func(l *level.Level) { l.Motes[0].SizeMaxM = 0.001 },
		"/paths/0/keys/1/at_s is 0; more than the key before it":      func(l *level.Level) { l.Paths[0].Keys[1].AtS = 0 },
		"/paths/0/keys/0/rotation has length 0":                       func(l *level.Level) { l.Paths[0].Keys[0].Rotation = [4]float64{} },
		"/look/tone is \"soft\"":                                      func(l *level.Level) { l.Look.Tone = "soft" },
		"/look/grade/power/1 is 0; allowed is 0.01 to 16":             func(l *level.Level) { l.Look.Grade.Power[1] = 0 },
		"/environment/stars/count is 9000; the most is 5000":          func(l *level.Level) { l.Environment.Stars.Count = 9000 },
		"/lights/0/follows is \"sun\"; only a directional or a box":   func(l *level.Level) { l.Lights[1].Follows, l.Lights[0], l.Lights[1] = "sun", l.Lights[1], l.Lights[0] },
		"/zones/0/fog/haze/end_m is 1":                                func(l *level.Level) { f := l.Fog; f.Haze.EndM = 1; l.Zones[0].Fog = &f },
	} {
		l := demo.Saltmarsh()
		set(l)
		assert.ErrorContains(t, l.Validate(), says, says)
	}
}

// What took its colour from a light keeps standing when that light goes, and gets
// it back when it comes back.
func TestAirLetsGoOfALightThatGoes(t *testing.T) {
	l := demo.Saltmarsh()
	l.Fog.Haze.ColorFrom, l.FogVolumes[0].ColorFrom, l.Motes[0].ColorFrom = "great-lens", "great-lens", "great-lens"
	before, err := level.Encode(l)
	require.NoError(t, err)
	next, inverse, err := l.Apply(level.Remove("great-lens"))
	require.NoError(t, err)
	assert.Empty(t, next.Beams[0].Light+next.Fog.Haze.ColorFrom+next.FogVolumes[0].ColorFrom+next.Motes[0].ColorFrom)
	back, _, err := next.Apply(inverse)
	require.NoError(t, err)
	after, err := level.Encode(back)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))
}

func TestLightsThatFollowTheSun(t *testing.T) {
	l := demo.Noon()
	box := level.NewLight("shaft", level.BoxLight)
	box.Follows, box.Strength, box.Color = "sun", 1, "#ff0000"
	l.Lights = append(l.Lights, box)
	sun := l.Environment.Sun
	assert.Equal(t, sun.Lux, l.Strength(box))
	assert.Equal(t, sun.Hue(), l.Color(box))
	assert.InDelta(t, 1, l.World().Pose(&box.Entity).Forward().Dot(sun.Toward().Mul(-1)), 1e-9)
	assert.True(t, l.Shines(box))
	sun.AltitudeDeg = -3
	assert.False(t, l.Shines(box), "by night it is out")
	l.Environment.Sun = nil
	assert.False(t, l.Shines(box), "and where there is no sun")
}

// A world is read by many at once, whatever they ask for first.
func TestWorldIsReadByMany(t *testing.T) {
	l := demo.Saltmarsh()
	world := l.World()
	var wait sync.WaitGroup
	for range 8 {
		wait.Go(func() {
			for _, p := range l.Placed() {
				world.Pose(p.Entity)
			}
			world.Pose(&level.Entity{ID: "no-such", Transform: level.Default[level.Transform]()})
		})
	}
	wait.Wait()
}
