package preset_test

import (
	"bytes"
	"image"
	"image/png"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/merge"
	"grotta/core/preset"
	"grotta/demo"
)

func take(t *testing.T, l *level.Level, p *preset.Preset, place preset.Place) (*level.Level, []preset.Taking) {
	t.Helper()
	op, takings, err := p.Apply(l, place)
	require.NoError(t, err)
	next, _, err := l.Apply(op)
	require.NoError(t, err)
	return next, takings
}

func changed(t *testing.T, l *level.Level, ops ...level.Operation) *level.Level {
	t.Helper()
	next, _, err := l.Apply(level.Batch("", ops...))
	require.NoError(t, err)
	return next
}

func since(t *testing.T, p *preset.Preset, l *level.Level, taking preset.Taking) []preset.Changed {
	t.Helper()
	out, err := p.ChangedSince(preset.In(l), taking)
	require.NoError(t, err)
	return out
}

func pixels(t *testing.T, shade uint8) []byte {
	t.Helper()
	m := image.NewGray(image.Rect(0, 0, 4, 2))
	m.Pix[0] = shade
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.Bytes()
}

// withSkyImage is the station under a painted sky.
func withSkyImage(t *testing.T) *level.Level {
	return changed(t, demo.Saltmarsh(),
		level.Add("images", &level.Image{ID: "dusk", Name: "Dusk", Data: pixels(t, 200), Credit: "Ivo", Licence: "CC0-1.0"}),
		level.Set("", map[string]any{"environment.sky.kind": "image", "environment.sky.image": "dusk", "environment.mode": "outdoor"}))
}

func TestAMoodBringsItsImageAndReplacesTheOldSky(t *testing.T) {
	p := preset.FromMood(withSkyImage(t))
	require.NoError(t, p.Validate())
	assert.Empty(t, p.Uncredited())
	room := changed(t, demo.Room(), level.Add("images", &level.Image{ID: "dusk", Data: pixels(t, 7)}),
		level.Set("", map[string]any{"environment.sky.kind": "image", "environment.sky.image": "dusk", "environment.moon": level.Default[level.Sun]()}))
	next, takings := take(t, room, p, preset.Place{})
	require.Len(t, next.Images, 1, "the old image goes")
	assert.Equal(t, pixels(t, 200), next.Images[0].Data)
	assert.Equal(t, next.Images[0].ID, next.Environment.Sky.Image)
	assert.Equal(t, "Ivo", next.Images[0].Credit, "the credit travels")
	assert.Nil(t, next.Environment.Moon, "the station has no moon, so the old one goes")
	assert.Equal(t, "outdoor", next.Environment.Mode)
	assert.Empty(t, since(t, p, next, takings[0]))
	again, _ := take(t, next, p, preset.Place{})
	assert.Len(t, again.Images, 1)

	// A part alone leaves the rest, also the old image.
	some, _ := take(t, room, p, preset.Place{Only: []string{"fog", "sun"}})
	assert.Equal(t, room.Environment.Sky, some.Environment.Sky)
	assert.Equal(t, "dusk", some.Images[0].ID)
	assert.NotNil(t, some.Environment.Moon)

	// What something else shows stays.
	shown := changed(t, room, level.Set("wall-paint", map[string]any{"image": "dusk"}))
	kept, _ := take(t, shown, p, preset.Place{})
	assert.Len(t, kept.Images, 2)

	sky := preset.FromSky(withSkyImage(t))
	require.NoError(t, sky.Validate())
	under, _ := take(t, demo.Room(), sky, preset.Place{})
	assert.Equal(t, pixels(t, 200), under.Image(under.Environment.Sky.Image).Data)
	assert.Equal(t, demo.Room().Environment.Ambient, under.Environment.Ambient)
}

