package radiosity

import (
	"context"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/direct"
	"grotta/core/parallel"
)

// slopeSet is the patches along which a source's direct light changes much, such as those near a lamp or at the edge of a
// shadow. A ray that lands on one, not too far away, reads the light where it lands, by a plane through that of the patch's texels.
type slopeSet struct {
	factor float32
	list   []slope // in order of the patches
}

type slope struct {
	patch                uint32
	x, y                 float32    // the middle of its texels, in the chart
	mean, alongX, alongY [3]float32 // lux, and lux for each texel along the chart's sides
}

const (
	slopeSides = 8    // times the side of a patch: from farther away rays meet many patches, whose means do
	leastSlope = 0.08 // of the mean, from the middle of a patch to its corner
	leastOfAll = 0.01 // of the brightest patch's light: what is darker counts little
)

// slopesOf finds the patches along which a source's direct light changes, by that light; nil for none.
func (l *Links) slopesOf(ctx context.Context, e *Emitter, mean [][4]float32) (*slopeSet, error) {
	if e.Source.IsSky() {
		return nil, nil
	}
	brightest := float32(0)
	for k := range mean {
		brightest = max(brightest, mean[k][0]+mean[k][1]+mean[k][2])
	}
	found := make([][]slope, len(l.m.Layout.Charts))
	if err := parallel.Each(ctx, len(found), func(chart int) { found[chart] = l.slopesOn(chart, e.Direct, mean, leastOfAll*brightest) }, nil); err != nil {
		return nil, err
	}
	set := &slopeSet{factor: e.Factor, list: slices.Concat(found...)}
	if len(set.list) == 0 {
		return nil, nil
	}
	return set, nil
}

// slopesOn finds them on a chart, where the sum of the mean light's channels is at least so much.
func (l *Links) slopesOn(chart int, light *direct.Light, mean [][4]float32, least float32) (found []slope) {
	c, g := &l.m.Layout.Charts[chart], l.Grid(chart)
	from, end := l.m.Texels.Of(chart)
	if from == end || light.AreDark(from/chunk, (end-1)/chunk) {
		return nil
	}
	// Sums for a plane by least squares: places, and places times light.
	type sums struct {
		n, x, y, xx, xy, yy float64
		lux, lx, ly         [3]float64
	}
	all := make([]sums, g.End-g.First)
	var lux direct.Chunk
	read := -1
	for i := from; i < end; i++ {
		x, y := l.m.PlaceOf(c, i)
		patch, _ := l.PatchAt(g, x, y)
		if d := &mean[patch]; d[0]+d[1]+d[2] < least || d[0]+d[1]+d[2] == 0 {
			continue
		}
		if k := i / chunk; k != read {
			if read = k; light.IsDark(k) {
				lux = direct.Chunk{}
			} else {
				light.Read(k, &lux)
			}
		}
		s := &all[int(patch)-g.First]
		u, v := float64(x)+0.5, float64(y)+0.5
		s.n, s.x, s.y, s.xx, s.xy, s.yy = s.n+1, s.x+u, s.y+v, s.xx+u*u, s.xy+u*v, s.yy+v*v
		for c := range lux {
			w := float64(lux[c][i%chunk])
			s.lux[c], s.lx[c], s.ly[c] = s.lux[c]+w, s.lx[c]+w*u, s.ly[c]+w*v
		}
	}
	half := float64(g.Side) / 2
	for k := range all {
		s := &all[k]
		if s.n < 2 || l.isShared(g.First+k) {
			continue
		}
		x, y := s.x/s.n, s.y/s.n
		xx, xy, yy := s.xx/s.n-x*x, s.xy/s.n-x*y, s.yy/s.n-y*y
		one, change, sum := slope{patch: uint32(g.First + k), x: float32(x), y: float32(y)}, 0.0, 0.0
		for c := range 3 {
			m := s.lux[c] / s.n
			lx, ly := s.lx[c]/s.n-m*x, s.ly[c]/s.n-m*y
			gx, gy := plane(xx, xy, yy, lx, ly)
			one.mean[c], one.alongX[c], one.alongY[c] = float32(m), float32(gx), float32(gy)
			change, sum = change+half*(math.Abs(gx)+math.Abs(gy)), sum+m
		}
		if change > leastSlope*sum {
			found = append(found, one)
		}
	}
	return found
}

// plane solves the normal equations of a plane; along a side without an extent it is level.
func plane(xx, xy, yy, lx, ly float64) (alongX, alongY float64) {
	const flat = 1e-3
	switch {
	case xx < flat && yy < flat:
		return 0, 0
	case xx < flat:
		return 0, ly / yy
	case yy < flat:
		return lx / xx, 0
	}
	det := xx*yy - xy*xy
	if det < flat*flat {
		return 0, 0
	}
	return (lx*yy - ly*xy) / det, (ly*xx - lx*xy) / det
}

// isShared tells whether the light that a patch sends back is not its direct light alone: some comes through it, or it is
// under water.
func (l *Links) isShared(patch int) bool {
	_, isThrough := l.otherOf[int32(patch)]
	return isThrough || l.UnderWater(patch) != color.White
}

// leaveOut takes bright patches out: rays go to the places of them on which light falls.
func (s *slopeSet) leaveOut(bright *brightSet) {
	if s != nil && bright != nil {
		s.list = slices.DeleteFunc(s.list, func(one slope) bool { _, is := bright.of[one.patch]; return is })
	}
}

// add adds to a row of light how far the direct light at a point of a patch is from the patch's mean.
func (s *slopeSet) add(row []float32, l *Links, at *Landing, rays int) {
	k, is := slices.BinarySearchFunc(s.list, at.patch, func(one slope, patch uint32) int { return int(one.patch) - int(patch) })
	if !is {
		return
	}
	one := &s.list[k]
	x, y := inChart(&l.m.Layout.Charts[l.m.ChartOf(int(l.first[at.patch]))], at.point)
	dx, dy := float32(x)-one.x, float32(y)-one.y
	a := &l.albedos[l.albedoOf[at.patch]]
	for c := range 3 {
		more := max(one.alongX[c]*dx+one.alongY[c]*dy, -one.mean[c])
		row[c] += s.factor * a[c] * more / float32(rays)
	}
}
