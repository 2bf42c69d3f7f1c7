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
	patch          uint32
	x, y           float32    // the middle of its texels, in the chart
	alongX, alongY float32    // how much the light changes for each texel along the chart's sides, as a share of the mean
	mean           [3]float32 // lux
}

const (
	slopeSides  = 8    // times the side of a patch: from farther away rays meet many patches, whose means do
	leastSlope  = 0.08 // of the mean, from the middle of a patch to its corner
	leastOfAll  = 0.01 // of the brightest patch's light: what is darker counts little
	slopesAtOne = 512  // patches
)

// slopesOf finds the patches along which a source's direct light changes, by that light and its means; nil for none.
func (l *Links) slopesOf(ctx context.Context, e *Emitter, mean [][4]float32) (*slopeSet, error) {
	if e.Source.IsSky() {
		return nil, nil
	}
	brightest := float32(0)
	for k := range mean {
		brightest = max(brightest, mean[k][0]+mean[k][1]+mean[k][2])
	}
	if brightest == 0 {
		return nil, nil
	}
	found := make([][]slope, (len(mean)+slopesAtOne-1)/slopesAtOne)
	err := parallel.Each(ctx, len(found), func(i int) {
		var room [16]int32
		for k := i * slopesAtOne; k < min((i+1)*slopesAtOne, len(mean)); k++ {
			if d := &mean[k]; d[0]+d[1]+d[2] < leastOfAll*brightest || l.isShared(k) {
				continue
			}
			if one, is := l.slopeOn(k, l.texelsOf(k, room[:0]), e.Direct); is {
				one.mean = [3]float32{mean[k][0], mean[k][1], mean[k][2]}
				found[i] = append(found[i], one)
			}
		}
	}, nil)
	set := &slopeSet{factor: e.Factor, list: slices.Concat(found...)}
	if err != nil || len(set.list) == 0 {
		return nil, err
	}
	return set, nil
}

// slopeOn is the plane through the light on a patch's texels by least squares, but for the mean, and whether it is steep.
func (l *Links) slopeOn(patch int, texels []int32, light *direct.Light) (one slope, isSteep bool) {
	chart := l.m.ChartOf(int(l.first[patch]))
	c := &l.m.Layout.Charts[chart]
	var x, y, xx, xy, yy, lux, lx, ly float64 // sums, and their means
	for _, i := range texels {
		px, py := l.m.PlaceOf(c, int(i))
		at := light.At(int(i))
		u, v, w := float64(px)+0.5, float64(py)+0.5, float64(at[0]+at[1]+at[2])
		x, y, xx, xy, yy = x+u, y+v, xx+u*u, xy+u*v, yy+v*v
		lux, lx, ly = lux+w, lx+w*u, ly+w*v
	}
	n := float64(len(texels))
	x, y, lux = x/n, y/n, lux/n
	alongX, alongY := plane(xx/n-x*x, xy/n-x*y, yy/n-y*y, lx/n-lux*x, ly/n-lux*y)
	one = slope{patch: uint32(patch), x: float32(x), y: float32(y), alongX: float32(alongX / lux), alongY: float32(alongY / lux)}
	half := float64(patchSide(c)) / 2
	return one, half*(math.Abs(alongX)+math.Abs(alongY)) > leastSlope*lux
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

// add adds to a row of light how far the direct light at a point of a patch, its k-th, is from the patch's mean.
func (s *slopeSet) add(k int, row []float32, l *Links, at *Landing, rays int) {
	one := &s.list[k]
	chart := &l.m.Layout.Charts[l.m.ChartOf(int(l.first[at.patch]))]
	x, y := inChart(chart, at.point)
	side := float32(patchSide(chart)) // a patch may stand in for places farther away, where the plane tells nothing
	dx, dy := min(max(float32(x)-one.x, -side), side), min(max(float32(y)-one.y, -side), side)
	share := max(one.alongX*dx+one.alongY*dy, -1)
	a := &l.albedos[l.albedoOf[at.patch]]
	for c := range 3 {
		row[c] += s.factor * a[c] * share * one.mean[c] / float32(rays)
	}
}