func TestPresetsAreTakenIntoZones(t *testing.T) {
	room := demo.Room()
	zone := room.Zones[0].ID
	mood := preset.FromMood(demo.Saltmarsh())
	next, takings := take(t, room, mood, preset.Place{Zones: []string{zone}, Only: []string{"fog", "look", "ambient"}})
	require.NotNil(t, next.Zones[0].Fog)
	assert.Equal(t, demo.Saltmarsh().Fog.Haze.Density, next.Zones[0].Fog.Haze.Density)
	assert.Equal(t, room.Fog, next.Fog, "the level's own stays")
	assert.Empty(t, since(t, mood, next, takings[0]))

	setUp, err := preset.FromZone(next, zone)
	require.NoError(t, err)
	require.NoError(t, setUp.Validate())
	other := changed(t, room, level.Add("zones", &level.Zone{ID: "hall", Boxes: []level.Box{}, Mode: "indoor", Play: "none"}))
	other, _ = take(t, other, setUp, preset.Place{Zones: []string{"hall"}})
	assert.Equal(t, next.Zones[0].Fog, level.ByID[level.Zone](other, "hall").Fog)
	assert.Equal(t, "story", level.ByID[level.Zone](other, "hall").Play)
	assert.Empty(t, level.ByID[level.Zone](other, "hall").Boxes, "a set-up has no place")

	whole := preset.FromEnvironment(next)
	require.NoError(t, whole.Validate())
	fresh, _ := take(t, demo.Room(), whole, preset.Place{})
	assert.Equal(t, next.Zones[0].Fog, fresh.Zones[0].Fog)

	for place, want := range map[string]preset.Place{
		"/zones/0 is": {Zones: []string{"nowhere"}}, "/only/0 is": {Only: []string{"sea"}},
	} {
		_, _, err := mood.Apply(room, want)
		assert.ErrorContains(t, err, place)
	}
	_, _, err = setUp.Apply(room, preset.Place{})
	assert.ErrorContains(t, err, "/zones are missing")
	_, _, err = preset.FromSky(room).Apply(room, preset.Place{Zones: []string{zone}})
	assert.ErrorContains(t, err, "/zones take moods")
}

func TestADensityPlanFollowsMaterials(t *testing.T) {
	dense := func(l *level.Level, floor, crate float64) *level.Level {
		return changed(t, l, level.Set("floor", map[string]any{"surface.density": floor}), level.Set("crate", map[string]any{"surface.density": crate}))
	}
	from := changed(t, dense(demo.Room(), 20, 20), level.Set("", map[string]any{"lightmap.density": 3.0}))
	p := preset.FromDensity(from)
	require.NoError(t, p.Validate())
	to := changed(t, dense(demo.Room(), 1, 2), level.Set("floor-board", map[string]any{"name": "FLOOR"}))
	next, takings := take(t, to, p, preset.Place{})
	assert.Equal(t, 3.0, next.Lightmap.Density)
	for _, id := range []string{"floor", "crate"} {
		assert.Equal(t, 20.0, level.ByID[level.Solid](next, id).Surface.Density, id)
	}
	part, _ := take(t, to, p, preset.Place{Only: []string{"density"}})
	assert.Equal(t, 1.0, level.ByID[level.Solid](part, "floor").Surface.Density)
	assert.Empty(t, since(t, p, next, takings[0]))
}

func TestARigIsKnownAgainWhereverItWasMoved(t *testing.T) {
	p, err := preset.FromRig(demo.Saltmarsh(), "lantern-1")
	require.NoError(t, err)
	room, takings := take(t, demo.Room(), p, preset.Place{At: &level.Vec{1, 2, 0}, More: []preset.Spot{{At: level.Vec{-2, 2, 0}, Normal: &level.Vec{1, 0, 0}}}})
	require.Len(t, takings, 2)
	require.Len(t, room.Rigs, 2)
	for _, taking := range takings {
		assert.Empty(t, since(t, p, room, taking))
	}
	// All of one is turned and moved: that is no change of it.
	rig := takings[1].Rig(p)
	c, s := math.Cos(0.4), math.Sin(0.4)
	var moves []level.Operation
	for _, e := range room.Placed() {
		if e.Rig != rig || e.Parent != "" {
			continue
		}
		at, q := e.Transform.Position, e.Transform.Rotation
		turn := [4]float64{0, math.Sin(0.2), 0, math.Cos(0.2)}
		moves = append(moves, level.Set(e.ID, map[string]any{
			"transform.position": level.Vec{at[0]*c + at[2]*s + 0.7, at[1] + 0.1, -at[0]*s + at[2]*c - 0.3},
			"transform.rotation": [4]float64{turn[3]*q[0] + turn[1]*q[2], turn[3]*q[1] + turn[1]*q[3], turn[3]*q[2] - turn[1]*q[0], turn[3]*q[3] - turn[1]*q[1]},
		}))
	}
	room = changed(t, room, moves...)
	assert.Empty(t, since(t, p, room, takings[1]))

	// One part of it is changed, in one field.
	lamp := ""
	for _, l := range room.Lights {
		if l.Rig == rig {
			lamp = l.ID
		}
	}
	room = changed(t, room, level.Set(lamp, map[string]any{"strength": 3.0}))
	over := since(t, p, room, takings[1])
	require.Len(t, over, 1)
	assert.Equal(t, preset.Changed{Part: "lights", ID: lamp, Path: "strength", Was: p.Parts.Lights[0].Strength, Is: 3.0}, over[0])

	// A newer version: another key, a stronger lamp, a part more and one less.
	text, err := level.Encode(p)
	require.NoError(t, err)
	next, err := preset.Parse(text)
	require.NoError(t, err)
	next.Rig.KeyKelvin, next.Parts.Rigs[0].KeyKelvin = 5000, 5000
	next.Parts.Lights[0].Strength, next.Parts.Lights[0].RadiusM = 444, 0.2
	gone := next.Parts.Glows[0].ID
	next.Parts.Glows = next.Parts.Glows[1:]
	hook := *next.Parts.Solids[0]
	hook.ID = p.Rig.ID + "-hook"
	next.Parts.Solids = append(next.Parts.Solids, &hook)
	require.NoError(t, next.Validate())

	host := preset.In(room)
	solids := len(room.Solids)
	var steps []level.Operation
	for i, taking := range takings {
		op, to, clashes, err := p.Update(host, next, taking, nil)
		require.NoError(t, err)
		steps = append(steps, op)
		if i == 0 {
			assert.Empty(t, clashes)
		} else {
			require.Len(t, clashes, 1, "the strength, which both have changed")
			assert.Equal(t, "lights/"+lamp+"/strength", clashes[0].Name())
		}
		takings[i] = to
	}
	updated := changed(t, room, steps...)
	assert.Equal(t, 3.0, updated.Light(lamp).Strength, "what was changed here holds")
	assert.Equal(t, 0.2, updated.Light(lamp).RadiusM)
	assert.Equal(t, 5000.0, updated.RigByID(rig).KeyKelvin)
	assert.Len(t, updated.Solids, solids+2)
	for _, g := range updated.Glows {
		assert.NotEqual(t, takings[0].Names[gone], g.ID)
	}
	assert.Empty(t, since(t, next, updated, takings[0]))
	assert.Len(t, since(t, next, updated, takings[1]), 1)
	op, _, _, err := p.Update(host, next, takings[1], func(merge.Clash) bool { return true })
	require.NoError(t, err)
	assert.Equal(t, 444.0, changed(t, room, op).Light(lamp).Strength)
}

