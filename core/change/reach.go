package change

import (
	"math"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/direct"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/sampling"
	"grotta/core/source"
	"grotta/core/trace"
)

// Reach tells which layers a change of geometry, roles or albedo can reach. All
// light that a changed thing blocks, lets by or sends back passes through the
// place where it was or is; so where a layer has next to no light at either
// place, it has changed by no more than that anywhere.
type Reach struct {
	was, now *bake.Prepared
	changed  map[string]bool // entities
	dense    []spot          // where direct light is looked for: it can be as small as a texel
	sparse   []spot          // where light by bounces is looked for, which changes slowly
}

// spot is a place on a changed surface, one side of it.
type spot struct{ at, normal geom.Vec3 }

// Tolerance is the light at a change, as a share of a layer's brightest
// texel, up to which the layer is kept: the first step over black on a display
// of 8 bits (IEC 61966-2-1) whose white that texel is.
const Tolerance = 1 / (255 * 12.92)

const (
	denseM2    = 0.015  // a dense spot for so much of a surface, about 12 cm apart
	sparseM2   = 0.25   // beside the texels
	mostDense  = 20_000 // with more to look at, everything is baked
	mostSparse = 4000
	spotRays   = 32
)

// NewReach compares two states of a level. It is nil where a setting differs, or
// where the geometry differs in a way that no changed entity explains: every layer has
// to be baked then.
func NewReach(was, now *bake.Prepared) *Reach {
	if was == nil || len(settingChanges(was, now)) > 0 {
		return nil
	}
	r := &Reach{was: was, now: now, changed: map[string]bool{}}
	for _, c := range changesOf(was, now) {
		r.changed[c.entity] = true
	}
	if len(r.changed) == 0 && was.Geometry() != now.Geometry() {
		return nil
	}
	for _, p := range []*bake.Prepared{was, now} {
		for i := range p.Scene.Surfaces {
			if !r.changed[p.Scene.Surfaces[i].Body().Entity] {
				continue
			}
			r.addSpots(p, i)
			r.addTexels(p, i)
			if len(r.dense) > mostDense || len(r.sparse) > mostSparse {
				return nil
			}
		}
	}
	return r
}

// addSpots spreads spots evenly over a surface, on both its sides. The corners of its
// triangles are dense spots too: what comes through a wall comes through it first there.
func (r *Reach) addSpots(p *bake.Prepared, surface int) {
	for t := range p.Scene.Corners(&p.Scene.Surfaces[surface]) {
		cross := t[1].Sub(t[0]).Cross(t[2].Sub(t[0]))
		area, normal := cross.Len()/2, cross.Normalize()
		add := func(spots []spot, u, v float64) []spot {
			at := t[0].Mul(1 - u - v).Add(t[1].Mul(u)).Add(t[2].Mul(v))
			return append(spots, spot{at, normal}, spot{at, normal.Mul(-1)})
		}
		spread := func(spots []spot, each float64, most int) []spot {
			n := min(int(math.Ceil(area/each)), most)
			for k := range n {
				u, v := sampling.Pair(k, n, 0)
				if u+v > 1 {
					u, v = 1-u, 1-v
				}
				spots = add(spots, u, v)
			}
			return spots
		}
		r.sparse = spread(r.sparse, sparseM2, mostSparse)
		r.dense = spread(r.dense, denseM2, mostDense)
		const inside = 0.001 // of the triangle's height
		for _, uv := range [3][2]float64{{inside, inside}, {1 - 2*inside, inside}, {inside, 1 - 2*inside}} {
			r.dense = add(r.dense, uv[0], uv[1])
		}
	}
}

// addTexels makes spots of a surface's texels: those are where its own light shows.
func (r *Reach) addTexels(p *bake.Prepared, surface int) {
	chart := p.Layout.ChartOf[surface]
	if chart < 0 {
		return
	}
	first, end := p.Texels.Of(int(chart))
	for i := first; i < min(end, first+mostDense); i++ {
		at := direct.Receiver(p.Map, &p.Texels.List[i])
		r.dense, r.sparse = append(r.dense, spot{at.Point, at.Normal}), append(r.sparse, spot{at.Point, at.Normal})
	}
}

// Share is the most light that a source has where things changed, by its layer
// from before, as a share of its brightest texel. It stops looking at a share
// over the tolerance, and is 1 where the source itself is not as it was.
func (r *Reach) Share(id string, l *layer.Layer) float64 {
	before, after := r.was.Source(id), r.now.Source(id)
	if before == nil || after == nil || len(source.Changes(before, after)) > 0 || r.shines(before) || r.shines(after) {
		return 1
	}
	m := layer.NewImage(l.PageSize, l.Pages)
	l.AddTo(m, color.White)
	brightest, share := 0.0, 0.0
	for _, v := range m.Pix {
		brightest = max(brightest, float64(v))
	}
	look := func(spots []spot, light func(*bake.Prepared, spot, float64) float64) {
		for i, at := range spots {
			for _, p := range []*bake.Prepared{r.was, r.now} {
				if share > Tolerance {
					return
				}
				if lux := light(p, at, float64(i)); lux > 0 {
					share = min(max(share, lux/brightest), 1) // 1 where all of the layer is dark
				}
			}
		}
	}
	look(r.dense, func(p *bake.Prepared, at spot, turn float64) float64 { return directAt(p, p.Source(id), at, turn) })
	look(r.sparse, func(p *bake.Prepared, at spot, turn float64) float64 {
		if p == r.now { // its layer is not there yet
			return 0
		}
		return indirectAt(p, before, m, at, turn)
	})
	return share
}

