package lightmap

import (
	"iter"
	"math"
	"math/bits"
	"slices"

	"grotta/core/geom"
	"grotta/core/lists"
	"grotta/core/scene"
)

// Seams are the spots where charts meet that show one smooth surface, and which texels
// are read there.
type Seams struct {
	List   []Seam
	layout *Layout
	// The places of all lit charts' rectangles are numbered chart after chart, by rows.
	first []int32 // of each chart: its first place, and the end
	read  []marks // of each 64 places: which a seam reads
	count int     // of those
}

// marks are which of 64 places are read, a bit for each, and how many before them are.
type marks struct {
	bits   uint64
	before int32
}

// Seam is a spot where two charts meet: both are read there, and must read the
// same. Each reads four texels, bilinearly.
type Seam struct {
	Charts [2]int32
	place  [2]int32     // the upper left one that each reads
	shares [2][2]uint16 // of the right column and of the lower row, in 65535ths
	padded [2]uint8     // which of the four are padding, a bit for each
}

// Spot is where on its page a texel stands.
type Spot struct{ Page, X, Y int }

// Texels are all that seams read, each once.
func (s *Seams) Texels() iter.Seq[Spot] {
	return func(yield func(Spot) bool) {
		ci, c, row, y := -1, (*Chart)(nil), int32(0), 0 // where the row at hand begins, and which it is
		for word := range s.read {
			for left := s.read[word].bits; left != 0; left &= left - 1 {
				place := int32(word<<6 | bits.TrailingZeros64(left))
				for ci < 0 || place >= s.first[ci+1] {
					ci++
					c, row, y = &s.layout.Charts[ci], s.first[ci], 0
				}
				for place >= row+int32(c.width) {
					row, y = row+int32(c.width), y+1
				}
				if !yield(Spot{int(c.page), int(c.x) + int(place-row), int(c.y) + y}) {
					return
				}
			}
		}
	}
}

// Len is how many those are.
func (s *Seams) Len() int { return s.count }

// at is which of them is at a place that is read.
func (s *Seams) at(place int32) int32 {
	m := &s.read[place>>6]
	return m.before + int32(bits.OnesCount64(m.bits&(1<<(place&63)-1)))
}

// reads are the four of them that a side of a seam reads, row by row, and their weights.
func (s *Seams) reads(seam *Seam, side int) (texels [4]int32, weights [4]float32) {
	place, width := seam.place[side], int32(s.layout.Charts[seam.Charts[side]].width)
	upper, lower := s.at(place), s.at(place+width)
	const unit = 1.0 / math.MaxUint16
	x, y := unit*float32(seam.shares[side][0]), unit*float32(seam.shares[side][1])
	return [4]int32{upper, upper + 1, lower, lower + 1}, [4]float32{(1 - x) * (1 - y), x * (1 - y), (1 - x) * y, x * y}
}

// MemoryBytes is what they take in memory.
func (s *Seams) MemoryBytes() int {
	return lists.MemoryBytes(s.List) + lists.MemoryBytes(s.first) + lists.MemoryBytes(s.read)
}

// Of seams: how far apart their spots are, in texels of the finer chart; how far
// over the edge the neighbour is looked for; and how alike, as a cosine, the two
// must face.
const (
	seamStep = 1
	seamM    = 0.004
)

var seamCos = math.Cos(8 * math.Pi / 180)

