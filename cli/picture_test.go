package cli

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/air"
	"grotta/core/level"
)

func TestSizes(t *testing.T) {
	w, h := 1, 1
	s := size{&w, &h}
	require.NoError(t, s.Set("1280x800"))
	assert.Equal(t, [2]int{1280, 800}, [2]int{w, h})
	assert.Equal(t, "1280x800", s.String())
	for _, bad := range []string{"", "1280", "1280x", "x800", "1280*800", "15x100", "100x4097", "-20x20", "1e3x20"} {
		assert.ErrorContains(t, s.Set(bad), "1280x800", bad)
	}
	assert.Equal(t, [2]int{1280, 800}, [2]int{w, h}, "a bad one changes nothing")
}

func TestSidesOfAComparison(t *testing.T) {
	ref, v, err := parseSide("Saltmarsh Light,at=3,variant=ivo/clear-night@2,look=off,air=off,display=pocket")
	require.NoError(t, err)
	assert.Equal(t, "Saltmarsh Light", ref)
	assert.Equal(t, api.Variant{Revision: 3, Preset: "ivo/clear-night@2", Look: "off", Air: "off", Display: "pocket"}, v)
	ref, v, err = parseSide("Yard")
	require.NoError(t, err)
	assert.Equal(t, "Yard", ref)
	assert.Equal(t, api.Variant{}, v)
	for text, says := range map[string]string{"Yard,": "not understood", "Yard,at=0": "at is a revision", "Yard,at": "at is a revision", "Yard,hue=1": "allowed is at"} {
		_, _, err := parseSide(text)
		assert.ErrorContains(t, err, says, text)
	}
}

func TestNewEntities(t *testing.T) {
	got, err := newEntity("beam", "1,2,3", "0,-1,0", map[string]any{"length_m": 4.0, "shadows.cast": false, "shadows.depth": 0.5})
	require.NoError(t, err)
	assert.Equal(t, "beam", got["id"])
	assert.Equal(t, map[string]any{"cast": false, "depth": 0.5}, got["shadows"])
	transform := got["transform"].(map[string]any)
	assert.EqualValues(t, level.Vec{1, 2, 3}, transform["position"])
	assert.Len(t, transform["rotation"], 4)
	plain, err := newEntity("glow", "", "", nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"id": "glow"}, plain)
	_, err = newEntity("glow", "1,2", "", nil)
	assert.ErrorContains(t, err, "--at")
	_, err = newEntity("glow", "", "up", nil)
	assert.ErrorContains(t, err, "--aim")
}

func TestRemovals(t *testing.T) {
	assert.Equal(t, level.OpRemove, removal([]string{"a"}).Op)
	two := removal([]string{"a", "b"})
	assert.Equal(t, level.OpBatch, two.Op)
	assert.Len(t, two.Steps, 2)
	assert.Equal(t, "Remove a, b", two.Label)
}

func TestAirIsTold(t *testing.T) {
	report := &api.AirReport{
		Air:   air.Air{Volumes: make([]air.Volume, 2), Motes: []air.Emitter{{Motes: make([]air.Mote, 30)}}, Left: []string{"mist-9"}},
		Sight: []api.Sight{{SizeM: 0.5, VanishM: 61.4}, {Zone: "pier", SizeM: 2, VanishM: 8}},
		Costs: []api.Cost{{Volume: "bank", Cells: 1200, Sources: []string{"sun", "lamp"}, Rays: 9600, Bytes: 57600}, {Cells: 5}},
	}
	var b bytes.Buffer
	describeAir(&b, report)
	for _, line := range []string{"level +0.5 m +61 m", "pier +2 m +8 m", "2 fog volumes, 0 glows, 0 beams, 30 motes", "left out: mist-9", `bank +1200 +sun, lamp +9600 +0.1 MB`, "all of the level +5"} {
		assert.Regexp(t, line, b.String())
	}
}
