package scene

import (
	"container/heap"
	"math"
	"sync"

	"grotta/core/geom"
	"grotta/core/parallel"
)

// Puddles are where water stands on wet ground: in hollows that have no way out. Ground is seen from above, as rain
// falls, so there are none under a roof. Flat ground is never quite flat: a relief of a centimetre is laid over it.
type Puddles struct {
	X, Z          float64 // of the first cell's middle, metres
	CellM         float64
	Width, Height int       // cells, along x and along z
	Ground        []float32 // how high the ground is in each cell, row after row along z; metres, without the relief
	Depth         []float32 // of the water on it, metres; less than nothing where it does not stand up to there
}

// The grid of puddles, and what they are made of.
const (
	mostCells   = 512 // along a side
	leastCellM  = 0.1
	reliefM     = 0.012 // from the deepest to the highest place of flat ground
	reliefAtM   = 1.7   // from one high place of the relief to the next
	evenFrom    = 0.94  // cosine to straight up from which on ground holds water
	puddlesFrom = 0.5   // wetness at which the deepest places begin to fill
	noGround    = -math.MaxFloat32 / 4
)

// lazyPuddles are found when they are first asked for.
type lazyPuddles struct {
	once  sync.Once
	found *Puddles
}

// Puddles are those of the level at rest, nil where it is not wet enough for any. They are found once, by a ray down
// on each cell.
func (s *Scene) Puddles() *Puddles {
	s.puddles.once.Do(func() { s.puddles.found = s.findPuddles() })
	return s.puddles.found
}

func (s *Scene) findPuddles() *Puddles {
	wet := s.wetBounds()
	if wet.Empty() {
		return nil
	}
	size := wet.Max.Sub(wet.Min)
	p := &Puddles{CellM: max(leastCellM, max(size[0], size[2])/(mostCells-2))}
	p.X, p.Z = wet.Min[0]-p.CellM/2, wet.Min[2]-p.CellM/2
	p.Width, p.Height = int(size[0]/p.CellM)+2, int(size[2]/p.CellM)+2
	p.Ground, p.Depth = make([]float32, p.Width*p.Height), make([]float32, p.Width*p.Height)
	share := make([]float32, p.Width*p.Height) // how far hollows are filled; 0 where nothing stands
	top := s.Bounds.Max[1] + 1
	parallel.All(p.Height, func(z int) {
		for x := range p.Width {
			i := z*p.Width + x
			from := geom.Vec3{p.X + float64(x)*p.CellM, top, p.Z + float64(z)*p.CellM}
			hit, ok := s.SeeThroughWater(from, geom.Vec3{0, -1, 0}, top-s.Bounds.Min[1]+1)
			if !ok {
				p.Ground[i] = noGround
				continue
			}
			p.Ground[i] = float32(hit.Point[1])
			if s.NormalOf(hit.Triangle)[1] >= evenFrom {
				share[i] = float32(min(max((s.wetnessOf(s.Surfaces[hit.Surface].Body())-puddlesFrom)/(1-puddlesFrom), 0), 1))
			}
		}
	})
	p.fill(share)
	return p
}

// wetBounds is the box around what is wet enough to have puddles.
func (s *Scene) wetBounds() geom.Bounds {
	around := geom.NoBounds()
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if !f.Finish().Roles.Visible || s.isWater(f) || s.Normal(f)[1] < evenFrom || s.wetnessOf(f.Body()) <= puddlesFrom {
			continue
		}
		for t := range s.Corners(f) {
			for _, v := range t {
				around.Grow(v)
			}
		}
	}
	return around
}

func (s *Scene) wetnessOf(b *Body) float64 { return s.Level.Wetness(s.World.ZoneOf(b.Base())) }