// Seams finds where charts meet: a little over each edge of a surface, another one
// that faces the same way. It casts a ray for each spot. A chart without a texel, which
// is wholly inside solids, has none: nothing of it is seen beside what is lit.
func (l *Layout) Seams(s *scene.Scene, texels *Texels) *Seams {
	seams := &Seams{layout: l, first: make([]int32, len(l.Charts)+1)}
	for ci := range l.Charts {
		if seams.first[ci+1] = seams.first[ci]; texels.Has(ci) {
			width, height := l.Charts[ci].Size()
			seams.first[ci+1] += int32(width * height)
		}
	}
	for i := range s.Surfaces {
		ci := l.ChartOf[i]
		if ci < 0 || !texels.Has(int(ci)) {
			continue
		}
		c := &l.Charts[ci]
		for edge := range border(s, &s.Surfaces[i]) {
			along := edge.b.Sub(edge.a)
			steps := int(math.Ceil(along.Len() * c.Density / seamStep))
			for k := range steps {
				at := edge.a.Add(along.Mul((float64(k) + 0.5) / float64(steps)))
				if seam, ok := seams.seamAt(s, texels, i, at, edge); ok {
					seams.List = append(seams.List, seam)
				}
			}
		}
	}
	if len(seams.List) == 0 {
		return &Seams{}
	}
	seams.List = lists.Exact(seams.List)
	seams.mark()
	return seams
}

// mark notes which places are read.
func (s *Seams) mark() {
	s.read = make([]marks, (int(s.first[len(s.first)-1])+63)/64)
	for i := range s.List {
		for side, place := range s.List[i].place {
			below := place + int32(s.layout.Charts[s.List[i].Charts[side]].width)
			for _, at := range [4]int32{place, place + 1, below, below + 1} {
				s.read[at>>6].bits |= 1 << (at & 63)
			}
		}
	}
	for k := range s.read {
		s.read[k].before = int32(s.count)
		s.count += bits.OnesCount64(s.read[k].bits)
	}
}

// seamAt is the seam at a place of a surface's edge, if there is one with a lit chart.
func (s *Seams) seamAt(sc *scene.Scene, texels *Texels, surface int, at geom.Vec3, edge edge) (Seam, bool) {
	l := s.layout
	over := at.Add(edge.out.Mul(seamM)).Add(edge.normal.Mul(seamM))
	hit, ok := sc.See(over, edge.normal.Mul(-1), 2*seamM)
	if !ok || hit.Surface == surface {
		return Seam{}, false
	}
	other := l.ChartOf[hit.Surface]
	if other < 0 || !texels.Has(int(other)) || sc.NormalOf(hit.Triangle).Dot(edge.normal) < seamCos {
		return Seam{}, false
	}
	own := l.ChartOf[surface]
	if own > other && l.Charts[own].Density <= l.Charts[other].Density {
		return Seam{}, false // the other chart finds it too, as finely
	}
	seam := Seam{Charts: [2]int32{own, other}}
	for k, ci := range [2]int32{own, other} {
		seam.place[k], seam.shares[k] = s.bilinear(ci, at)
		seam.padded[k] = s.paddedAt(ci, seam.place[k])
	}
	return seam, true
}

// bilinear is the upper left of the four places that reading a chart at a point of the
// level takes, and what the right ones and the lower ones count. The padding keeps all in
// the chart.
func (s *Seams) bilinear(ci int32, at geom.Vec3) (place int32, shares [2]uint16) {
	c := &s.layout.Charts[ci]
	x, y := c.At(at)
	x, y = x-0.5-float64(c.x), y-0.5-float64(c.y)
	fx := min(max(math.Floor(x), 0), float64(c.width-2))
	fy := min(max(math.Floor(y), 0), float64(c.height-2))
	share := func(x float64) uint16 { return uint16(math.Round(math.MaxUint16 * min(max(x, 0), 1))) }
	return s.first[ci] + int32(fy)*int32(c.width) + int32(fx), [2]uint16{share(x - fx), share(y - fy)}
}

// paddedAt tells which of the four places that are read from one on are padding of their chart.
func (s *Seams) paddedAt(ci, place int32) (is uint8) {
	c := &s.layout.Charts[ci]
	width, height := c.Inner()
	x, y := int(place-s.first[ci])%int(c.width)-PaddingTexels, int(place-s.first[ci])/int(c.width)-PaddingTexels
	for k := range 4 {
		if x, y := x+k&1, y+k>>1; x < 0 || y < 0 || x >= width || y >= height {
			is |= 1 << k
		}
	}
	return is
}

