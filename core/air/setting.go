package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/level"
)

// Setting is the fog and the look that hold for an eye in a place.
type Setting struct {
	Zone   string         `json:"zone,omitzero" doc:"None for the level's own."`
	Boxes  []level.Box    `json:"boxes" doc:"The zone's."`
	BlendM float64        `json:"blend_m"`
	Haze   ReadyHaze      `json:"haze"`
	Height ReadyHeightFog `json:"height"`
	Lit    string         `json:"lit" doc:"Where lights show in fog."`
	Phase  float64        `json:"phase"`
	Look   level.Look     `json:"look"`
	Gains  color.Linear   `json:"gains" doc:"What the look's balance multiplies the channels by."`
}

// ReadyHaze is haze with its colour found.
type ReadyHaze struct {
	StartM  float64      `json:"start_m"`
	EndM    float64      `json:"end_m"`
	Density float64      `json:"density"`
	Max     float64      `json:"max" doc:"0 where there is none."`
	Sky     float64      `json:"sky_share" doc:"How much of it holds for the sky."`
	Nits    color.Linear `json:"nits"`
}

// ReadyHeightFog is height fog with its colour found.
type ReadyHeightFog struct {
	BaseM    float64      `json:"base_m"`
	FalloffM float64      `json:"falloff_m"`
	Density  float64      `json:"density"`
	Max      float64      `json:"max" doc:"0 where there is none."`
	Nits     color.Linear `json:"nits"`
}

func (s source) settings() []Setting {
	l := s.level
	all := []Setting{s.setting(&l.Fog, &l.Look)}
	for _, z := range l.Zones {
		if z.Fog == nil && z.Look == nil {
			continue
		}
		fog, look := &l.Fog, &l.Look
		if z.Fog != nil {
			fog = z.Fog
		}
		if z.Look != nil {
			look = z.Look
		}
		own := s.setting(fog, look)
		own.Zone, own.Boxes, own.BlendM = z.ID, z.Boxes, z.BlendM
		all = append(all, own)
	}
	return all
}

func (s source) setting(fog *level.Fog, look *level.Look) Setting {
	h, low := &fog.Haze, &fog.Height
	out := Setting{
		Boxes: []level.Box{}, Lit: fog.Lit, Phase: fog.Phase, Look: *look, Gains: grade.Gains(&look.Balance),
		Haze:   ReadyHaze{h.StartM, h.EndM, h.Density, h.Max, h.SkyShare, s.nits(h.Color, h.Luminance, h.ColorFrom)},
		Height: ReadyHeightFog{low.BaseM, low.FalloffM, low.Density, low.Max, s.nits(low.Color, low.Luminance, low.ColorFrom)},
	}
	if !h.Enabled {
		out.Haze.Max = 0
	}
	if !low.Enabled {
		out.Height.Max = 0
	}
	return out
}

// At is what holds for an eye: the setting of the zone it is in, blended with the
// level's own over the zone's first metres. Where what blends is a choice, it
// changes half way.
func (a *Air) At(l *level.Level, eye geom.Vec3) Setting {
	own := a.Settings[0]
	zone := l.ZoneAt(eye)
	if zone == nil {
		return own
	}
	for i := range a.Settings[1:] {
		if s := &a.Settings[1+i]; s.Zone == zone.ID {
			return blend(&own, s, s.share(eye))
		}
	}
	return own
}

// share is how far an eye inside is past the blend.
func (s *Setting) share(eye geom.Vec3) float64 {
	depth := 0.0
	for _, b := range s.Boxes {
		d := math.Inf(1)
		for axis := range 3 {
			d = min(d, eye[axis]-b.Min[axis], b.Max[axis]-eye[axis])
		}
		depth = max(depth, d)
	}
	return smoothstep(0, s.BlendM, depth)
}

func blend(a, b *Setting, t float64) Setting {
	out := *a
	if t >= 0.5 {
		out = *b
	}
	mix := func(x, y float64) float64 { return x + (y-x)*t }
	out.Phase = mix(a.Phase, b.Phase)
	out.Haze = blendHaze(a.Haze, b.Haze, t)
	out.Height = blendHeight(a.Height, b.Height, t)
	out.Look, out.Gains = *blendLook(&a.Look, &b.Look, t), a.Gains.Lerp(b.Gains, t)
	return out
}

// A fog that one side lacks comes in by its greatest share, with its own values.
func blendHaze(a, b ReadyHaze, t float64) ReadyHaze {
	if a.Max == 0 {
		a, b, t = b, a, 1-t
	}
	if b.Max == 0 {
		a.Max *= 1 - t
		return a
	}
	mix := func(x, y float64) float64 { return x + (y-x)*t }
	return ReadyHaze{mix(a.StartM, b.StartM), mix(a.EndM, b.EndM), mix(a.Density, b.Density), mix(a.Max, b.Max), mix(a.Sky, b.Sky), a.Nits.Lerp(b.Nits, t)}
}

func blendHeight(a, b ReadyHeightFog, t float64) ReadyHeightFog {
	if a.Max == 0 {
		a, b, t = b, a, 1-t
	}
	if b.Max == 0 {
		a.Max *= 1 - t
		return a
	}
	mix := func(x, y float64) float64 { return x + (y-x)*t }
	return ReadyHeightFog{mix(a.BaseM, b.BaseM), mix(a.FalloffM, b.FalloffM), mix(a.Density, b.Density), mix(a.Max, b.Max), a.Nits.Lerp(b.Nits, t)}
}

func blendLook(a, b *level.Look, t float64) *level.Look {
	out := *a
	if t >= 0.5 {
		out = *b
	}
	mix := func(x, y float64) float64 { return x + (y-x)*t }
	vec := func(x, y level.Vec) level.Vec { return level.Vec{mix(x[0], y[0]), mix(x[1], y[1]), mix(x[2], y[2])} }
	out.ExposureEV, out.Headroom, out.Sharpen = mix(a.ExposureEV, b.ExposureEV), mix(a.Headroom, b.Headroom), mix(a.Sharpen, b.Sharpen)
	out.Grade.Slope, out.Grade.Offset, out.Grade.Power = vec(a.Grade.Slope, b.Grade.Slope), vec(a.Grade.Offset, b.Grade.Offset), vec(a.Grade.Power, b.Grade.Power)
	out.Grade.Saturation = mix(a.Grade.Saturation, b.Grade.Saturation)
	return &out
}