// fill finds how deep water stands: every hollow is filled up to where it runs over, from the rim of the grid inward, the
// lowest place first (Barnes, Lehman and Mulla, "Priority-flood: an optimal depression-filling and watershed-labeling
// algorithm for digital elevation models", 2014). Of a share of less than 1 only the deepest places are left.
func (p *Puddles) fill(share []float32) {
	high, level := make([]float32, len(p.Ground)), make([]float32, len(p.Ground))
	seen := make([]bool, len(p.Ground))
	var open rim
	for i := range p.Ground {
		x, z := i%p.Width, i/p.Width
		high[i] = p.Ground[i]
		if p.Ground[i] != noGround {
			high[i] += float32(relief(p.X+float64(x)*p.CellM, p.Z+float64(z)*p.CellM))
		}
		if x == 0 || z == 0 || x == p.Width-1 || z == p.Height-1 || p.Ground[i] == noGround {
			seen[i], level[i] = true, high[i]
			open = append(open, rimCell{high[i], int32(i)})
		}
	}
	heap.Init(&open)
	for len(open) > 0 {
		at := heap.Pop(&open).(rimCell)
		x, z := int(at.cell)%p.Width, int(at.cell)/p.Width
		for _, step := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			nx, nz := x+step[0], z+step[1]
			next := nz*p.Width + nx
			if nx < 0 || nz < 0 || nx >= p.Width || nz >= p.Height || seen[next] {
				continue
			}
			seen[next], level[next] = true, max(high[next], at.high)
			heap.Push(&open, rimCell{level[next], int32(next)})
		}
	}
	for i := range p.Depth {
		p.Depth[i] = -reliefM
		if share[i] > 0 {
			p.Depth[i] = level[i] - high[i] - reliefM*(1-share[i])
			if level[i] == high[i] {
				p.Depth[i] = -reliefM * (1 - share[i]/2) // so that the edge lies between cells
			}
		}
	}
}

// rim is the cells from which water is followed on, the lowest first; of equals the one before.
type rim []rimCell

type rimCell struct {
	high float32
	cell int32
}

func (r rim) Len() int { return len(r) }
func (r rim) Less(i, k int) bool {
	return r[i].high < r[k].high || r[i].high == r[k].high && r[i].cell < r[k].cell
}
func (r rim) Swap(i, k int) { r[i], r[k] = r[k], r[i] }
func (r *rim) Push(x any)   { *r = append(*r, x.(rimCell)) }
func (r *rim) Pop() any {
	last := (*r)[len(*r)-1]
	*r = (*r)[:len(*r)-1]
	return last
}

// relief is how high flat ground is at a place, from 0 to reliefM: ridges that close about hollows, where one noise is a
// half, and a finer noise that breaks them (value noise; ridged as in Musgrave, "Texturing and Modeling", 1994).
func relief(x, z float64) float64 {
	ridge := 1 - math.Abs(2*noise(x/reliefAtM, z/reliefAtM)-1)
	return reliefM * (0.5*ridge + 0.5*noise(2.7*x/reliefAtM+31, 2.7*z/reliefAtM+17))
}

func noise(x, z float64) float64 {
	x0, z0 := math.Floor(x), math.Floor(z)
	ease := func(t float64) float64 { return t * t * (3 - 2*t) }
	fx, fz := ease(x-x0), ease(z-z0)
	at := func(i, k float64) float64 {
		h := uint64(int64(i))*0x9e3779b97f4a7c15 ^ uint64(int64(k))*0xc2b2ae3d27d4eb4f
		h ^= h >> 31
		h *= 0xbf58476d1ce4e5b9
		h ^= h >> 29
		return float64(h>>11) / (1 << 53)
	}
	return (at(x0, z0)*(1-fx)+at(x0+1, z0)*fx)*(1-fz) + (at(x0, z0+1)*(1-fx)+at(x0+1, z0+1)*fx)*fz
}

// How far a point may be from the ground of its cell, and over what depth a puddle's edge goes over into wet ground.
const (
	PuddleReachM = 0.15
	PuddleEdgeM  = 0.0015
)

// At is how much of a puddle a point of the ground is, from 0 to 1.
func (p *Puddles) At(at geom.Vec3) float64 {
	if p == nil {
		return 0
	}
	x, z := (at[0]-p.X)/p.CellM, (at[2]-p.Z)/p.CellM
	x0, z0 := int(math.Floor(x)), int(math.Floor(z))
	if x0 < 0 || z0 < 0 || x0+1 >= p.Width || z0+1 >= p.Height {
		return 0
	}
	fx, fz, i := x-float64(x0), z-float64(z0), z0*p.Width+x0
	between := func(v []float32) float64 {
		return (float64(v[i])*(1-fx)+float64(v[i+1])*fx)*(1-fz) + (float64(v[i+p.Width])*(1-fx)+float64(v[i+p.Width+1])*fx)*fz
	}
	if math.Abs(between(p.Ground)-at[1]) > PuddleReachM {
		return 0
	}
	t := min(max(between(p.Depth)/PuddleEdgeM, 0), 1)
	return t * t * (3 - 2*t)
}
