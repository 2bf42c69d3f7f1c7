package fit

import (
	"image"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/shot"
	"grotta/core/source"
)

// This file measures what a change costs that is not about lights: of the air, in small pictures of the viewpoints;
// of texels, by how far they blur the light of spots.

// Pictures of the air. What a surface gets of light is that of the nearest spot of the viewpoint. Where many changes are
// measured the pictures have fewer pixels.
const (
	plateWide, leastWide = 96, 24
	mostPlates           = 6
	fullSized            = 60 // changes that are measured in pictures of full size
)

// plateSize is how large they are.
func (f *fitter) plateSize() (width, height int) {
	changes := 0
	for i, l := range f.lights {
		for n := range f.choices[i] {
			if f.choices[i][n].light == nil && f.ties[l.ID] {
				changes++
			}
		}
	}
	share := math.Sqrt(min(1, fullSized/float64(max(1, changes))))
	width = max(leastWide, int(plateWide*share))
	return width, width * 9 / 16
}

// costOf is what a change costs; false where it is neither of the air nor of texels alone.
func (f *fitter) costOf(before, after *level.Level) (costs, bool) {
	if !sameLists(before.Lights, after.Lights) || !sameLists(before.Materials, after.Materials) || !sameLists(before.Images, after.Images) {
		return costs{}, false
	}
	if sameLists(before.Solids, after.Solids) && sameLists(before.Meshes, after.Meshes) && before.Lightmap == after.Lightmap {
		was, err := f.picturesBefore(before)
		if err != nil {
			return costs{}, false
		}
		return f.airCost(was, after)
	}
	return f.texelCost(before, after)
}

// sameLists tells whether two lists are one: an operation copies what it changes.
func sameLists[T any](a, b []*T) bool { return slices.Equal(a, b) }

// airCost compares the viewpoints' pictures with those under another level's air; false where nothing is looked through.
func (f *fitter) airCost(was []*image.NRGBA, after *level.Level) (costs, bool) {
	if len(was) == 0 {
		return costs{}, false
	}
	now, err := f.pictures(after)
	if err != nil {
		return costs{}, false
	}
	var all []float64
	for i := range was {
		r, err := compare.Pictures(was[i], now[i])
		if err != nil {
			return costs{}, false
		}
		all = append(all, r.Differences()...)
	}
	return costsOf(all), true
}

// costsOf are those of some differences.
func costsOf(all []float64) costs {
	if len(all) == 0 {
		return costs{}
	}
	sum := 0.0
	for _, d := range all {
		sum += d
	}
	slices.Sort(all)
	return costs{sum / float64(len(all)), all[min(len(all)-1, len(all)*95/100)]}
}

// picturesBefore is pictures of a level that many changes are compared with: those of the last one are kept.
func (f *fitter) picturesBefore(l *level.Level) ([]*image.NRGBA, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.before != l {
		p, err := f.pictures(l)
		if err != nil {
			return nil, err
		}
		f.before, f.asBefore = l, p
	}
	return f.asBefore, nil
}

// pictures are what the viewpoints see under a level's air. Lamps do not light its fog here.
func (f *fitter) pictures(l *level.Level) ([]*image.NRGBA, error) {
	p, err := f.from.Again(l)
	if err != nil {
		return nil, err
	}
	a := shot.UnlitAir(l, p.Scene.World, p.Scene)
	out := make([]*image.NRGBA, len(f.plates))
	for i, pl := range f.plates {
		out[i] = pl.Picture(p, a)
	}
	return out, f.ctx.Err()
}

// look makes the plates of the first viewpoints, and the pictures on them as the level is.
func (f *fitter) look() (err error) {
	f.ties = tiesOf(f.level)
	width, height := f.plateSize()
	for _, v := range f.level.Viewpoints {
		var own []int
		for k := range f.spots {
			if f.spots[k].View == v.ID {
				own = append(own, k)
			}
		}
		if len(own) == 0 || len(f.plates) == mostPlates {
			continue
		}
		f.plates = append(f.plates, shot.NewPlate(f.from, shot.Of(f.from.Scene.World, v), width, height, func(at, normal geom.Vec3) color.Linear {
			return f.total[f.nearest(own, at, normal)]
		}))
	}
	f.asIs, err = f.pictures(f.level)
	return err
}