// shines tells whether a changed thing is the source itself.
func (r *Reach) shines(s *source.Source) bool {
	material, ok := s.Material()
	if !ok {
		return false
	}
	for _, p := range []*bake.Prepared{r.was, r.now} {
		for i := range p.Scene.Surfaces {
			if f := &p.Scene.Surfaces[i]; r.changed[f.Body().Entity] && f.Finish().Material.ID == material {
				return true
			}
		}
	}
	return false
}

// directAt is a source's direct light on a spot, its brightest channel, in lux for
// unit strength.
func directAt(p *bake.Prepared, s *source.Source, at spot, turn float64) float64 {
	sum, _ := s.Sharp(p.Scene, at.receiver(), source.Careful(bake.Draft.Samples()), turn)
	return max(sum[0], sum[1], sum[2])
}

// indirectAt is a source's light on a spot from the sky and from other surfaces, by rays
// that read what its layer says of those: the brightest channel, in lux for unit strength.
func indirectAt(p *bake.Prepared, s *source.Source, lit *layer.Image, at spot, turn float64) float64 {
	bounced := p.Bounces(s)
	if !bounced && !s.IsSky() {
		return 0
	}
	var sum color.Linear
	r := at.receiver()
	u, v := geom.Axes(at.normal)
	for k := range spotRays {
		a, b := sampling.Pair(k, spotRays, turn)
		dir := sampling.CosineDirection(at.normal, u, v, a, b)
		m, met := p.Scene.Meet(trace.Ray{Origin: f32(r.Origin), Dir: f32(dir), Max: math.MaxFloat32})
		switch {
		case !met && s.IsPatch(): // so few rays would miss a patch
			sum = sum.Add(color.White.Scale(math.Pi / spotRays))
		case !met && s.IsSky():
			sum = sum.Add(s.EvenSky(dir).Scale(math.Pi / spotRays))
		case met && bounced:
			if c := p.Layout.ChartOf[m.Surface]; c >= 0 {
				chart := &p.Layout.Charts[c]
				x, y := chart.At(r.Origin.Add(dir.Mul(m.T)))
				sent := lit.At(chart.Page(), x, y).Mul(p.Scene.Surfaces[m.Surface].Finish().Albedo)
				sum = sum.Add(sent.Scale(s.BounceScale() / spotRays))
			}
		}
	}
	return max(sum[0], sum[1], sum[2])
}

// receiver is a spot as a place to be lit.
func (s spot) receiver() *source.Receiver {
	return &source.Receiver{Point: s.at, Origin: s.at.Add(s.normal.Mul(2 * spotOffM)), Normal: s.normal}
}

// spotOffM is how far off a changed surface its light is taken.
const spotOffM = 0.002

func f32(v geom.Vec3) trace.Vec { return trace.Vec{float32(v[0]), float32(v[1]), float32(v[2])} }

// Carry is a layer from before as it lies in the lightmap now. What is new or has
// changed has none of its light.
func (r *Reach) Carry(l *layer.Layer, key string) *layer.Layer {
	type name struct {
		entity        string
		face          int32
		width, height int
		density       float64
	}
	nameOf := func(p *bake.Prepared, c *lightmap.Chart) name {
		f := &p.Scene.Surfaces[c.Surface]
		width, height := c.Size()
		return name{f.Body().Entity, f.Face, width, height, c.Density}
	}
	old := map[name]*lightmap.Chart{}
	for i := range r.was.Layout.Charts {
		c := &r.was.Layout.Charts[i]
		old[nameOf(r.was, c)] = c
	}
	from := layer.NewImage(l.PageSize, l.Pages)
	l.AddTo(from, color.White)
	to, sheet := layer.NewPacker(r.now.Layout, key), layer.Sheet{}
	for i := range r.now.Layout.Charts {
		c := &r.now.Layout.Charts[i]
		was := old[nameOf(r.now, c)]
		if was == nil || r.changed[r.now.Scene.Surfaces[c.Surface].Body().Entity] {
			continue
		}
		sheet.Begin(c)
		width, height := c.Size()
		x, y := was.Corner()
		for place := range width * height {
			at := 3 * ((was.Page()*from.PageSize+y+place/width)*from.PageSize + x + place%width)
			sheet.Set(place, [3]float32(from.Pix[at:]))
		}
		to.Write(i, &sheet)
	}
	return to.Done(&lightmap.Seams{}, 3, &sheet)
}
