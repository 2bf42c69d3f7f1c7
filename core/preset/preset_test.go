package preset_test

import (
	"bytes"
	"image"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
)

func TestRigGoesFromOneLevelIntoAnotherAndTwice(t *testing.T) {
	p, err := preset.FromRig(demo.Saltmarsh(), "lantern-2")
	require.NoError(t, err)
	room := demo.Room()
	for range 2 {
		op, _, err := p.Apply(room, preset.Place{Origin: "ivo/lantern@1", At: &level.Vec{1, 2, 0}})
		require.NoError(t, err)
		room, _, err = room.Apply(op)
		require.NoError(t, err)
	}
	require.Len(t, room.Rigs, 2)
	assert.Equal(t, "ivo/lantern@1", room.Rigs[0].Preset)
	var lamps []*level.Light
	for _, l := range room.Lights {
		if l.Rig != "" {
			lamps = append(lamps, l)
		}
	}
	require.Len(t, lamps, 2)
	assert.NotEqual(t, lamps[0].ID, lamps[1].ID)
	assert.Equal(t, level.Vec{1, 2, 0}, lamps[0].Transform.Position, "the anchor is the lamp")
	for _, g := range room.Glows {
		assert.Equal(t, g.Rig, room.Light(g.ColorFrom).Rig, "each glow follows its own lamp")
	}
	iron := 0
	for _, m := range room.Materials {
		if m.Color == "#2c2e30" {
			iron++
		}
	}
	assert.Equal(t, 1, iron, "a material that is there already is used")
}

// A rig brings the images and profiles that its parts show and shine by; what is there already is used.
func TestRigBringsItsImagesAndProfiles(t *testing.T) {
	from := demo.Saltmarsh()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 2, 2))))
	post := from.Light("lantern-2-light")
	require.NotNil(t, post)
	from, _, err := from.Apply(level.Batch("",
		level.Add("images", &level.Image{ID: "bars", Data: b.Bytes()}),
		level.Set(post.ID, map[string]any{"kind": "spot", "profile": "deep-shade", "gobo": map[string]any{"image": "bars"}}),
	))
	require.NoError(t, err)
	p, err := preset.FromRig(from, "lantern-2")
	require.NoError(t, err)
	require.NoError(t, p.Validate())
	room := demo.Room()
	for range 2 {
		op, _, err := p.Apply(room, preset.Place{At: &level.Vec{1, 2, 0}})
		require.NoError(t, err)
		room, _, err = room.Apply(op)
		require.NoError(t, err)
	}
	require.Len(t, room.Images, 1)
	require.Len(t, room.Profiles, 1)
	for _, l := range room.Lights {
		if l.Rig != "" {
			assert.Equal(t, room.Profiles[0].ID, l.Profile)
			assert.Equal(t, room.Images[0].ID, l.Gobo.Image)
		}
	}
}

func TestMoodReplacesAllOfItAndUndoes(t *testing.T) {
	from := demo.Saltmarsh()
	p := preset.FromMood(from)
	room := demo.Room()
	before, err := level.Encode(room)
	require.NoError(t, err)
	op, _, err := p.Apply(room, preset.Place{Origin: "maren/dusk@3"})
	require.NoError(t, err)
	next, inverse, err := room.Apply(op)
	require.NoError(t, err)
	assert.Equal(t, from.Environment.Ambient, next.Environment.Ambient)
	assert.Equal(t, from.Fog.Haze, next.Fog.Haze)
	assert.Equal(t, from.Look.ExposureEV, next.Look.ExposureEV)
	assert.Equal(t, room.Lights, next.Lights, "lights are no part of a mood")
	back, _, err := next.Apply(inverse)
	require.NoError(t, err)
	after, err := level.Encode(back)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))
}

func TestPresetsGoThroughTheirEncoding(t *testing.T) {
	for _, d := range demo.Presets() {
		text, err := level.Encode(d.Preset)
		require.NoError(t, err)
		back, err := preset.Parse(text)
		require.NoError(t, err)
		a, err := d.Preset.Hash()
		require.NoError(t, err)
		b, err := back.Hash()
		require.NoError(t, err)
		assert.Equal(t, a, b)
	}
}

func TestPresetsThatCannotBe(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"no JSON":      {`{`, "is not JSON"},
		"other format": {`{"format":"x"}`, "/format"},
		"no content":   {`{"format":"grotta-preset/1","kind":"rig"}`, "/kind"},
		"both":         {`{"format":"grotta-preset/1","kind":"mood","mood":{},"parts":{}}`, "/kind"},
		"bad mood":     {`{"format":"grotta-preset/1","kind":"mood","mood":{"ambient":{"color":"red","strength":1}}}`, "/ambient/color"},
		"a stranger":   {`{"format":"grotta-preset/1","kind":"rig","rig":{"id":"r"},"parts":{"format":"grotta-level/1","rigs":[{"id":"r"}],"lights":[{"id":"l"}]}}`, "/parts/lights/0/rig"},
	} {
		_, err := preset.Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
	_, err := preset.FromRig(demo.Saltmarsh(), "nothing")
	assert.ErrorContains(t, err, "no such rig")
	rig, err := preset.FromRig(demo.Saltmarsh(), "lantern-1")
	require.NoError(t, err)
	_, _, err = rig.Apply(demo.Room(), preset.Place{})
	assert.ErrorContains(t, err, "/at")
}

func FuzzParse(f *testing.F) {
	for _, d := range demo.Presets() {
		text, err := level.Encode(d.Preset)
		require.NoError(f, err)
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		p, err := preset.Parse(text)
		if err != nil {
			return
		}
		if op, _, err := p.Apply(demo.Room(), preset.Place{At: &level.Vec{}}); err == nil {
			_, _, err = demo.Room().Apply(op)
			require.NoError(t, err)
		}
	})
}

func TestAMoodIsTakenInParts(t *testing.T) {
	from, room := demo.Saltmarsh(), demo.Room()
	op, _, err := preset.FromMood(from).Apply(room, preset.Place{Origin: "maren/dusk@3", Only: []string{"fog", "sky"}})
	require.NoError(t, err)
	assert.Equal(t, "Apply maren/dusk@3: fog, sky", op.Label)
	next, _, err := room.Apply(op)
	require.NoError(t, err)
	assert.Equal(t, from.Fog.Haze, next.Fog.Haze)
	assert.Equal(t, from.Environment.Sky, next.Environment.Sky)
	assert.Equal(t, room.Environment.Ambient, next.Environment.Ambient)
	assert.Equal(t, room.Look, next.Look)
}
