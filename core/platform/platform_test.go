package platform_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
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

// Places go to each target and back; north, up and handedness come out as the profile says.
func TestPlacesInATargetsTerms(t *testing.T) {
	all, err := platform.Shipped()
	require.NoError(t, err)
	require.Len(t, all, 6)
	r := rand.New(rand.NewPCG(1, 2))
	for _, p := range all {
		s := &p.Space
		for range 500 {
			at := level.Vec{r.NormFloat64() * 50, r.NormFloat64() * 50, r.NormFloat64() * 50}
			back := s.Metres(s.Point(at))
			for i := range 3 {
				assert.InDelta(t, at[i], back[i], 1e-9)
			}
		}
		x, up, z := s.Point(level.Vec{1, 0, 0}), s.Point(level.Vec{0, 1, 0}), s.Point(level.Vec{0, 0, 1})
		axis := map[string]int{"y": 1, "z": 2}[s.Up]
		assert.InDelta(t, 1/s.UnitM, up[axis], 1e-9, "%s: up is its %s", p.Name, s.Up)
		// The determinant of the axes is positive in a right-handed space.
		det := x[0]*(up[1]*z[2]-up[2]*z[1]) - up[0]*(x[1]*z[2]-x[2]*z[1]) + z[0]*(x[1]*up[2]-x[2]*up[1])
		assert.Equal(t, s.Handed == "right", det > 0, p.Name)
	}
}

// What fields say against each other is refused, with the line.
func TestContradictions(t *testing.T) {
	add := func(text string) string { return tent + text }
	for name, c := range map[string]struct{ text, want string }{
		"reserve":           {strings.Replace(tent, "limits: {", "limits: {shadow_overlap: {max: 2, reserve: 2, why: x}, ", 1), "/limits/shadow_overlap/reserve is 2 of 2"},
		"zone over all":     {strings.Replace(tent, "limits: {", "limits: {zone_lights: {max: 9, why: x}, ", 1), "more than the 4 in all (line 6)"},
		"zero":              {strings.Replace(tent, "max: 4", "max: 0", 1), "/limits/lights/max is 0"},
		"huge":              {strings.Replace(tent, "max: 4", "max: 1e30", 1), "/limits/lights/max is 1e+30"},
		"cycle":             {strings.Replace(tent, "[point]", "[point], instead: {spot: dome, dome: spot}", 1), "it goes dome -> spot -> dome (line 5)"},
		"dead end":          {strings.Replace(tent, "[point]", "[point], instead: {spot: dome}", 1), "ends at no kind that the target has"},
		"instead unknown":   {strings.Replace(tent, "[point]", "[point], instead: {neon: point}", 1), "is no kind of light"},
		"instead of itself": {strings.Replace(tent, "[point]", "[point], instead: {point: point}", 1), "stands for a kind that the target has"},
		"none and more":     {add("air: {fog: [none, haze]}\n"), "/air/fog has none beside others (line 8)"},
		"tall eye":          {add("body: {height_m: 1, eye_m: 2}\n"), "/body/eye_m is 2, over the height of 1"},
		"same tier":         {add("tiers: [{name: a, left_out: [motes]}, {name: a, left_out: [glows]}]\n"), "a second time"},
		"severity":          {add("severities: {limits.lights: fatal}\n"), "there are off, advice, warning, error"},
		"nested":            {strings.Repeat("[", 200), "nested"},
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
