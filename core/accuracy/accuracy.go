// Package accuracy measures how far a lightmap is from the light that longer sampling finds. It takes
// some texels, evenly over the level, and computes their light by paths from places on their squares,
// which is another way than the bake's.
package accuracy

import (
	"context"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/scene"
)

// Accuracy says how far the luminance of texels is off. The error of a texel is a share of its own
// light, or of the median light of those that have any where that is more. So a few very bright or
// dark texels do not decide.
type Accuracy struct {
	Texels int     // that were looked at
	Median float64 // light on those of them that have any, lux
	RMS    float64 // root mean square of the errors; the reference's own error is taken out
	Bias   float64 // mean of the errors
	Own    float64 // standard error of the reference's part in Bias
	Least  float64 // an RMS under this cannot be told from the errors of the reference
}

const (
	places     = 16  // of a texel's square
	morePlaces = 256 // where their mean is unsure, such as on the edge of a shadow
	unsure     = 0.1 // of a texel's light
	shadowRays = 64  // from each to a source with a size, and to the sky
	turnSeed   = 0x61636375
)

// Measure looks at so many texels by so many paths each; its cost is in proportion to both. It ends early
// with the context's error. A level without texels has an accuracy of zeros.
func Measure(ctx context.Context, p *bake.Prepared, image *layer.Image, texels, paths int) (Accuracy, error) {
	count := min(texels, len(p.Texels.List))
	type sample struct{ lux, want, own2 float64 }
	found := make([]sample, count)
	err := parallel.Each(ctx, count, func(k int) {
		i := (2*k + 1) * len(p.Texels.List) / (2 * count)
		t := &p.Texels.List[i]
		v := image.Pix[3*t.Index:][:3]
		s := &found[k]
		s.lux = color.Linear{float64(v[0]), float64(v[1]), float64(v[2])}.Luminance()
		s.want, s.own2 = truth(p, t, places, paths)
		if s.own2 > unsure*unsure*s.want*s.want {
			s.want, s.own2 = truth(p, t, morePlaces, paths)
		}
	}, nil)
	if err != nil || count == 0 {
		return Accuracy{}, err
	}
	var lights []float64
	for k := range found {
		if found[k].want > 0 {
			lights = append(lights, found[k].want)
		}
	}
	a, n, squares, own2 := Accuracy{Texels: count}, float64(count), 0.0, 0.0
	if len(lights) == 0 {
		return a, nil // all is dark
	}
	slices.Sort(lights)
	a.Median = lights[len(lights)/2]
	for _, s := range found {
		of := max(s.want, a.Median)
		off := (s.lux - s.want) / of
		a.Bias += off / n
		squares += (off*off - s.own2/(of*of)) / n
		own2 += s.own2 / (of * of)
	}
	a.RMS, a.Own = math.Sqrt(max(squares, 0)), math.Sqrt(own2)/n
	// The mean of n squares of the reference's errors is itself uncertain by sqrt(2/n) of it.
	a.Least = math.Sqrt(own2 / n * math.Sqrt(2/n))
	return a, nil
}

// truth is the light on a texel by paths from places on its square, in lux, and its variance.
func truth(p *bake.Prepared, t *lightmap.Texel, places, paths int) (lux, variance float64) {
	squares := p.Squares()
	spread := squares.Of(t).Spread(make([]geom.Vec3, places), sampling.TurnAt(turnSeed, t.Origin))
	origin := vec(t.Origin)
	spread = slices.DeleteFunc(spread, func(step geom.Vec3) bool { // what stands on the texel parts it
		return t.Parted && p.Scene.Blocked(origin, origin.Add(step))
	})
	if len(spread) == 0 {
		spread = append(spread, geom.Vec3{})
	}
	n := t.Normal(p.Scene)
	on := origin.Sub(n.Mul(scene.OffsetM + p.Scene.Lift(int(t.Triangle), origin)))
	rays := ledger.Rays{Shadow: shadowRays, Paths: paths / places}
	each := make([]float64, len(spread))
	for k, step := range spread {
		rays.Turn = sampling.TurnAt(turnSeed+1+uint64(k), t.Origin)
		each[k] = ledger.AskBy(p, on.Add(step), n, rays).Total.Luminance
		lux += each[k] / float64(len(spread))
	}
	return lux, errorOfMean2(each)
}

// errorOfMean2 is the variance of a mean of places that lie evenly, told from how much neighbours differ
// ("collapsed strata"; Cochran, "Sampling Techniques", 1977, 5A.12). A slope of light across a texel counts little.
func errorOfMean2(lux []float64) float64 {
	n, sum := float64(len(lux)), 0.0
	for k := 1; k < len(lux); k += 2 {
		sum += (lux[k] - lux[k-1]) * (lux[k] - lux[k-1])
	}
	return sum / (n * n)
}

func vec(v [3]float32) geom.Vec3 {
	return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
}
