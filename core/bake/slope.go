package bake

import (
	"context"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/scene"
	"grotta/core/source"
)

// Leaning are the layers of some sources on normals that lean, for Slope: on the upright ones, and on each of
// scene.Leans. Each of the four is like layers of Bake, so any mix of sources is a sum of them.
type Leaning [4][]*layer.Layer

// BakeLeaning computes them. It takes as long as four bakes. A draft, which does not send rays from texels, becomes
// good. Progress is as that of Bake.
func (p *Prepared) BakeLeaning(ctx context.Context, sources []*source.Source, q Quality, progress func(share float64)) (out Leaning, err error) {
	if q == Draft {
		q = Good
	}
	for k := range out {
		on := p.Map
		if k > 0 {
			m := *p.Map
			m.Scene = p.Scene.Leaning(scene.Leans[k-1])
			on = &m
		}
		n := float64(len(out))
		if out[k], err = p.bakeOn(ctx, sources, q, on, partOf(progress, float64(k)/n, float64(k+1)/n)); err != nil {
			return out, err
		}
	}
	return out, nil
}

// Lit are the sources that give any light as the level is.
func (p *Prepared) Lit() (lit []*source.Source) {
	for i := range p.Sources {
		if s := &p.Sources[i]; s.Weight != (color.Linear{}) {
			lit = append(lit, s)
		}
	}
	return lit
}

// Slope is how the light on texels changes as their normals turn: three images, one for each axis of the level. On a
// normal m in place of the texel's own n the light is E + (m - n)·(X, Y, Z), for each channel. That is light to order 1:
// exact where all of it comes from one direction before all four normals, and an approximation elsewhere.
type Slope [3]*layer.Image

// SlopeOf mixes leaning layers of all of the level's sources, in their order, at the weights that the sources have.
func (p *Prepared) SlopeOf(sources []source.Source, layers Leaning) Slope {
	var lit [4]*layer.Image
	for k := range lit {
		lit[k] = layer.Mix(p.Layout.PageSize, p.Layout.Pages, sources, layers[k])
	}
	var out Slope
	for axis := range out {
		out[axis] = layer.NewImage(p.Layout.PageSize, p.Layout.Pages)
	}
	parallel.All(len(p.Layout.Charts), func(ci int) {
		c := &p.Layout.Charts[ci]
		width, _ := c.Size()
		x0, y0 := c.Corner()
		for i, n := range p.normalsOf(ci, c) {
			at := 3 * (c.Page()*p.Layout.PageSize*p.Layout.PageSize + (y0+i/width)*p.Layout.PageSize + x0 + i%width)
			if n == (geom.Vec3{}) {
				continue
			}
			for channel := range 3 {
				slope := slopeAt(n, float64(lit[0].Pix[at+channel]), [3]float64{float64(lit[1].Pix[at+channel]), float64(lit[2].Pix[at+channel]), float64(lit[3].Pix[at+channel])})
				for axis := range out {
					out[axis].Pix[at+channel] = float32(slope[axis])
				}
			}
		}
	})
	return out
}

// slopeAt solves E(m) = E + b·(m - n) for b, from the light on a normal and on the three that lean from it. The sides of
// these lie evenly round the normal, so the mean of the three has what is along it, and their differences the rest.
func slopeAt(n geom.Vec3, upright float64, leaning [3]float64) geom.Vec3 {
	sin, cos := math.Sincos(scene.LeanRad)
	mean := (leaning[0] + leaning[1] + leaning[2]) / 3
	b := n.Mul((upright - mean) / (1 - cos))
	for k, l := range scene.Leans {
		b = b.Add(l.Side(n).Mul(2.0 / 3 * (leaning[k] - mean) / sin))
	}
	return b
}

// normalsOf are the normals of all places of a chart, row by row. Those that have no texel take the nearest one's.
func (p *Prepared) normalsOf(ci int, c *lightmap.Chart) []geom.Vec3 {
	width, height := c.Size()
	normals := make([]geom.Vec3, width*height)
	var edge []int
	first, end := p.Texels.Of(ci)
	for i := first; i < end; i++ {
		t := &p.Texels.List[i]
		x, y := p.Layout.PlaceIn(c, t.Index)
		normals[y*width+x] = t.Shading(p.Scene)
		edge = append(edge, y*width+x)
	}
	for len(edge) > 0 {
		var next []int
		for _, at := range edge {
			for _, step := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				x, y := at%width+step[0], at/width+step[1]
				if x < 0 || y < 0 || x >= width || y >= height || normals[y*width+x] != (geom.Vec3{}) {
					continue
				}
				normals[y*width+x] = normals[at]
				next = append(next, y*width+x)
			}
		}
		edge = next
	}
	return normals
}
