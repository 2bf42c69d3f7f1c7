package ledger

import (
	"context"
	"math"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/parallel"
	"grotta/core/radiosity"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
	"grotta/core/trace"
)

// Of the paths: how many steps go before chance may end one, how many shadow
// rays go to a source with a size at each step, and how many paths are one piece
// of work.
const (
	sureSteps   = 4
	pathSamples = 4
	pathChunk   = 32
)

// bounced is light that comes by bounces, with its standard error as the batches of paths differ
// (batch means; Law and Carson, "A sequential procedure for determining the length of a steady-state
// simulation", 1979).
type bounced struct {
	light  []color.Linear // of each source
	errors []float64      // of the luminance of each
	error  float64        // of that of all together: they share their paths
}

// bouncedAt is the bounced light of each source on a place, by path tracing with
// next-event estimation and Russian roulette (Kajiya, "The rendering equation",
// 1986; Arvo and Kirk, 1990). The same place and turn always give the same light.
func bouncedAt(p *bake.Prepared, r *source.Receiver, paths int, turn float64) bounced {
	sum := make([]color.Linear, len(p.Sources))
	out := bounced{light: sum, errors: make([]float64, len(p.Sources))}
	var lit []int
	for i := range p.Sources {
		if s := &p.Sources[i]; p.Bounces(s) && s.Weight != (color.Linear{}) {
			lit = append(lit, i)
		}
	}
	if len(lit) == 0 {
		return out
	}
	cones := conesOf(p, lit)
	parts := make([][]color.Linear, (paths+pathChunk-1)/pathChunk)
	// Without a context of its own it cannot fail: a point takes milliseconds.
	_ = parallel.Steps(context.Background(), paths, pathChunk, func(from, to int) {
		part := make([]color.Linear, len(p.Sources))
		for i := from; i < to; i++ {
			path(p, r, i, paths, turn, lit, cones, part)
		}
		parts[from/pathChunk] = part
	}, nil)
	for _, part := range parts {
		for i := range sum {
			sum[i] = sum[i].Add(part[i])
		}
	}
	factor := func(i int) color.Linear {
		s := &p.Sources[i]
		return s.Weight.Scale(s.BounceScale() / float64(paths))
	}
	means := make([]float64, len(parts)) // of the paths of each part, times the share of the part
	for _, i := range lit {
		own := make([]float64, len(parts))
		for k, part := range parts {
			own[k] = part[i].Mul(factor(i)).Luminance()
			means[k] += own[k]
		}
		out.errors[i] = errorOfSum(own)
	}
	out.error = errorOfSum(means)
	for i := range sum {
		sum[i] = sum[i].Mul(factor(i))
	}
	return out
}

// errorOfSum is the standard error of a sum of parts that are alike, by how they differ.
func errorOfSum(parts []float64) float64 {
	n, mean, squares := float64(len(parts)), 0.0, 0.0
	if n < 2 {
		return 0
	}
	for _, x := range parts {
		mean += x / n
	}
	for _, x := range parts {
		squares += (x - mean) * (x - mean)
	}
	return math.Sqrt(squares * n / (n - 1))
}

