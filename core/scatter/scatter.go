// Package scatter computes the light in fog: for each fog volume that is lit, a
// grid of how much light comes to each cell from the sources that ask for it,
// shadowed by the level. A grid is made for unit strength and kept, as layers
// are; a change of strength or colour is another sum.
package scatter

import (
	"context"
	"math"
	"slices"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/source"
)

// Bounds of a grid: cells are cubes of about CellM, and larger where there would
// be more than MaxCells of them.
const (
	CellM    = 0.15
	MaxCells = 96 * 1024
)

// samples is how many shadow rays go from a cell to a source with a size.
const samples = 4

// maxReachM bounds fog that is lit everywhere, from the level's middle.
const maxReachM = 60

// Grid is one source's light in one box, for unit strength.
type Grid struct {
	Key string
	*air.Field
}

// Bytes is about what it holds in memory.
func (g *Grid) Bytes() int { return 4*len(g.Values) + 256 }

// Everywhere is the volume that shows light in haze and height fog wherever
// nothing else does: the level's bounds, up to 60 m each way.
func Everywhere(p *bake.Prepared) (low, high geom.Vec3) {
	b := p.Scene.Bounds
	if b.Empty() {
		return geom.Vec3{-1, -1, -1}, geom.Vec3{1, 1, 1}
	}
	middle := b.Min.Add(b.Max).Mul(0.5)
	for axis := range 3 {
		low[axis] = max(b.Min[axis]-1, middle[axis]-maxReachM)
		high[axis] = min(b.Max[axis]+3, middle[axis]+maxReachM)
	}
	return low, high
}

// Cells is how a box is divided.
func Cells(low, high geom.Vec3) [3]int {
	size := high.Sub(low)
	cell := max(CellM, math.Cbrt(size[0]*size[1]*size[2]/MaxCells))
	var n [3]int
	for {
		for axis := range 3 {
			n[axis] = int(max(1, math.Ceil(size[axis]/cell)))
		}
		if n[0]*n[1]*n[2] <= MaxCells {
			return n
		}
		cell *= 1.05
	}
}

// Key names a grid by all that goes into it.
func Key(p *bake.Prepared, s *source.Source, low, high geom.Vec3) string {
	return digest.New("fog grid", 1).Text(p.Geometry()).Sum256(s.Digest()).Float(low[:]...).Float(high[:]...).Sum().String()
}

// Make computes the grid of a source in a box, on all cores.
func Make(ctx context.Context, p *bake.Prepared, s *source.Source, low, high geom.Vec3) (*Grid, error) {
	cells := Cells(low, high)
	g := &Grid{Key(p, s, low, high), air.NewField(low, high, cells)}
	return g, parallel.Each(ctx, cells[1]*cells[2], func(row int) {
		for x := range cells[0] {
			g.cell(p, s, x, row%cells[1], row/cells[1])
		}
	}, nil)
}

// innerShare is how near to a light's middle the light of a cell is taken, as a
// share of its side: there 1/d² is what it is on average over a ball as large as
// the cell, 3 over the square of its radius.
const innerShare = 0.36

func (g *Grid) cell(p *bake.Prepared, s *source.Source, x, y, z int) {
	side := (g.Max[0] - g.Min[0]) / float64(g.Cells[0])
	toward, unit := s.InAir(p.Scene, g.Middle(x, y, z), samples, innerShare*side)
	luminance := unit.Luminance()
	if luminance <= 0 {
		return
	}
	at := 6 * (x + g.Cells[0]*(y+g.Cells[1]*z))
	for c := range 3 {
		g.Values[at+c] = float32(unit[c])
		g.Values[at+3+c] = float32(luminance * toward[c])
	}
}

// Mix sums grids of one box by the weights of their sources. The direction of
// each counts by its light.
func Mix(sources []source.Source, grids []*Grid) *air.Field {
	if len(grids) == 0 {
		return nil
	}
	f := air.NewField(grids[0].Min, grids[0].Max, grids[0].Cells)
	for i, g := range grids {
		w := sources[i].Weight
		for k := 0; k < len(g.Values); k += 6 {
			unit := g.Values[k : k+6]
			var luminance float64
			for c, y := range [3]float64{0.2126, 0.7152, 0.0722} {
				v := float64(unit[c]) * w[c]
				f.Values[k+c] += float32(v)
				luminance += y * v
			}
			length := math.Sqrt(float64(unit[3]*unit[3] + unit[4]*unit[4] + unit[5]*unit[5]))
			if length == 0 {
				continue
			}
			for c := range 3 {
				f.Values[k+3+c] += float32(luminance / length * float64(unit[3+c]))
			}
		}
	}
	return f
}

// Cost is what lit fog takes.
type Cost struct {
	Volume  string // id of the fog volume; none for all of the level
	Cells   int
	Sources []string // that show in it, by id
	Rays    int      // at most, when nothing of it is kept
	Bytes   int
}

// Ask is what light is wanted, and what is known of it.
type Ask struct {
	Seconds *float64               // the time; nil for steady light
	Bare    bool                   // no light in fog at all
	Only    string                 // id of the one source that counts; "" for all
	Kept    func(key string) *Grid // finds a grid that was made before; may be nil
	Keep    func(*Grid)            // takes one that is new; may be nil
}

// Light gives each lit volume of an air its field, and tells what that costs.
func Light(ctx context.Context, p *bake.Prepared, a *air.Air, ask Ask) ([]Cost, error) {
	if ask.Bare {
		return []Cost{}, nil
	}
	sources := source.InFog(p.Scene.Level, p.Scene)
	if ask.Seconds != nil {
		sources = source.At(sources, *ask.Seconds)
	}
	if a.Lit(level.LitEverywhere) && len(sources) > 0 && slices.ContainsFunc(a.Settings, veiled) {
		min, max := Everywhere(p)
		a.Volumes = append(a.Volumes, air.Volume{Min: min, Max: max, EdgeM: 1, Lit: true})
	}
	if ask.Only != "" {
		sources = slices.DeleteFunc(sources, func(s source.Source) bool { return s.ID != ask.Only })
	}
	costs := []Cost{}
	for i := range a.Volumes {
		v := &a.Volumes[i]
		if !v.Lit || len(sources) == 0 {
			continue
		}
		grids := make([]*Grid, len(sources))
		n := Cells(v.Min, v.Max)
		cost := Cost{Volume: v.ID, Cells: n[0] * n[1] * n[2], Sources: []string{}}
		for j := range sources {
			s := &sources[j]
			var err error
			if grids[j], err = ask.grid(ctx, p, s, v); err != nil {
				return nil, err
			}
			cost.Sources = append(cost.Sources, s.ID)
			cost.Rays += cost.Cells * samples
			cost.Bytes += grids[j].Bytes()
		}
		cost.Sources = slices.Compact(cost.Sources)
		v.Field = Mix(sources, grids)
		costs = append(costs, cost)
	}
	return costs, nil
}

func (a *Ask) grid(ctx context.Context, p *bake.Prepared, s *source.Source, v *air.Volume) (*Grid, error) {
	if a.Kept != nil {
		if g := a.Kept(Key(p, s, v.Min, v.Max)); g != nil {
			return g, nil
		}
	}
	g, err := Make(ctx, p, s, v.Min, v.Max)
	if err == nil && a.Keep != nil {
		a.Keep(g)
	}
	return g, err
}

// veiled tells whether there is haze or height fog to show light in.
func veiled(s air.Setting) bool { return s.Haze.Max > 0 || s.Height.Max > 0 }
