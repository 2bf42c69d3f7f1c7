package preset

import "grotta/core/level"

// This file holds the moods and looks of the starter library. Values are those of nature: lux of the
// sun, nits of the sky, and an exposure that shows them.

func starterMoods() []Starter {
	return []Starter{
		mood("clear-noon", "A high sun in a clear sky; hard, short shadows.", tags("day", "clear", "summer"), func(l *level.Level) {
			sun(l, 180, 62, 95000, 5800)
			clearSky(l, "#8fb4ea", 3800, 0.06)
			l.Look.ExposureEV = 13.2
		}),
		mood("summer-haze", "A warm afternoon whose distance turns pale.", tags("day", "haze", "summer"), func(l *level.Level) {
			sun(l, 235, 44, 70000, 5200)
			clearSky(l, "#aebfd8", 5200, 0.1)
			haze(l, "#c9cfd6", 5200, 0.0022, 0.8)
			l.Look.ExposureEV = 13
		}),
		mood("late-gold", "The last hour of sun: long shadows and warm walls.", tags("evening", "clear", "warm"), func(l *level.Level) {
			sun(l, 262, 11, 26000, 3300)
			clearSky(l, "#9fb2d2", 1700, 0.08)
			haze(l, "#d8b98c", 1500, 0.001, 0.6)
			l.Look.ExposureEV = 11.6
		}),
		mood("red-sunset", "The sun on the horizon under a red band of sky.", tags("evening", "sunset", "red"), func(l *level.Level) {
			sun(l, 281, 2.5, 2600, 2000)
			gradient(l, "#5c6ea8", "#e8894a", 320)
			ambient(l, "#8a86b0", 60)
			haze(l, "#c07a58", 200, 0.0016, 0.7)
			l.Look.ExposureEV = 8.6
		}),
		mood("blue-hour", "No sun any more, an even blue, lamps begin to count.", tags("dusk", "blue", "town"), func(l *level.Level) {
			gradient(l, "#3d5fa6", "#8f9ec8", 9)
			ambient(l, "#5878c0", 4)
			l.Look.ExposureEV = 4.4
		}),
		mood("starry-night", "Stars and next to no light; for levels that bring their own lamps.", tags("night", "clear", "stars"), func(l *level.Level) {
			gradient(l, "#0c1524", "#1a2436", 0.03)
			ambient(l, "#48609a", 0.02)
			l.Environment.Stars.Count = 2400
			l.Look.ExposureEV = -4.6
		}),
		mood("full-moon", "A high moon: cold, hard shadows, enough to walk by.", tags("night", "moon", "clear"), func(l *level.Level) {
			m := level.Default[level.Sun]()
			m.AzimuthDeg, m.AltitudeDeg, m.Lux, m.Kelvin, m.Disc.Luminance = 155, 48, 0.26, 4100, 40
			l.Environment.Moon = &m
			gradient(l, "#1b2a48", "#33405e", 0.02)
			ambient(l, "#4c66a8", 0.02)
			l.Environment.Stars.Count = 700
			l.Look.ExposureEV = -3.2
			l.Look.Balance.Kelvin = 4600
		}),
		mood("town-glow", "A night sky lit from below by a town.", tags("night", "town", "cloud"), func(l *level.Level) {
			gradient(l, "#3a3034", "#9a6a44", 0.25)
			ambient(l, "#b08868", 0.25)
			haze(l, "#7a5a42", 0.2, 0.004, 0.85)
			l.Look.ExposureEV = -1
		}),
		mood("overcast-noon", "A bright cover of cloud: soft light and no shadows to speak of.", tags("day", "cloud", "soft"), func(l *level.Level) {
			overcast(l, "#dfe6ec", 5200)
			l.Look.ExposureEV = 11.2
		}),
		mood("rain-cloud", "Low, dark cloud over wet ground; the distance is gone in rain.", tags("day", "rain", "cloud"), func(l *level.Level) {
			overcast(l, "#aab4bc", 1300)
			haze(l, "#8e979e", 900, 0.007, 0.95)
			wind(l, 230, 9)
			l.Look.ExposureEV = 9.4
			l.Look.Grade.Saturation = 0.85
		}),
		mood("thick-fog", "Fog by day: nothing beyond forty metres.", tags("morning", "fog", "soft"), func(l *level.Level) {
			overcast(l, "#d4dade", 2400)
			haze(l, "#ccd3d7", 2300, 0.06, 0.98)
			l.Look.ExposureEV = 11
		}),
		mood("ground-mist", "Dawn, with mist that lies in the hollows.", tags("dawn", "mist", "calm"), func(l *level.Level) {
			sun(l, 84, 6, 6000, 2900)
			gradient(l, "#8fa6cc", "#e8c9a4", 900)
			ambient(l, "#9db0cc", 220)
			l.Fog.Height.Enabled, l.Fog.Height.Density, l.Fog.Height.FalloffM = true, 0.05, 1.6
			l.Fog.Height.Color, l.Fog.Height.Luminance = "#d6d2cc", 800
			l.Look.ExposureEV = 10
		}),
		mood("dust-storm", "Ochre air, a pale disc of sun, little seen beyond a street.", tags("day", "dust", "desert"), func(l *level.Level) {
			sun(l, 205, 40, 9000, 3600)
			overcast(l, "#d8a464", 2600)
			haze(l, "#c8935a", 2300, 0.028, 0.97)
			wind(l, 255, 16)
			l.Look.ExposureEV = 10.4
		}),
		mood("snow-light", "An even sky over snow, bright and cold from all sides.", tags("day", "winter", "snow"), func(l *level.Level) {
			overcast(l, "#e6eef6", 6000)
			l.Environment.Sky.GroundColor = "#c8d2dc"
			ambient(l, "#dfe9f5", 2500)
			haze(l, "#dbe4ec", 5200, 0.004, 0.9)
			l.Look.ExposureEV = 12.3
		}),
		mood("winter-noon", "A low, clear sun: long shadows at midday.", tags("day", "winter", "clear"), func(l *level.Level) {
			sun(l, 184, 13, 38000, 4600)
			clearSky(l, "#9dbce6", 2600, 0.06)
			l.Look.ExposureEV = 12
		}),
		mood("after-rain", "Sun through torn cloud over wet ground; clear far sight.", tags("day", "rain", "contrast"), func(l *level.Level) {
			sun(l, 140, 28, 58000, 5000)
			gradient(l, "#6f86a8", "#c4ccd2", 3200)
			ambient(l, "#93a4ba", 900)
			wind(l, 280, 6)
			l.Environment.Wetness = 0.8
			l.Look.ExposureEV = 12.3
		}),
		mood("underground", "No sky at all: a cave or cellar that is black without lamps.", tags("indoor", "cave", "dark"), func(l *level.Level) {
			indoor(l)
			ambient(l, "#7a86a0", 0.03)
			haze(l, "#101214", 0.02, 0.02, 0.9)
			l.Look.ExposureEV = 1.5
		}),
		mood("lamp-lit-hall", "A hall by lamplight: a low warm fill, clear air.", tags("indoor", "hall", "warm"), func(l *level.Level) {
			indoor(l)
			ambient(l, "#d8b48a", 3)
			l.Look.ExposureEV = 5.2
			l.Look.Balance.Kelvin = 4300
		}),
		mood("cold-store", "A plain indoor fill, a little blue, for stores and works.", tags("indoor", "work", "cool"), func(l *level.Level) {
			indoor(l)
			ambient(l, "#a8bccc", 40)
			l.Look.ExposureEV = 7.4
			l.Look.Balance.Kelvin = 5600
		}),
		look("plain-camera", "Nothing but exposure: what is over white is cut. To judge light by.", tags("neutral", "work"), func(v *level.Look) {
			v.Tone, v.Bloom.Enabled = "clamp", false
		}),
		look("soft-film", "Highlights roll off and spread a little; colours stay calm.", tags("film", "soft"), func(v *level.Look) {
			v.Headroom = 6
			v.Bloom = level.Bloom{Enabled: true, Threshold: 0.9, Strength: 0.18, Radius: 0.02}
			v.Grade.Saturation = 0.94
		}),
		look("faded-print", "Lifted blacks and thin colours, as of an old picture.", tags("film", "old", "memory"), func(v *level.Look) {
			v.Grade.Offset, v.Grade.Slope, v.Grade.Saturation = level.Vec{0.045, 0.035, 0.02}, level.Vec{0.92, 0.91, 0.86}, 0.62
			v.Balance.Kelvin = 7200
		}),
		look("silver", "No colour at all, with firm contrast.", tags("film", "grey"), func(v *level.Look) {
			v.Grade.Saturation, v.Grade.Power = 0, level.Vec{1.18, 1.18, 1.18}
		}),
		look("hard-contrast", "Deep blacks and strong colours, for levels that are played in a hurry.", tags("contrast", "compete"), func(v *level.Look) {
			v.Grade.Power, v.Grade.Slope, v.Grade.Saturation, v.Sharpen = level.Vec{1.22, 1.22, 1.22}, level.Vec{1.08, 1.08, 1.08}, 1.15, 0.2
		}),
		look("lens-glow", "Lamps bloom wide, as through a misty lens.", tags("night", "bloom", "story"), func(v *level.Look) {
			v.Bloom = level.Bloom{Enabled: true, Threshold: 1, Strength: 0.55, Radius: 0.05}
		}),
		look("cold-dread", "Cold, thin and dark in the corners, for places that should not be entered.", tags("cold", "story", "fear"), func(v *level.Look) {
			v.Balance.Kelvin, v.Balance.Tint, v.Grade.Saturation = 5000, -0.12, 0.7
			v.Occlusion = level.Occlusion{Enabled: true, Strength: 0.9, RadiusM: 0.6}
			v.Grade.Power = level.Vec{1.12, 1.1, 1.06}
		}),
	}
}