// path follows light backward from a place and adds what each source sends to
// each surface that it meets.
func path(p *bake.Prepared, r *source.Receiver, index, paths int, turn float64, lit []int, cones []*cone, sum []color.Linear) {
	at := *r
	through := p.Scene.UnderWater(r.Origin)
	a, b := sampling.Pair(index, paths, turn)
	for step := 0; ; step++ {
		seed := (uint64(index)<<8 | uint64(step)) ^ math.Float64bits(turn)
		share01 := func(what int) float64 {
			return sampling.Turn(seed*0x9e3779b9+uint64(what), uint64(index)) / (2 * math.Pi)
		}
		for _, i := range lit {
			if c := cones[i]; c != nil {
				sum[i] = sum[i].Add(through.Mul(c.bounced(p, &at, share01(4*i+1000), share01(4*i+1001), share01(4*i+1002), 2*math.Pi*share01(4*i+1003))))
			}
		}
		u, v := geom.Axes(at.Normal)
		dir := sampling.CosineDirection(at.Normal, u, v, a, b)
		hit, albedo, share, ok := meetLit(p, at.Origin, dir)
		if !ok {
			return
		}
		through = through.Mul(albedo)
		lights := hit
		if share > 0 && sampling.Turn(seed, 4)/(2*math.Pi) < share {
			hit = otherSide(&hit)
		}
		for _, i := range lit {
			s := &p.Sources[i]
			light, _ := s.Direct(p.Scene, &hit, source.Steady(pathSamples), sampling.Turn(seed*0x9e3779b9+uint64(i), uint64(index)))
			if c := cones[i]; c != nil && light != (color.Linear{}) {
				to := lights.Point.Sub(at.Origin)
				byCosine := dir.Dot(at.Normal) / math.Pi
				light = light.Scale(byCosine / (byCosine + c.density(p, &hit, to.Dot(to)/max(-dir.Dot(lights.Normal), 1e-6))))
			}
			sum[i] = sum[i].Add(through.Mul(light))
		}
		if step >= sureSteps {
			live := min(0.95, max(through[0], through[1], through[2]))
			if sampling.Turn(seed, 1)/(2*math.Pi) >= live {
				return
			}
			through = through.Scale(1 / live)
		}
		a, b = sampling.Turn(seed, 2)/(2*math.Pi), sampling.Turn(seed, 3)/(2*math.Pi)
		at = hit
	}
}

// otherSide is the place on the other side of a sheet.
func otherSide(r *source.Receiver) source.Receiver {
	n := r.Normal.Mul(-1)
	return source.Receiver{Point: r.Point, Origin: r.Point.Add(n.Mul(scene.OffsetM)), Normal: n}
}

// meetLit finds the surface that a ray meets, where it sends light back, its albedo there, and which
// share of what it sends came to its other side.
func meetLit(p *bake.Prepared, from, dir geom.Vec3) (at source.Receiver, albedo color.Linear, share float64, ok bool) {
	m, ok := p.Scene.Meet(trace.Ray{
		Origin: trace.Vec{float32(from[0]), float32(from[1]), float32(from[2])},
		Dir:    trace.Vec{float32(dir[0]), float32(dir[1]), float32(dir[2])}, Max: math.MaxFloat32,
	})
	if !ok {
		return at, albedo, 0, false
	}
	surface := &p.Scene.Surfaces[m.Surface]
	if p.Layout.ChartOf[m.Surface] < 0 || !m.Front {
		return at, albedo, 0, false
	}
	t := p.Scene.CornersOf(m.Triangle)
	n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Normalize()
	point := from.Add(dir.Mul(m.T))
	albedo = surface.Finish().Albedo
	if surface.Finish().Image != nil {
		if seen, ok := p.Scene.See(point.Add(n.Mul(scene.OffsetM)), n.Mul(-1), 2*scene.OffsetM); ok {
			albedo = p.Scene.AlbedoAt(seen.Triangle, seen.Point, seen.U, seen.V)
		}
	}
	at = source.Receiver{Point: point, Origin: point.Add(n.Mul(scene.OffsetM)), Normal: n}
	out := p.Scene.UnderWater(at.Origin) // of what it sends back
	for c := range albedo {
		albedo[c] = min(albedo[c], radiosity.MaxAlbedo) * out[c]
	}
	return at, albedo, p.Scene.Translucency(surface), true
}

// Light is the light of all sources on a surface at p facing n, in lux, direct and by
// so many paths bounced, with so many shadow rays to each source that has a size.
func Light(p *bake.Prepared, at, n geom.Vec3, samples, paths int) color.Linear {
	var sum color.Linear
	for _, c := range Each(p, at, n, samples, paths) {
		sum = sum.Add(c)
	}
	return sum
}

// Each is Light by source, in their order. The paths are the same for levels of one geometry, so that
// what a change of lights does to a place can be told from few of them.
func Each(p *bake.Prepared, at, n geom.Vec3, samples, paths int) []color.Linear {
	r := source.Receiver{Point: at, Origin: at, Normal: n}
	out := make([]color.Linear, len(p.Sources))
	if paths > 0 {
		out = bouncedAt(p, &r, paths, 0).light
	}
	for i := range p.Sources {
		s := &p.Sources[i]
		if s.Weight == (color.Linear{}) {
			continue
		}
		unit, _ := s.Direct(p.Scene, &r, source.Careful(samples), 0)
		out[i] = out[i].Add(s.Weight.Mul(unit))
	}
	return out
}
