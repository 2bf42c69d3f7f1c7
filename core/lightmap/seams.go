package lightmap

import (
	"math"

	"grotta/core/geom"
	"grotta/core/lists"
	"grotta/core/scene"
)

// Seams are the spots where charts meet that show one smooth surface.
type Seams struct {
	List   []Seam
	Texels []int32 // all that they read, by index; each once
}

// Seam is a spot where two charts meet: both are read there, and must read the
// same. Each reads four texels, bilinearly.
type Seam struct {
	Charts [2]int32
	Reads  [2][4]int32   // among the texels of all seams, row by row
	shares [2][2]float32 // of the right column and of the lower row
}

// Weights are what a side's texels count.
func (s *Seam) Weights(side int) [4]float32 {
	x, y := s.shares[side][0], s.shares[side][1]
	return [4]float32{(1 - x) * (1 - y), x * (1 - y), (1 - x) * y, x * y}
}

// MemoryBytes is what they take in memory.
func (s *Seams) MemoryBytes() int { return lists.MemoryBytes(s.List) + lists.MemoryBytes(s.Texels) }

// Of seams: how far apart their spots are, in texels of the finer chart; how far
// over the edge the neighbour is looked for; and how alike, as a cosine, the two
// must face.
const (
	seamStep = 1
	seamM    = 0.004
)

var seamCos = math.Cos(8 * math.Pi / 180)

// Seams finds where charts meet: a little over each edge of a surface, another one
// that faces the same way. It casts a ray for each spot.
func (l *Layout) Seams(s *scene.Scene) *Seams {
	seams, known := &Seams{}, map[int32]int32{}
	for i := range s.Surfaces {
		ci := l.ChartOf[i]
		if ci < 0 {
			continue
		}
		c := &l.Charts[ci]
		for _, edge := range border(s, &s.Surfaces[i]) {
			along := edge.b.Sub(edge.a)
			steps := int(math.Ceil(along.Len() * c.Density / seamStep))
			for k := range steps {
				at := edge.a.Add(along.Mul((float64(k) + 0.5) / float64(steps)))
				if seam, ok := l.seamAt(s, i, at, edge); ok {
					seams.add(seam, known)
				}
			}
		}
	}
	seams.List, seams.Texels = lists.Exact(seams.List), lists.Exact(seams.Texels)
	return seams
}

// add keeps a seam whose reads are still by index; known tells which texels are
// there already.
func (s *Seams) add(seam Seam, known map[int32]int32) {
	for side := range seam.Reads {
		for k, texel := range seam.Reads[side] {
			at, ok := known[texel]
			if !ok {
				at = int32(len(s.Texels))
				known[texel], s.Texels = at, append(s.Texels, texel)
			}
			seam.Reads[side][k] = at
		}
	}
	s.List = append(s.List, seam)
}

// seamAt is the seam at a place of a surface's edge, if there is one.
func (l *Layout) seamAt(s *scene.Scene, surface int, at geom.Vec3, edge edge) (Seam, bool) {
	over := at.Add(edge.out.Mul(seamM)).Add(edge.normal.Mul(seamM))
	hit, ok := s.See(over, edge.normal.Mul(-1), 2*seamM)
	if !ok || hit.Surface == surface {
		return Seam{}, false
	}
	other := l.ChartOf[hit.Surface]
	t := s.CornersOf(hit.Triangle)
	if other < 0 || t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Normalize().Dot(edge.normal) < seamCos {
		return Seam{}, false
	}
	own := l.ChartOf[surface]
	if own > other && l.Charts[own].Density <= l.Charts[other].Density {
		return Seam{}, false // the other chart finds it too, as finely
	}
	seam := Seam{Charts: [2]int32{own, other}}
	for k, ci := range [2]int32{own, other} {
		seam.Reads[k], seam.shares[k] = l.bilinear(ci, at)
	}
	return seam, true
}

// bilinear is the four texels that reading a chart at a point of the level takes,
// and what the right ones and the lower ones count. The padding keeps all in the chart.
func (l *Layout) bilinear(ci int32, at geom.Vec3) (texels [4]int32, shares [2]float32) {
	c := &l.Charts[ci]
	x, y := c.At(at)
	fx := math.Min(math.Max(math.Floor(x-0.5), float64(c.X)), float64(c.X+c.Width-2))
	fy := math.Min(math.Max(math.Floor(y-0.5), float64(c.Y)), float64(c.Y+c.Height-2))
	first, up := int32((int(c.Page)*l.PageSize+int(fy))*l.PageSize+int(fx)), int32(l.PageSize)
	return [4]int32{first, first + 1, first + up, first + up + 1}, [2]float32{float32(x - 0.5 - fx), float32(y - 0.5 - fy)}
}

// edge is one side of a surface: out points away from it, in its plane.
type edge struct{ a, b, out, normal geom.Vec3 }

// border is the edges that only one triangle of a surface has.
func border(s *scene.Scene, f *scene.Surface) []edge {
	if f.Solid != nil {
		var edges []edge
		outline, normal := s.Outline(f), s.Normal(f)
		for i, a := range outline {
			b := outline[(i+1)%len(outline)]
			if b.Sub(a).Len() > 1e-6 {
				edges = append(edges, edge{a, b, b.Sub(a).Cross(normal).Normalize(), normal})
			}
		}
		return edges
	}
	type key [2][3]float32
	count := map[key]int{}
	keyOf := func(a, b geom.Vec3) key {
		p, q := f32(a), f32(b)
		for i := range 3 {
			if p[i] != q[i] {
				if p[i] > q[i] {
					p, q = q, p
				}
				break
			}
		}
		return key{p, q}
	}
	for t := range s.Corners(f) {
		for k := range 3 {
			count[keyOf(t[k], t[(k+1)%3])]++
		}
	}
	var edges []edge
	for t := range s.Corners(f) {
		n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Normalize()
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			if count[keyOf(a, b)] == 1 && b.Sub(a).Len() > 1e-6 {
				edges = append(edges, edge{a, b, b.Sub(a).Cross(n).Normalize(), n})
			}
		}
	}
	return edges
}

// seamSweeps is how often all seams of a lightmap are gone through.
const seamSweeps = 8

// Match moves values of the seams' texels, three of each, so that both sides read
// the same: each spot in turn is put right by the least change (Kaczmarz, 1937).
// What it does is linear in the light, so matched layers mix to a matched
// lightmap. Values never go below zero. lit tells which charts hold light at all.
func (s *Seams) Match(values []float32, lit []bool) {
	for range seamSweeps {
		for i := range s.List {
			if seam := &s.List[i]; lit[seam.Charts[0]] || lit[seam.Charts[1]] {
				seam.match(values)
			}
		}
	}
}

func (s *Seam) match(values []float32) {
	own, others := &s.Reads[0], &s.Reads[1]
	weights, against := s.Weights(0), s.Weights(1)
	var norm float32
	for k := range 4 {
		norm += weights[k]*weights[k] + against[k]*against[k]
	}
	for c := range int32(3) {
		var gap float32
		for k := range 4 {
			gap += weights[k]*values[3*own[k]+c] - against[k]*values[3*others[k]+c]
		}
		gap /= norm
		for k := range 4 {
			a, b := &values[3*own[k]+c], &values[3*others[k]+c]
			*a = max(0, *a-gap*weights[k])
			*b = max(0, *b+gap*against[k])
		}
	}
}
