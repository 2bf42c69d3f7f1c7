package check

import (
	"cmp"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
)

// mostZones is how many zones the rules look into that send rays or walk: the largest. What a profile
// limits is counted over all of them.
const mostZones = 200

// zones are those that are looked into, in document order.
func (s *subject) zones() []*level.Zone {
	if s.kept.inside == nil {
		zones := s.level.Zones
		if len(zones) > mostZones {
			bySize := slices.Clone(zones)
			slices.SortStableFunc(bySize, func(a, b *level.Zone) int { return cmp.Compare(volumeOf(b), volumeOf(a)) })
			large := map[*level.Zone]bool{}
			for _, z := range bySize[:mostZones] {
				large[z] = true
			}
			zones = slices.DeleteFunc(slices.Clone(zones), func(z *level.Zone) bool { return !large[z] })
		}
		s.kept.inside = &level.Level{Zones: zones}
	}
	return s.kept.inside.Zones
}

func volumeOf(z *level.Zone) (sum float64) {
	for _, b := range z.Boxes {
		sum += (b.Max[0] - b.Min[0]) * (b.Max[1] - b.Min[1]) * (b.Max[2] - b.Min[2])
	}
	return sum
}

// zoneAt is the one of them that holds at a point.
func (s *subject) zoneAt(p geom.Vec3) *level.Zone {
	s.zones()
	return s.kept.inside.ZoneAt(p)
}

// zoneOf is the one that an entity states, or that its place lies in.
func (s *subject) zoneOf(e *level.Entity) *level.Zone {
	if e.Zone != "" {
		for _, z := range s.level.Zones {
			if z.ID == e.Zone {
				return z
			}
		}
	}
	return s.zoneAt(s.world.Pose(e).Position)
}
