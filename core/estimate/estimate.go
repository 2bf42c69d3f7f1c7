// Package estimate predicts how long a bake takes, before it is made. Samples of the level are baked on
// this machine: all of its surfaces and sources, with fewer texels a metre. How the time grows with texels
// follows from two samples.
package estimate

import (
	"cmp"
	"context"
	"math"
	"slices"
	"time"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/sampling"
	"grotta/core/source"
)

// Estimate is how long a bake from nothing is expected to take on this machine.
type Estimate struct {
	Seconds float64
	Texels  int
	Sampled int     // texels of the larger sample
	Took    float64 // seconds that the samples took
}

// Texels of the two samples. More make it surer and slower.
const (
	small = 16_000
	large = 56_000
)

// mostParts is how many groups of sources that are baked together a sample bakes. Of many they are taken from all over the list.
const mostParts = 3

// Bake predicts the bake of a prepared level, so many sources together; 0 for all. Sources that are baked
// together share their rays. The error is that of the context.
func Bake(ctx context.Context, p *bake.Prepared, q bake.Quality, together int) (Estimate, error) {
	all := len(p.Texels.List)
	out := Estimate{Texels: all}
	begun := time.Now()
	var n, seconds []float64
	for _, want := range []int{small, large} {
		sample := p
		if all > want {
			var err error
			if sample, err = bake.Prepare(coarser(p.Scene.Level, math.Sqrt(float64(want)/float64(all)))); err != nil {
				return out, err
			}
		}
		start := time.Now()
		sources := source.All(sample.Sources)
		parts := slices.Collect(slices.Chunk(sources, max(1, cmp.Or(together, sample.Together(sources, q)))))
		baked := 0 // sources
		for _, part := range sampling.Evenly(parts, mostParts) {
			if _, err := sample.Bake(ctx, part, q, nil); err != nil {
				return out, err
			}
			baked += len(part)
		}
		took := time.Since(start).Seconds() * float64(len(sources)) / float64(max(1, baked))
		n, seconds = append(n, float64(len(sample.Texels.List))), append(seconds, took)
		if out.Sampled = len(sample.Texels.List); sample == p {
			break // the level is no larger than a sample
		}
	}
	out.Seconds = grown(n, seconds, float64(all))
	out.Took = time.Since(begun).Seconds()
	return out, nil
}

// grown is the time at so many texels: that of the larger sample, grown by the power of the number of
// texels that the two samples show, half way to one. Rays of close texels stay close, so more texels cost
// less each; the farther one goes the less so.
func grown(n, seconds []float64, at float64) float64 {
	last := len(n) - 1
	power := 1.0
	if last > 0 && n[last] > n[0]*1.05 && seconds[0] > 0 {
		seen := max(0.5, min(1, math.Log(seconds[last]/seconds[0])/math.Log(n[last]/n[0])))
		power = (1 + seen) / 2
	}
	return seconds[last] * math.Pow(at/n[last], power)
}

// coarser is a level with its densities multiplied.
func coarser(l *level.Level, share float64) *level.Level {
	next := *l
	next.Lightmap.Density = max(0.25, l.Lightmap.Density*share)
	scaled := func(s level.Surface) level.Surface {
		if s.Density > 0 {
			s.Density = max(0.25, s.Density*share)
		}
		return s
	}
	next.Solids = slices.Clone(l.Solids)
	for i, v := range next.Solids {
		own := *v
		own.Surface, own.Faces = scaled(v.Surface), slices.Clone(v.Faces)
		for k := range own.Faces {
			own.Faces[k].Surface = scaled(own.Faces[k].Surface)
		}
		next.Solids[i] = &own
	}
	next.Meshes = slices.Clone(l.Meshes)
	for i, v := range next.Meshes {
		own := *v
		own.Surface = scaled(v.Surface)
		next.Meshes[i] = &own
	}
	return &next
}
