package scene

import (
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/trace"
)

// Bend is how a mesh sways, in the level's space.
type Bend struct {
	level.Sway
	FootM, HeightM float64
}

// swayWindMps is the wind, in metres a second, that moves a top by its full reach.
const swayWindMps = 10

// Its mean lean and its swing about that, as shares of its reach.
const swayLean, swaySwing = 0.6, 0.4

func bendOf(sway *level.Sway, vertices int, vertex func(uint32) geom.Vec3) *Bend {
	if sway == nil {
		return nil
	}
	b := geom.NoBounds()
	for i := range vertices {
		b.Grow(vertex(uint32(i)))
	}
	if b.Empty() || b.Max[1] <= b.Min[1] {
		return nil
	}
	return &Bend{*sway, b.Min[1], b.Max[1] - b.Min[1]}
}

// Share returns how far, in metres, a wind of 1 m/s moves a point at a height. It grows with the
// square of the height above the foot, as for a bending rod that is held at one end.
func (b *Bend) Share(y float64) float64 {
	h := max(y-b.FootM, 0) / b.HeightM
	return b.ReachM / swayWindMps * h * h
}

// offset is how far a place at rest is from it at a time, in metres. Gusts travel
// with the wind, so a swing comes later to what stands downwind.
func (b *Bend) offset(p, wind geom.Vec3, seconds float64) geom.Vec3 {
	speed := wind.Len()
	if speed == 0 {
		return geom.Vec3{}
	}
	turn := (seconds - p.Dot(wind)/(speed*speed)) / b.PeriodS
	return wind.Mul(b.Share(p[1]) * (swayLean + swaySwing*math.Sin(2*math.Pi*turn)))
}

// Swayed is the scene with what is seen of it as the wind, in metres a second, has
// it at a time. Light stays as it falls at rest. It is the same scene where
// nothing sways.
func (s *Scene) Swayed(wind geom.Vec3, seconds float64) *Scene {
	sways := func(f Surface) bool { return f.Body().Bend != nil && f.Finish().Roles.Visible }
	if wind == (geom.Vec3{}) || !slices.ContainsFunc(s.Surfaces, sways) {
		return s
	}
	moved := func(i int) trace.Triangle {
		bend := s.Surfaces[s.SurfaceOf[i]].Body().Bend
		if bend == nil {
			return s.Triangle(i)
		}
		c := s.CornersOf(i)
		for k := range c {
			c[k] = c[k].Add(bend.offset(c[k], wind, seconds))
		}
		return trace.Triangle{A: f32(c[0]), B: f32(c[1]), C: f32(c[2])}
	}
	out := *s
	out.findSeen(s.tracer(moved, func(f *Surface) bool { return f.Finish().Roles.Visible && !s.isWater(f) }))
	return &out
}
