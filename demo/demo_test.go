package demo_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/demo"
)

// What the demo promises: a station of some size, in zones, with something to fix.
func TestSaltmarsh(t *testing.T) {
	l := demo.Saltmarsh()
	require.NoError(t, l.Validate())
	assert.GreaterOrEqual(t, len(l.Solids)+len(l.Meshes), 60)
	assert.GreaterOrEqual(t, len(l.Zones), 4)
	assert.GreaterOrEqual(t, len(l.Lights), 15)
	assert.GreaterOrEqual(t, len(l.Viewpoints), 6)
	lit := map[string]bool{}
	for _, light := range l.Lights {
		if z := l.World().ZoneOf(&light.Entity); z != nil {
			lit[z.ID] = true
		}
	}
	assert.Len(t, lit, len(l.Zones), "every zone has a light")
	again, err := level.Encode(demo.Saltmarsh())
	require.NoError(t, err)
	once, err := level.Encode(l)
	require.NoError(t, err)
	assert.Equal(t, string(once), string(again), "the same each time it is made")
}

func TestStarts(t *testing.T) {
	for from, lights := range map[string]int{"demo": 18, "noon": 18, "night": 18, "mill": 9, "yard": 15, "room": 1, "empty": 0, "": 0} {
		l := demo.Start(from)
		require.NoError(t, l.Validate(), from)
		assert.Len(t, l.Lights, lights, from)
	}
}

// Every exhibit is a level that can be lit, and there is one of every kind.
func TestExhibits(t *testing.T) {
	kinds, skies := map[string]bool{}, map[string]bool{}
	for _, e := range append(demo.LightKinds(), demo.Skies()...) {
		require.NoError(t, e.Level.Validate(), e.Label)
		p, err := bake.Prepare(e.Level)
		require.NoError(t, err, e.Label)
		shines := false
		for _, s := range p.Sources {
			shines = shines || s.Weight.Luminance() > 0
		}
		assert.True(t, shines, e.Label)
		for _, l := range e.Level.Lights {
			kinds[l.Kind] = true
		}
		if e.Level.Environment.Sky.Luminance > 0 {
			skies[e.Level.Environment.Sky.Kind] = true
		}
		for _, image := range e.Level.Images {
			assert.NotEmpty(t, image.Credit, e.Label)
			assert.NotEmpty(t, image.Licence, e.Label)
		}
	}
	assert.Len(t, kinds, 7)
	assert.Len(t, skies, 5)
}

func TestPresetsApplyToTheDemo(t *testing.T) {
	for _, p := range demo.Presets() {
		assert.NotEmpty(t, p.Tags, p.Name)
		assert.NotNil(t, p.Preset, p.Name)
	}
}

// The hard places are levels that the service takes.
func TestHardPlacesAreLevels(t *testing.T) {
	places := demo.HardPictures()
	for _, pair := range demo.SurfacePairs() {
		places = append(places, pair[:]...)
	}
	for _, place := range places {
		text, err := level.Encode(place.Level)
		require.NoError(t, err)
		_, _, err = level.Parse(text)
		assert.NoError(t, err, place.Label)
	}
}