// nearest is the spot of a list that lies nearest to a place, one that faces alike if there is any.
func (f *fitter) nearest(own []int, at, normal geom.Vec3) int {
	best, least := own[0], math.Inf(1)
	for _, k := range own {
		d := f.spots[k].Point.Sub(at)
		far := d.Dot(d)
		if f.spots[k].Normal.Dot(normal) < 0.7 {
			far += 1e6
		}
		if far < least {
			best, least = k, far
		}
	}
	return best
}

// texelCost compares the light of spots, as a texel of each density shows it. A texel holds the mean over its square.
func (f *fitter) texelCost(before, after *level.Level) (costs, bool) {
	was, err := f.from.Again(before)
	if err != nil {
		return costs{}, false
	}
	now, err := f.from.Again(after)
	if err != nil || len(now.Scene.Surfaces) != len(was.Scene.Surfaces) {
		return costs{}, false // other surfaces than those that the spots are on
	}
	displays := f.displays()
	asked := make([]int, len(f.spots)) // numbers of spots
	for k := range asked {
		asked[k] = k
	}
	asked = sampling.Evenly(asked, max(leastSpots, len(f.spots)/4))
	all := make([]float64, len(asked))
	err = parallel.Each(f.ctx, len(asked), func(i int) {
		k := asked[i]
		s := &f.spots[k]
		hit, ok := was.Scene.See(s.Point.Add(s.Normal.Mul(0.01)), s.Normal.Mul(-1), 0.05)
		if !ok {
			return
		}
		fine, coarse := densityOf(was, hit.Surface), densityOf(now, hit.Surface)
		if coarse == fine || coarse == 0 || fine == 0 {
			return
		}
		blur := f.overTexel(s, hit.Surface, coarse).Add(f.overTexel(s, hit.Surface, fine).Scale(-1))
		all[i] = compare.Difference(displays[k].lab(s, f.total[k]), displays[k].lab(s, f.total[k].Add(blur)))
	}, nil)
	return costsOf(all), err == nil
}

// densityOf is what a surface has in a lightmap; 0 where it has no texels.
func densityOf(p *bake.Prepared, surface int) float64 {
	if c := p.Layout.ChartOf[surface]; c >= 0 {
		return p.Layout.Charts[c].Density
	}
	return 0
}

// overTexel is the mean of the direct light over the square round a spot that a texel of some density has, as far as it
// lies on the surface and outside of solids.
func (f *fitter) overTexel(s *check.Spot, surface int, density float64) color.Linear {
	const across = 4
	x := s.Normal.Cross(geom.Vec3{0, 1, 0})
	if x.Len() < 0.1 {
		x = geom.Vec3{1, 0, 0}
	}
	x = x.Normalize()
	y := s.Normal.Cross(x)
	var sum color.Linear
	n := 0
	for i := range across {
		for k := range across {
			u, v := ((float64(i)+0.5)/across-0.5)/density, ((float64(k)+0.5)/across-0.5)/density
			at := s.Point.Add(x.Mul(u)).Add(y.Mul(v))
			if hit, ok := f.from.Scene.See(at.Add(s.Normal.Mul(0.02)), s.Normal.Mul(-1), 0.06); !ok || hit.Surface != surface || f.from.Scene.Inside(at) != "" {
				continue
			}
			n++
			r := source.Receiver{Point: at, Origin: at, Normal: s.Normal}
			for j := range f.from.Sources {
				src := &f.from.Sources[j]
				if src.Weight != (color.Linear{}) {
					unit, _ := src.Direct(f.from.Scene, &r, source.Steady(1), 0.3)
					sum = sum.Add(src.Weight.Mul(unit))
				}
			}
		}
	}
	return sum.Scale(1 / float64(max(1, n)))
}
