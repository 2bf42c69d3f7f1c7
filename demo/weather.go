package demo

import "grotta/core/level"

// Weathers is the tram yard in dry and wet weather, and in snow.
func Weathers() []Exhibit {
	var all []Exhibit
	for _, w := range []struct {
		label, falls string
		wetness      float64
	}{{"dry", "none", 0}, {"wetness 0.5", "none", 0.5}, {"wetness 1, rain", "rain", 1}, {"snow", "snow", 0}} {
		l := Yard()
		for _, m := range l.Materials {
			m.Roughness = 1
		}
		l.Environment.Mode, l.Environment.Wetness = "outdoor", w.wetness
		for _, z := range l.Zones {
			z.Mode = "outdoor"
		}
		l.Viewpoints = []*level.Viewpoint{l.Viewpoint("between-trams")}
		if w.falls != "none" {
			at := l.Viewpoints[0].Transform.Position
			m := level.Default[level.Motes]()
			m.ID, m.Name, m.Falls = "weather", w.falls, w.falls
			m.Size, m.RateHz, m.SpeedMps, m.WindShare = level.Vec{22, 8, 22}, 900, 0, 0.3
			m.SizeMinM, m.SizeMaxM, m.Luminance, m.Color = 0.006, 0.012, 30, "#d8dee8"
			if w.falls == "snow" {
				m.SizeMinM, m.SizeMaxM, m.RateHz, m.Luminance = 0.015, 0.03, 300, 14
			}
			m.Transform.Position = level.Vec{at[0], 4, at[2]}
			l.Motes = append(l.Motes, &m)
		}
		all = append(all, Exhibit{w.label, l})
	}
	return all
}
