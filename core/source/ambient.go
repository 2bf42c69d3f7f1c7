package source

import (
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
	"grotta/core/sky"
)

// ambient is light that comes evenly from everywhere in a zone, unshadowed, and stands
// for light that has bounced about already. In the zone "" it holds where no zone has its
// own.
type ambient struct {
	shape
	level *level.Level
}

// appendAmbient adds the ambient of the level and of zones. Sky fill is the same
// even light by another weight, so it shares the ambient's layer.
func appendAmbient(all []Source, l *level.Level, s *sky.Sky) []Source {
	var zones []zoneShape
	for _, z := range l.Zones {
		zones = append(zones, zoneShape{z.ID, z.Boxes, z.Priority, z.Ambient != nil})
	}
	add := func(of, zone, where string, a *level.Ambient) {
		src := Source{
			ID: AmbientKind + ":" + of, Name: "Ambient" + where, Kind: AmbientKind, Color: a.Hue(), Strength: a.Strength, Weight: a.Linear(),
			kind: &ambient{shape{Kind: AmbientKind, Zone: zone, Zones: zones, Patch: -1}, l},
		}
		all = append(all, src)
		if a.SkyFill > 0 {
			src.ID, src.Name, src.Kind = SkyFillKind+":"+of, "Sky fill"+where, SkyFillKind
			src.Color, src.Strength = s.Horizontal().Scale(l.Environment.Sky.Luminance), a.SkyFill
			src.Weight = src.Color.Scale(a.SkyFill)
			all = append(all, src)
		}
	}
	add("level", "", "", &l.Environment.Ambient)
	for _, z := range l.Zones {
		if z.Ambient != nil {
			add(z.ID, z.ID, ", "+nameOf(z.Name, z.ID), z.Ambient)
		}
	}
	return all
}

func (k *ambient) parameters() *shape { return &k.shape }
func (k *ambient) reachM() float64    { return infinite }
func (k *ambient) isSoft() bool       { return false }

func (k *ambient) light(_ *scene.Scene, r Receiver, _ Effort, _ float64) got {
	if k.holds(r.Origin) {
		return gotShare(color.White, 1)
	}
	return gotShare(color.Linear{}, 0)
}

func (k *ambient) holds(p geom.Vec3) bool {
	at := k.level.ZoneAt(p)
	if at == nil || at.Ambient == nil {
		return k.Zone == ""
	}
	return at.ID == k.Zone
}

// IsAmbient tells whether a source is the even light of the level or a zone, or its sky
// fill.
func (s *Source) IsAmbient() bool {
	_, ok := s.kind.(*ambient)
	return ok
}
