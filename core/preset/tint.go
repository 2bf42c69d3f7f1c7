package preset

import (
	"math"

	"grotta/core/color"
	"grotta/core/level"
)

// This file says in words how bright a preset is and of what colour, so that it is found by them.

// Brightness words, from least to most.
var Brightness = []string{"dark", "dim", "medium", "bright"}

// ColourWords are what the colour of a preset can be called: a hue, and warm, cool or neutral.
var ColourWords = []string{"red", "orange", "yellow", "green", "cyan", "blue", "magenta", "white", "warm", "cool", "neutral"}

// Tint is how bright a preset is, and the words for the colour of its light: of its lamps for a rig,
// of sun, sky and ambient together for a mood. Both are empty where it has no light.
func (p *Preset) Tint() (brightness string, words []string) {
	var light color.Linear
	var steps [3]float64
	switch {
	case p.Mood != nil:
		light, steps = p.Mood.onTheGround(), [3]float64{1, 50, 1000} // lux
	case p.Sky != nil:
		light, steps = skyLight(&p.Sky.Sky), [3]float64{1, 50, 1000}
	case p.Zone != nil && p.Zone.Ambient != nil:
		light, steps = ambientLight(p.Zone.Ambient), [3]float64{1, 20, 300}
	case p.Rig != nil:
		for _, l := range p.Parts.Lights {
			light = light.Add(p.Parts.Color(l).Scale(p.Parts.Strength(l) / max(l.Strength, 1e-9) * l.Lumens()))
		}
		steps = [3]float64{100, 1000, 10000} // lumens
	}
	if light.Luminance() <= 0 {
		return "", nil
	}
	step := 0
	for step < 3 && light.Luminance() >= steps[step] {
		step++
	}
	return Brightness[step], colourWords(light)
}

// onTheGround is about the light of a mood on open level ground, in lux by channel.
func (m *MoodParts) onTheGround() color.Linear {
	light := skyLight(&m.Sky).Add(ambientLight(&m.Ambient))
	for _, s := range []*level.Sun{m.Sun, m.Moon} {
		if s != nil && s.Enabled && s.AltitudeDeg > 0 {
			light = light.Add(sunColor(s).Scale(s.Lux * math.Sin(s.AltitudeDeg*math.Pi/180)))
		}
	}
	return light
}

// skyLight is what an even sky of the zenith's radiance sends to the ground: π times it.
func skyLight(s *level.Sky) color.Linear {
	if !s.Lights || s.Kind == level.SkyImage {
		return color.Linear{}
	}
	return srgb(s.Color).Scale(s.Luminance * math.Pi)
}

func ambientLight(a *level.Ambient) color.Linear { return srgb(a.Color).Scale(a.Strength) }

func sunColor(s *level.Sun) color.Linear {
	switch {
	case s.Kelvin > 0:
		return color.Kelvin(s.Kelvin)
	case s.Color != "":
		return srgb(s.Color)
	}
	return color.Linear{1, 1, 1}
}

func srgb(text string) color.Linear {
	c, err := color.ParseHex(text)
	if err != nil {
		return color.Linear{} // a preset that was judged has none such
	}
	return c
}

// hues are the names of hues by their end on the circle, in degrees.
var hues = []struct {
	to   float64
	name string
}{{15, "red"}, {45, "orange"}, {70, "yellow"}, {165, "green"}, {200, "cyan"}, {260, "blue"}, {340, "magenta"}, {360, "red"}}

// colourWords name a colour by its hue (HSL, of the encoded channels) and its warmth.
func colourWords(c color.Linear) []string {
	top := max(c[0], c[1], c[2])
	var v [3]float64
	for i := range v {
		v[i] = color.EncodeSRGB(max(c[i], 0) / top)
	}
	low := min(v[0], v[1], v[2])
	const grey = 0.12 // of saturation
	if 1-low < grey {
		return []string{"white", "neutral"}
	}
	var h float64
	switch d := 1 - low; {
	case v[0] >= v[1] && v[0] >= v[2]:
		h = math.Mod(60*(v[1]-v[2])/d+360, 360)
	case v[1] >= v[2]:
		h = 60*(v[2]-v[0])/d + 120
	default:
		h = 60*(v[0]-v[1])/d + 240
	}
	name := ""
	for _, hue := range hues {
		if name = hue.name; h <= hue.to {
			break
		}
	}
	warmth := "neutral"
	switch {
	case h <= 70 || h >= 340:
		warmth = "warm"
	case h > 165 && h < 260:
		warmth = "cool"
	}
	return []string{name, warmth}
}
