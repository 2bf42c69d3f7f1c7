package source

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scene"
)

// emissive is the faces of a material that shines.
type emissive struct {
	shape
	material string // its id
	polygons []polygon
}

// appendEmissive adds a source for each material that shines and is seen.
func appendEmissive(all []Source, sc *scene.Scene) []Source {
	for _, m := range sc.Level.Materials {
		if m.Emission == 0 {
			continue
		}
		src := Source{ID: EmissiveKind + ":" + m.ID, Name: nameOf(m.Name, m.ID), Kind: EmissiveKind,
			Color: m.Albedo(), Strength: m.Emission, Weight: m.Albedo().Scale(m.Emission)}
		emits, _ := sc.Emits(m)
		k := &emissive{material: m.ID, shape: shape{Kind: EmissiveKind, Emits: emits, Patch: -1, BounceScale: 1, Shadows: level.Default[level.Shadows]()}}
		for i := range sc.Surfaces {
			f := &sc.Surfaces[i]
			if f.Finish().Material != m || !f.Finish().Roles.Visible {
				continue
			}
			if f.Body().Solid != nil {
				k.polygons = append(k.polygons, newPolygon(sc.Outline(f)))
				continue
			}
			for t := range sc.Corners(f) {
				k.polygons = append(k.polygons, newPolygon(t[:]))
			}
		}
		if len(k.polygons) > 0 {
			src.kind = k
			all = append(all, src)
		}
	}
	return all
}

// Material is the id of the material that shines, where the source is one.
func (s *Source) Material() (id string, ok bool) {
	k, ok := s.kind.(*emissive)
	if !ok {
		return "", false
	}
	return k.material, true
}

func (k *emissive) parameters() *shape { return &k.shape }
func (k *emissive) reachM() float64    { return infinite }
func (k *emissive) isSoft() bool       { return true }

// light sums the polygons: each by Lambert's formula, times the share of it that rays
// find unblocked. Samples go to the polygons by what they give.
func (k *emissive) light(sc *scene.Scene, r Receiver, effort Effort, turn float64) got {
	var room [32]float64
	each, total := room[:0], 0.0
	for i := range k.polygons {
		e := k.polygons[i].irradiance(r.Point, r.Normal)
		each = append(each, e)
		total += e
	}
	if total == 0 {
		return got{}
	}
	seen := 0.0
	for i, e := range each {
		if e > 0 {
			share := func(effort Effort) Effort {
				effort.Samples = max(1, int(math.Round(float64(effort.Samples)*e/total)), effort.From+1)
				return effort
			}
			v := k.polygons[i].visible(sc, r, share(effort), turn+float64(i))
			if v > 0 && v < 1 && effort.Penumbra > effort.Samples {
				v = k.polygons[i].visible(sc, r, share(Steady(effort.Penumbra)), turn+float64(i))
			}
			seen += e * v
		}
	}
	return gotShare(color.White.Scale(seen), seen/total)
}

// visible is the share of a polygon's light on a place that nothing blocks. Where
// no sample lies above the horizon it looks at some more.
func (p *polygon) visible(sc *scene.Scene, r Receiver, e Effort, turn float64) float64 {
	const more = 16
	var all float64
	rays := shadowRays{sc: sc}
	var room [mostPlaces]geom.Vec3
	steps := r.spread(&room, turn)
	step := max(e.Step, 1)
	for i := e.From; i < e.Samples || all == 0 && i < e.Samples+more*step; i += step {
		at := p.point(i, turn)
		to := at.Sub(r.Point)
		d2 := max(to.Dot(to), 1e-12)
		weight := max(0, to.Dot(r.Normal)) * max(0, -to.Dot(p.normal)) / (d2 * d2)
		if weight == 0 {
			continue
		}
		all += weight
		from := startOf(steps, r.Origin, i)
		ray := at.Sub(from)
		d := max(ray.Len(), 1e-6)
		rays.send(from, ray.Mul(1/d), max(0, d-scene.OffsetM), weight)
	}
	if all == 0 {
		return 0
	}
	return rays.land() / all
}