func TestAMoodIsUpdatedFieldByField(t *testing.T) {
	old := preset.FromMood(demo.Saltmarsh())
	l, takings := take(t, demo.Room(), old, preset.Place{})
	l = changed(t, l, level.Set("", map[string]any{"look.exposure_ev": 1.0, "fog.haze.max": 0.5}))
	next := preset.FromMood(changed(t, demo.Saltmarsh(), level.Set("", map[string]any{"fog.haze.density": 0.5, "look.exposure_ev": 2.0, "environment.sun": level.Default[level.Sun]()})))
	op, _, clashes, err := old.Update(preset.In(l), next, takings[0], nil)
	require.NoError(t, err)
	require.Len(t, clashes, 1)
	assert.Equal(t, "look.exposure_ev", clashes[0].Name())
	out := changed(t, l, op)
	assert.Equal(t, 0.5, out.Fog.Haze.Density)
	assert.Equal(t, 0.5, out.Fog.Haze.Max)
	assert.Equal(t, 1.0, out.Look.ExposureEV)
	assert.NotNil(t, out.Environment.Sun)
	_, _, _, err = old.Update(preset.In(l), preset.FromLook(l), takings[0], nil)
	assert.ErrorContains(t, err, "/kind")
}

func TestTintSaysHowBrightAndOfWhatColour(t *testing.T) {
	for name, want := range map[string][]string{
		"candle": {"dark", "orange", "warm"}, "water-glow": {"dim", "cyan", "cool"}, "clear-noon": {"bright"}, "underground": {"dark"}, "rain-cloud": {"bright"},
		"blue-hour": {"dim", "blue", "cool"}, "floodlight": {"medium"}, "warning-light": {"dim", "red", "warm"},
	} {
		brightness, words := preset.StarterNamed(name).Preset.Tint()
		assert.Equal(t, want[0], brightness, name)
		for _, w := range want[1:] {
			assert.Contains(t, words, w, name)
		}
	}
	brightness, words := preset.StarterNamed("silver").Preset.Tint()
	assert.Empty(t, brightness)
	assert.Empty(t, words)
}

// The library has what it promises: each one is credited, tagged, judged right and like no other.
func TestTheStarterLibrary(t *testing.T) {
	kinds, names, hashes := map[string]int{}, map[string]bool{}, map[string]string{}
	for _, s := range preset.Starters() {
		require.NoError(t, s.Preset.Validate(), s.Name)
		kinds[s.Preset.Kind]++
		assert.NotEmpty(t, s.Note)
		assert.NotEmpty(t, s.Tags)
		assert.False(t, names[s.Name], s.Name)
		names[s.Name] = true
		hash, err := s.Preset.Hash()
		require.NoError(t, err)
		assert.Empty(t, hashes[hash], s.Name)
		hashes[hash] = s.Name
		assert.Empty(t, s.Preset.Uncredited())
	}
	assert.GreaterOrEqual(t, kinds[preset.Rig], 24)
	assert.GreaterOrEqual(t, kinds[preset.Mood]+kinds[preset.Look], 24)
}
