package platform_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/platform"
)

const tent = `format: grotta-platform/1
name: tent
title: Tent
space: {unit_m: 1, up: y, handed: right}
lights: {kinds: [point]}
limits: {lights: {max: 4, why: It is small.}, bytes_per_texel: 8}
play: {story_lux: 1, compete_lux: 2}
`

func TestShippedProfilesAreWhole(t *testing.T) {
	all, err := platform.Shipped()
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(all), 3)
	for _, p := range all {
		assert.NotEmpty(t, p.Title)
		assert.NotEmpty(t, p.Lights.Kinds)
	}
	_, err = platform.Named("nowhere")
	assert.ErrorContains(t, err, "baked-arena", "the error says what there is")
}

func TestProfilesAsYAMLAndJSON(t *testing.T) {
	p, err := platform.Parse([]byte(tent))
	require.NoError(t, err)
	assert.Equal(t, 4.0, p.Limits.Lights.Max)
	assert.Nil(t, p.Limits.ZoneLights, "a limit that is left out does not bind")
	p, err = platform.Parse([]byte(`{"format":"grotta-platform/1","name":"j","title":"J","space":{"unit_m":1,"up":"z","handed":"left"},"lights":{"kinds":["spot"]},"limits":{},"play":{}}`))
	require.NoError(t, err)
	assert.Equal(t, "z", p.Space.Up)
	assert.Equal(t, 0.5, p.Play.StoryLux)
}

func TestProfilesThatCannotBe(t *testing.T) {
	swap := func(from, to string) string { return strings.Replace(tent, from, to, 1) }
	for name, c := range map[string]struct{ text, want string }{
		"not YAML":      {"a: [", "is not YAML"},
		"other format":  {swap("platform/1", "platform/9"), "/format"},
		"unknown field": {swap("title: Tent", "titel: Tent"), "titel"},
		"no title":      {swap("title: Tent", "title: ''"), "/title is empty"},
		"unknown kind":  {swap("[point]", "[neon]"), `/lights/kinds/0 is "neon"`},
		"negative":      {swap("max: 4", "max: -4"), "/limits/lights/max is -4"},
		"no reason":     {swap("why: It is small.", "why: ''"), "/limits/lights/why is empty"},
		"text":          {swap("max: 4", "max: many"), "/limits/lights/max is text; a number is needed"},
		"too large":     {tent + strings.Repeat("#", platform.MaxBytes), "the most is"},
	} {
		_, err := platform.Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(tent))
	f.Add([]byte("a: &a [*a]"))
	f.Fuzz(func(_ *testing.T, text []byte) { platform.Parse(text) })
}