func tags(words ...string) []string { return words }

func mood(name, note string, tags []string, edit func(*level.Level)) Starter {
	l := level.New(name)
	l.Environment.Sky.Luminance = 0
	edit(l)
	return Starter{name, note, tags, FromMood(l)}
}

func look(name, note string, tags []string, edit func(*level.Look)) Starter {
	l := level.New(name)
	edit(&l.Look)
	return Starter{name, note, tags, FromLook(l)}
}

func sun(l *level.Level, azimuth, altitude, lux, kelvin float64) {
	s := level.Default[level.Sun]()
	s.AzimuthDeg, s.AltitudeDeg, s.Lux, s.Kelvin = azimuth, altitude, lux, kelvin
	l.Environment.Sun = &s
}

func clearSky(l *level.Level, zenith string, nits, fill float64) {
	s := &l.Environment.Sky
	s.Kind, s.Color, s.Luminance, s.GroundColor = level.SkyClear, zenith, nits, "#4a4438"
	l.Environment.Ambient.SkyFill = fill
}

func gradient(l *level.Level, zenith, horizon string, nits float64) {
	s := &l.Environment.Sky
	s.Kind, s.Color, s.HorizonColor, s.Luminance = level.SkyGradient, zenith, horizon, nits
}

func overcast(l *level.Level, color string, nits float64) {
	s := &l.Environment.Sky
	s.Kind, s.Color, s.Luminance, s.GroundColor = level.SkyOvercast, color, nits, "#4a4a46"
	l.Environment.Ambient.SkyFill = 0.08
}

func ambient(l *level.Level, color string, lux float64) {
	l.Environment.Ambient = level.Ambient{Color: color, Strength: lux}
}

func haze(l *level.Level, color string, nits, density, most float64) {
	h := &l.Fog.Haze
	h.Enabled, h.Color, h.Luminance, h.Density, h.Max, h.StartM = true, color, nits, density, most, 0
}

func wind(l *level.Level, from, speed float64) {
	l.Environment.Wind = level.Wind{FromDeg: from, SpeedMps: speed}
}

func indoor(l *level.Level) {
	l.Environment.Mode = "indoor"
	l.Environment.Sky.Color = "#000000"
}
