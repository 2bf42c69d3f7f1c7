package check

import (
	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/scene"
)

// Spot is a place of the level that people look at.
type Spot struct {
	Point  geom.Vec3 // a little off its surface
	Normal geom.Vec3
	Albedo color.Linear
	Emits  color.Linear // nits
	Look   *level.Look
	View   string // id of the viewpoint that sees it; "" for others
}

// Spots are what the first viewpoints see and where a player walks: what changes of light are measured on. A
// level without either has texels of all its surfaces for them.
func (sub *Subject) Spots(profile *platform.Profile) []Spot {
	sub.mu.Lock()
	defer sub.mu.Unlock()
	p := sub.p
	s := &subject{p, sub, p.Scene.Level, p.Scene.World, profile}
	var out []Spot
	for _, v := range s.seen() {
		for i := range v.spots {
			q := &v.spots[i]
			f := p.Scene.Surfaces[q.surface].Finish()
			if f.Roles.ReceivesLight {
				out = append(out, Spot{q.at.Add(q.normal.Mul(scene.OffsetM)), q.normal, q.albedo, f.Material.Albedo().Scale(f.Material.Emission), v.look, v.view.ID})
			}
		}
	}
	g := s.walkable()
	for _, z := range s.zones() {
		look := &s.level.Look
		if z.Look != nil {
			look = z.Look
		}
		for _, k := range g.light(s, z.ID) {
			t := &g.treads[k]
			if hit, ok := p.Scene.See(t.at.Add(t.normal.Mul(0.01)), t.normal.Mul(-1), 0.05); ok {
				f := p.Scene.Surfaces[hit.Surface].Finish()
				out = append(out, Spot{t.at.Add(t.normal.Mul(scene.OffsetM)), t.normal, f.Albedo, f.Material.Albedo().Scale(f.Material.Emission), look, ""})
			}
		}
	}
	if len(out) == 0 {
		return s.anyTexels()
	}
	return out
}

// anyTexels stand for what is looked at where a level has neither a viewpoint nor ground that is played on.
func (s *subject) anyTexels() []Spot {
	const most = 600
	all := s.Texels.List
	n := min(most, len(all))
	out := make([]Spot, 0, n)
	for i := range n {
		k := (2*i + 1) * len(all) / (2 * n)
		t := &all[k]
		f := s.Scene.Surfaces[s.Layout.Charts[s.ChartOf(k)].Surface].Finish()
		at := geom.Vec3{float64(t.Origin[0]), float64(t.Origin[1]), float64(t.Origin[2])}
		out = append(out, Spot{at, t.Normal(s.Scene), f.Albedo, f.Material.Albedo().Scale(f.Material.Emission), &s.level.Look, ""})
	}
	return out
}

// Prepared is what the subject was made of.
func (sub *Subject) Prepared() *bake.Prepared { return sub.p }

// Reached are the surfaces that a light reaches, as the rules count them. The light may be one that the level does not
// have yet.
func (sub *Subject) Reached(l *level.Light) []int32 {
	sub.mu.Lock()
	defer sub.mu.Unlock()
	s := &subject{sub.p, sub, sub.p.Scene.Level, sub.p.Scene.World, nil}
	return s.reachedBy(l)
}

// Shining are the lights of a level that are on, not black, and light surfaces: those that platforms count.
func Shining(l *level.Level) []*level.Light {
	var on []*level.Light
	for _, light := range l.Lights {
		if light.Surfaces && l.Radiant(light).Luminance() > 0 {
			on = append(on, light)
		}
	}
	return on
}

// Becomes are the fields that make a light the nearest one of another kind.
func Becomes(l *level.Light, kind string) map[string]any { return becomes(l, kind) }
