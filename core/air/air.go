// Package air is what light passes through on its way to the eye, and what shows
// in it: haze, height fog, fog volumes, glows, beams, motes, the sun's disc and
// stars. It resolves a level's entities into plain numbers (Of) and computes what
// they do to a ray. The console's view gets the same numbers and follows the same
// formulas. It casts no rays: light in fog comes as a Field, which core/scatter
// makes.
package air

import (
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/sky"
)

// Bounds of what a view takes; what is over them is left out, the least priority
// first.
const (
	MaxVolumes = 8
	MaxGlows   = 64
	MaxBeams   = 16
)

// Air is a level's air made ready. Colours are linear Rec. 709, in nits where they
// are named so.
type Air struct {
	Settings []Setting   `json:"settings" doc:"The level's own, then each zone's that has fog or a look of its own."`
	Volumes  []Volume    `json:"volumes"`
	Glows    []ReadyGlow `json:"glows"`
	Beams    []ReadyBeam `json:"beams"`
	Motes    []Emitter   `json:"motes"`
	Discs    []ReadyDisc `json:"discs"`
	Stars    []Star      `json:"stars"`
	Sun      *geom.Vec3  `json:"sun,omitzero" doc:"Direction to the sun, or to the moon while the sun is down; none where neither is up."`
	Wind     geom.Vec3   `json:"wind" doc:"Metres a second."`
	Left     []string    `json:"left" doc:"What is more than a view takes, and so not in it."`
}

// Of resolves a level's air.
func Of(l *level.Level, w *level.World, s *sky.Sky) *Air {
	from := source{l, s}
	a := &Air{Settings: from.settings(), Volumes: []Volume{}, Glows: []ReadyGlow{}, Beams: []ReadyBeam{}, Motes: []Emitter{}, Discs: discs(l), Stars: stars(l), Wind: Wind(l), Left: []string{}}
	for _, disc := range []*level.Sun{l.Environment.Sun, l.Environment.Moon} {
		if a.Sun == nil && disc.Up() {
			to := disc.Toward()
			a.Sun = &to
		}
	}
	volumes := slices.DeleteFunc(slices.Clone(l.FogVolumes), func(v *level.FogVolume) bool { return !v.Enabled || v.Density == 0 })
	slices.SortStableFunc(volumes, func(x, y *level.FogVolume) int { return y.Priority - x.Priority })
	for _, v := range volumes {
		if len(a.Volumes) == MaxVolumes {
			a.Left = append(a.Left, v.ID)
			continue
		}
		at, half := w.Pose(&v.Entity).Position, geom.Vec3(v.Size).Mul(0.5)
		a.Volumes = append(a.Volumes, Volume{
			ID: v.ID, Min: at.Sub(half), Max: at.Add(half), EdgeM: v.EdgeM, Density: v.Density,
			Nits: from.nits(v.Color, v.Luminance, v.ColorFrom), Lit: v.Lit && a.Lit(level.LitVolumes, level.LitEverywhere),
		})
	}
	for _, g := range l.Glows {
		if !g.Enabled {
			continue
		}
		if len(a.Glows) == MaxGlows {
			a.Left = append(a.Left, g.ID)
			continue
		}
		a.Glows = append(a.Glows, glowOf(l, w, g))
	}
	for _, b := range l.Beams {
		if !b.Enabled {
			continue
		}
		if len(a.Beams) == MaxBeams {
			a.Left = append(a.Left, b.ID)
			continue
		}
		a.Beams = append(a.Beams, beamOf(l, w, b))
	}
	for _, m := range l.Motes {
		if m.Enabled {
			a.Motes = append(a.Motes, emitterOf(l, w, m))
		}
	}
	return a
}

// Lit tells whether the level's fog or any zone's shows light in one of some ways.
func (a *Air) Lit(ways ...string) bool {
	return slices.ContainsFunc(a.Settings, func(s Setting) bool { return slices.Contains(ways, s.Lit) })
}

// source is where colours come from.
type source struct {
	level *level.Level
	sky   *sky.Sky
}

// nits is the radiance of something whose colour may be the sky's or a light's.
func (s source) nits(own string, luminance float64, from string) color.Linear {
	if from == level.FromSky {
		return s.horizon()
	}
	if from != "" {
		own = ""
	}
	return s.level.Tint(own, from).Scale(luminance)
}

// horizon is the mean radiance of the sky two degrees up.
func (s source) horizon() color.Linear {
	const around = 24
	var sum color.Linear
	for i := range around {
		sum = sum.Add(s.sky.Radiance(level.Direction(360*float64(i)/around, 2)))
	}
	return sum.Scale(s.level.Environment.Sky.Luminance / around)
}

// Wind is a level's, in metres a second.
func Wind(l *level.Level) geom.Vec3 {
	return level.Direction(l.Environment.Wind.FromDeg+180, 0).Mul(l.Environment.Wind.SpeedMps)
}

// smoothstep goes from 0 at a to 1 at b with no slope at either.
func smoothstep(a, b, x float64) float64 {
	if b <= a {
		if x < a {
			return 0
		}
		return 1
	}
	t := min(max((x-a)/(b-a), 0), 1)
	return t * t * (3 - 2*t)
}
