package demo

import (
	"grotta/core/level"
	"grotta/core/preset"
)

// SharedPreset is a preset that the demo comes with.
type SharedPreset struct {
	Name, Note string
	Tags       []string
	Preset     *preset.Preset
}

// Credit is whom to name for them.
const Credit = "Ivo, Saltmarsh station"

// Presets are a lantern and two moods, made from the demo level.
func Presets() []SharedPreset {
	l := Saltmarsh()
	lantern, err := preset.FromRig(l, "lantern-1")
	if err != nil {
		panic(err) // the demo is made here; a test covers it
	}
	night := level.New("night")
	night.Environment.Sky.Color, night.Environment.Sky.Luminance = "#141a26", 0.6
	night.Environment.Ambient = level.Ambient{Color: "#5f78a8", Strength: 0.15}
	night.Fog.Haze = l.Fog.Haze
	night.Fog.Haze.Color, night.Fog.Haze.Luminance = "#141a26", 0.5
	night.Look.ExposureEV = 1.5
	fog := level.New("fog")
	fog.Environment.Sky.Color, fog.Environment.Sky.Luminance = "#b8c0c4", 900
	fog.Environment.Ambient = level.Ambient{Color: "#c6ccd0", Strength: 900}
	fog.Fog.Haze.Enabled, fog.Fog.Haze.StartM, fog.Fog.Haze.Density = true, 2, 0.035
	fog.Fog.Haze.Color, fog.Fog.Haze.Luminance, fog.Fog.Haze.Max = "#b8c0c4", 700, 0.97
	fog.Look.ExposureEV = 9
	return []SharedPreset{
		{"pier-lantern", "Post, arm and lamp; one key colour.", []string{"lantern", "coast", "warm"}, lantern},
		{"clear-night", "Stars enough to walk by.", []string{"night", "coast", "clear"}, preset.FromMood(night)},
		{"morning-fog", "The pier's end is gone at sixty metres.", []string{"morning", "coast", "fog"}, preset.FromMood(fog)},
	}
}
