package check

import (
	"context"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/scene"
)

// sight is what one viewpoint sees, by a grid of rays.
type sight struct {
	view  *level.Viewpoint
	eye   geom.Vec3
	look  *level.Look
	spots []spot
	sky   int // rays that meet nothing
}

// spot is one place that a viewpoint sees.
type spot struct {
	at, normal geom.Vec3
	distance   float64
	albedo     color.Linear
	light      color.Linear // lux, with bounces
	surface    int
}

// The grid of rays of a viewpoint, how many viewpoints are looked through, and paths for bounces.
const (
	seenWide   = 16
	seenHigh   = 9
	seenViews  = 12
	seenPaths  = 4
	seenShadow = 2
)

// seen are what the first viewpoints see. It is computed once.
func (s *subject) seen() []sight {
	if s.kept.sightsKnown {
		return s.kept.sights
	}
	s.kept.sightsKnown = true
	for _, v := range s.level.Viewpoints {
		if _, blind := s.inside(s.world.Pose(&v.Entity).Position, isVisible); blind {
			continue // that is closure.viewpoint-inside
		}
		if v.Enabled && len(s.kept.sights) < seenViews {
			s.kept.sights = append(s.kept.sights, s.lookThrough(v))
		}
	}
	return s.kept.sights
}

func (s *subject) lookThrough(v *level.Viewpoint) sight {
	pose := s.world.Pose(&v.Entity)
	out := sight{view: v, eye: pose.Position, look: &s.level.Look}
	if z := s.zoneAt(pose.Position); z != nil && z.Look != nil {
		out.look = z.Look
	}
	tan := math.Tan(v.FovDeg * math.Pi / 360)
	rows := make([][]spot, seenHigh)
	sky := make([]int, seenHigh)
	s.each(seenHigh, func(y int) {
		for x := range seenWide {
			u := (2*(float64(x)+0.5)/seenWide - 1) * tan * 16 / 9
			w := (1 - 2*(float64(y)+0.5)/seenHigh) * tan
			dir := pose.Rotation.Rotate(geom.Vec3{u, w, -1}.Normalize())
			hit, ok := s.Scene.See(pose.Position, dir, math.Inf(1))
			if !ok {
				sky[y]++
				continue
			}
			n := s.Scene.NormalOf(hit.Triangle)
			if n.Dot(dir) > 0 {
				n = n.Mul(-1)
			}
			f := &s.Scene.Surfaces[hit.Surface]
			p := spot{at: hit.Point, normal: n, distance: hit.Distance, surface: hit.Surface, albedo: s.Scene.AlbedoAt(hit.Triangle, hit.Point, hit.U, hit.V)}
			if f.Finish().Roles.ReceivesLight {
				p.light = ledger.Light(s.Prepared, hit.Point.Add(n.Mul(scene.OffsetM)), n, seenShadow, seenPaths)
			}
			rows[y] = append(rows[y], p)
		}
	})
	for y := range rows {
		out.spots = append(out.spots, rows[y]...)
		out.sky += sky[y]
	}
	return out
}

// each runs something for 0 to n-1, on all cores.
func (s *subject) each(n int, run func(int)) {
	_ = parallel.Each(context.Background(), n, run, nil) // without an end it has no error
}

// radiance is what a spot sends to the eye, in nits.
func (p *spot) radiance(s *subject) color.Linear {
	m := s.Scene.Surfaces[p.surface].Finish().Material
	return p.light.Mul(p.albedo).Scale(1 / math.Pi).Add(m.Albedo().Scale(m.Emission))
}
