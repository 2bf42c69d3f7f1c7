package scene

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"grotta/core/geom"
	"grotta/core/parallel"
)

// Puddles are where water stands on wet ground: in shallow hollows that have no way out. Ground is seen from above, as rain
// falls, so there are none under a roof. Flat ground is never quite flat: a relief of a centimetre is laid over it.
type Puddles struct {
	X, Z          float64 // of the first cell's middle, metres
	CellM         float64
	Width, Height int       // cells, along x and along z
	Ground        []float32 // how high the ground is in each cell, row after row along z; metres, without the relief
	Depth         []float32 // of the water on it, metres; negative where there is none, so that the edge of a puddle lies between cells
}

// The grid of puddles, and what they are made of.
const (
	mostCells   = 512 // along a side
	leastCellM  = 0.1
	reliefM     = 0.012 // from the deepest to the highest place of flat ground
	reliefAtM   = 1.7   // from one high place of the relief to the next
	evenFrom    = 0.94  // cosine to straight up from which on ground holds water
	puddlesFrom = 0.5   // wetness at which the deepest places begin to fill
	deepestM    = 0.12  // what is deeper or wider is no puddle
	widestM2    = 20
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

// hollow is ground that lies lower than all round it. Two that run over into each other are one larger hollow.
type hollow struct {
	within int32   // the larger one that it became a part of, or -1
	beyond int32   // a larger one that it is a part of, further out; 0 for none
	lowest float32 // metres
	cells  int32
	open   bool    // water runs out of it
	level  float32 // up to which it holds a puddle; noGround where it holds none
}

// fill finds how deep water stands: ground is taken in from the lowest place up, and every hollow that comes to run over
// is filled up to there, unless it is too deep or too wide for a puddle, as a yard with walls all round is (a depression
// hierarchy; Barnes, Callaghan and Wickert, "Computing water flow through complex landscapes, part 2", 2020). Of a share
// of less than 1 only the deepest places are left.
func (p *Puddles) fill(share []float32) {
	high, order := make([]float32, len(p.Ground)), make([]int32, 0, len(p.Ground))
	for i, ground := range p.Ground {
		if ground != noGround {
			high[i] = ground + float32(relief(p.X+float64(i%p.Width)*p.CellM, p.Z+float64(i/p.Width)*p.CellM))
			order = append(order, int32(i))
		}
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Or(cmp.Compare(high[a], high[b]), cmp.Compare(a, b)) })
	of := make([]int32, len(p.Ground)) // of each cell that is taken in: its hollow, from 1 on
	hollows := []hollow{{within: -1}}
	outermost := func(h int32) int32 {
		for hollows[h].within >= 0 {
			if up := hollows[hollows[h].beyond].beyond; up != 0 { // half the way next time
				hollows[h].beyond = up
			}
			h = hollows[h].beyond
		}
		return h
	}
	for _, cell := range order {
		one := hollow{within: -1, lowest: high[cell], cells: 1, open: p.isRim(cell), level: noGround}
		var room [4]int32
		beside := room[:0]
		p.beside(cell, func(next int32) {
			if of[next] == 0 {
				return
			}
			if h := outermost(of[next]); !slices.Contains(beside, h) {
				beside = append(beside, h)
			}
		})
		if len(beside) == 1 && (!one.open || hollows[beside[0]].open) {
			of[cell] = beside[0]
			hollows[beside[0]].cells++
			continue
		}
		for _, h := range beside {
			b := &hollows[h]
			if !b.open && high[cell]-b.lowest <= deepestM && float64(b.cells)*p.CellM*p.CellM <= widestM2 {
				b.level = high[cell]
			}
			b.within, b.beyond = int32(len(hollows)), int32(len(hollows))
			one.lowest, one.cells, one.open = min(one.lowest, b.lowest), one.cells+b.cells, one.open || b.open
		}
		of[cell] = int32(len(hollows))
		hollows = append(hollows, one)
	}
	for i := len(hollows) - 1; i > 0; i-- { // a larger one comes after its parts
		if up := hollows[i].within; up >= 0 {
			hollows[i].level = max(hollows[i].level, hollows[up].level)
		}
	}
	for i := range p.Depth {
		p.Depth[i] = -reliefM
		if share[i] == 0 {
			continue
		}
		if p.Depth[i] = -reliefM * (1 - share[i]/2); hollows[of[i]].level > high[i] { // else dry, and the edge lies between cells
			p.Depth[i] = hollows[of[i]].level - high[i] - reliefM*(1-share[i])
		}
	}
}

// isRim tells whether water that comes to a cell is gone: at the rim of the grid, or where the ground ends.
func (p *Puddles) isRim(cell int32) (rim bool) {
	sides := 0
	p.beside(cell, func(next int32) {
		sides++
		rim = rim || p.Ground[next] == noGround
	})
	return rim || sides < 4
}

// beside calls visit with the cells at the four sides of one.
func (p *Puddles) beside(cell int32, visit func(next int32)) {
	x, z := int(cell)%p.Width, int(cell)/p.Width
	if x > 0 {
		visit(cell - 1)
	}
	if x+1 < p.Width {
		visit(cell + 1)
	}
	if z > 0 {
		visit(cell - int32(p.Width))
	}
	if z+1 < p.Height {
		visit(cell + int32(p.Width))
	}
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