// edge is one side of a surface: out points away from it, in its plane.
type edge struct{ a, b, out, normal geom.Vec3 }

// border gives the edges that only one triangle of a surface has.
func border(s *scene.Scene, f *scene.Surface) iter.Seq[edge] {
	if f.Body().Solid != nil {
		return outline(s, f)
	}
	type ends [2][3]float32
	first, end := s.TrianglesOf(f)
	firsts := lists.NewFirsts(3*(end-first), func(i int32) ends {
		t := s.Triangle(first + int(i/3))
		c := [3][3]float32{t.A, t.B, t.C}
		p, q := c[i%3], c[(i+1)%3]
		if slices.Compare(p[:], q[:]) > 0 {
			p, q = q, p
		}
		return ends{p, q}
	})
	shared := make([]bool, 3*(end-first))
	for i := range shared {
		if k := firsts.Of(int32(i)); int(k) != i {
			shared[i], shared[k] = true, true
		}
	}
	return func(yield func(edge) bool) {
		for i := range shared {
			t := s.CornersOf(first + i/3)
			if !shared[i] && !edgeOf(t[i%3], t[(i+1)%3], s.NormalOf(first+i/3), yield) {
				return
			}
		}
	}
}

// outline gives the edges of a solid's face.
func outline(s *scene.Scene, f *scene.Surface) iter.Seq[edge] {
	corners, normal := s.Outline(f), s.Normal(f)
	return func(yield func(edge) bool) {
		for i, a := range corners {
			if !edgeOf(a, corners[(i+1)%len(corners)], normal, yield) {
				return
			}
		}
	}
}

// edgeOf yields an edge that has a length.
func edgeOf(a, b, normal geom.Vec3, yield func(edge) bool) bool {
	along := b.Sub(a)
	return along.Len() <= 1e-6 || yield(edge{a, b, along.Cross(normal).Normalize(), normal})
}

// seamSweeps is how often all seams of a lightmap are gone through.
const seamSweeps = 8

// Match moves values of the seams' texels, so many of each side by side, so that both
// sides read the same: each spot in turn is put right by the least change (Kaczmarz,
// 1937). The light of texels is right, so they hardly move. Padding moves instead: beside a shadow's edge it takes the
// light of the other side. What it does is linear in the light, so matched layers mix to a matched
// lightmap. Values never go below zero. lit tells which charts hold light at all.
func (s *Seams) Match(values []float32, channels int, lit []bool) {
	for range seamSweeps {
		for i := range s.List {
			if seam := &s.List[i]; lit[seam.Charts[0]] || lit[seam.Charts[1]] {
				s.match(seam, values, channels)
			}
		}
	}
}

func (s *Seams) match(seam *Seam, values []float32, channels int) {
	own, weights := s.reads(seam, 0)
	others, against := s.reads(seam, 1)
	var norm float32
	var moves, gives [4]float32 // of each place, a unit's share of the change
	for k := range 4 {
		own[k], others[k] = own[k]*int32(channels), others[k]*int32(channels)
		moves[k], gives[k] = weights[k]*mobility(seam.padded[0]>>k), against[k]*mobility(seam.padded[1]>>k)
		norm += weights[k]*moves[k] + against[k]*gives[k]
	}
	for c := range int32(channels) {
		var gap float32
		for k := range 4 {
			gap += weights[k]*values[own[k]+c] - against[k]*values[others[k]+c]
		}
		gap /= norm
		for k := range 4 {
			a, b := &values[own[k]+c], &values[others[k]+c]
			*a = max(0, *a-gap*moves[k])
			*b = max(0, *b+gap*gives[k])
		}
	}
}

// mobility is how easily a place is moved; the last bit tells whether it is padding.
func mobility(padded uint8) float32 {
	if padded&1 != 0 {
		return 1
	}
	return 1.0 / 64
}
