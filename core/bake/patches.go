package bake

import (
	"context"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// noPatch is the patch of charts without texels. It is dark, and no ray meets it.
const noPatch = -1

// cut marks the places of a square that something divides. A point there may belong to
// another patch than its place does.
const cut = 1 << 30

// grid holds the patch of each place of a chart, without the padding. A place without a
// texel has the patch of the nearest place with one.
type grid struct {
	cells         int // where its places begin
	width, height int // texels
	side          int // of a patch at most, in texels
	first, end    int // patches
}

// grid returns the grid of a chart.
func (t *transport) grid(chart int) grid {
	c := &t.layout.Charts[chart]
	width, height := c.Inner()
	return grid{
		cells: int(t.cellsOf[chart]),
		width: width, height: height,
		side:  patchSide(c),
		first: int(t.patchesOf[chart]), end: int(t.patchesOf[chart+1]),
	}
}

// patchSide is how many texels a patch of a chart has along each side at most.
func patchSide(c *lightmap.Chart) int { return max(patchTexels, int(c.Density*patchM+0.5)) }

// patchAt is the patch at a place of a chart, from its unpadded corner, or at the
// nearest place to it, and whether its square is cut.
func (t *transport) patchAt(g grid, x, y int) (patch int32, isCut bool) {
	x, y = min(max(x, 0), g.width-1), min(max(y, 0), g.height-1)
	v := t.cells[g.cells+y*g.width+x]
	return v &^ cut, v&cut != 0
}

// placeOf is where a texel lies in its chart without its padding.
func (p *Prepared) placeOf(c *lightmap.Chart, texel int) (x, y int) {
	x, y = p.Layout.PlaceIn(c, p.Texels.List[texel].Index)
	return x - lightmap.PaddingTexels, y - lightmap.PaddingTexels
}

// inChart is where a point of the level lies in a chart without its padding.
func inChart(c *lightmap.Chart, point geom.Vec3) (x, y float64) {
	x, y = c.At(point)
	left, top := c.Corner()
	return x - float64(left+lightmap.PaddingTexels), y - float64(top+lightmap.PaddingTexels)
}

// patchUnder is the patch at a point on a chart. Where something divides the square, it is
// the nearest patch whose first texel sees the point.
func (p *Prepared) patchUnder(t *transport, chart int, point geom.Vec3) int32 {
	c, g := &p.Layout.Charts[chart], t.grid(chart)
	if g.first == g.end {
		return noPatch
	}
	if g.width*g.height == 1 && t.cells[g.cells]&cut == 0 {
		return t.cells[g.cells]
	}
	x, y := inChart(c, point)
	patch, isCut := t.patchAt(g, int(x), int(y))
	if !isCut {
		return patch
	}
	sx, sy := 1, 1 // to the nearer neighbours
	if x-math.Floor(x) < 0.5 {
		sx = -1
	}
	if y-math.Floor(y) < 0.5 {
		sy = -1
	}
	for _, d := range [9][2]int{{0, 0}, {sx, 0}, {0, sy}, {sx, sy}, {-sx, 0}, {0, -sy}, {-sx, sy}, {sx, -sy}, {-sx, -sy}} {
		patch, _ := t.patchAt(g, int(x)+d[0], int(y)+d[1])
		if first := &p.Texels.List[t.first[patch]]; p.open(first, point.Add(first.Normal(p.Scene).Mul(scene.OffsetM)), c.Density) {
			return patch
		}
	}
	return noPatch
}

// liftTexels is the height above the surface, in texels, at which two places are tested
// for sight of each other. So a slight curve or a low step does not divide them.
const liftTexels = 0.25

// open tells whether nothing stands between a texel and a place beside it, at that height.
func (p *Prepared) open(texel *lightmap.Texel, place geom.Vec3, density float64) bool {
	lift := texel.Normal(p.Scene).Mul(liftTexels / density)
	return !p.Scene.Blocked(vec(texel.Origin).Add(lift), place.Add(lift))
}

// partAll makes the patches of all charts. It returns their texels, patch after patch, and
// the index of each patch's first texel, and the end.
func (p *Prepared) partAll(ctx context.Context, t *transport) (members, membersOf []int32, err error) {
	charts := len(t.layout.Charts)
	t.cellsOf, t.patchesOf = make([]int32, charts+1), make([]int32, charts+1)
	for i := range charts {
		if t.cellsOf[i+1] = t.cellsOf[i]; p.Texels.Has(i) {
			g := t.grid(i)
			t.cellsOf[i+1] += int32(g.width * g.height)
		}
	}
	t.cells = make([]int32, t.cellsOf[charts])
	count := make([]int32, charts) // of the patches of each
	if err := inParallel(ctx, charts, 1, func(i, _ int) {
		if p.Texels.Has(i) {
			count[i] = newParting(p, t, i).all()
		}
	}, nil); err != nil {
		return nil, nil, err
	}
	for i := range charts {
		first := t.patchesOf[i]
		t.patchesOf[i+1] = first + count[i]
		for k := t.cellsOf[i]; k < t.cellsOf[i+1]; k++ {
			t.cells[k] += first
		}
	}
	membersOf = make([]int32, t.patchesOf[charts]+1)
	patchOf := func(visit func(texel int, patch int32)) {
		for i := range charts {
			g := t.grid(i)
			first, end := p.Texels.Of(i)
			for texel := first; texel < end; texel++ {
				x, y := p.placeOf(&p.Layout.Charts[i], texel)
				patch, _ := t.patchAt(g, x, y)
				visit(texel, patch)
			}
		}
	}
	patchOf(func(_ int, patch int32) { membersOf[patch+1]++ })
	for k := range membersOf[1:] {
		membersOf[k+1] += membersOf[k]
	}
	members, next := make([]int32, len(p.Texels.List)), slices.Clone(membersOf)
	patchOf(func(texel int, patch int32) {
		members[next[patch]] = int32(texel)
		next[patch]++
	})
	return members, membersOf, nil
}

// parting makes the patches of a chart, counted from 0. In each square of places, the
// texels that the first one sees form a patch; then those that the first of the rest sees,
// and so on. So no patch reaches from one side of a wall to the other.
type parting struct {
	p       *Prepared
	c       *lightmap.Chart
	g       grid
	count   int     // of patches
	cells   []int32 // of the chart
	texelAt []int32 // of each place, or -1
	cut     []int   // places of squares that something parts
	places  []int   // of the square at hand
	left    []int   // those of them with texels that are in no patch yet
}

func newParting(p *Prepared, t *transport, chart int) *parting {
	g := t.grid(chart)
	a := &parting{p: p, c: &p.Layout.Charts[chart], g: g, cells: t.cells[g.cells:][:g.width*g.height]}
	a.texelAt = make([]int32, len(a.cells))
	for k := range a.cells {
		a.cells[k], a.texelAt[k] = noPatch, -1
	}
	first, end := p.Texels.Of(chart)
	for texel := first; texel < end; texel++ {
		x, y := p.placeOf(a.c, texel)
		a.texelAt[y*g.width+x] = int32(texel)
	}
	return a
}

func (a *parting) all() (count int32) {
	for y := 0; y < a.g.height; y += a.g.side {
		for x := 0; x < a.g.width; x += a.g.side {
			a.square(x, y, min(x+a.g.side, a.g.width), min(y+a.g.side, a.g.height))
		}
	}
	standIn(a.cells, a.g.width)
	for _, k := range a.cut {
		a.cells[k] |= cut
	}
	return int32(a.count)
}

// square makes the patches of one square. The square is cut if it has more than one patch,
// if a place has no texel, or if a corner is hidden from the first texel.
func (a *parting) square(x0, y0, x1, y1 int) {
	a.places, a.left = a.places[:0], a.left[:0]
	for y := y0; y < y1; y++ {
		for x := x0; x < x1; x++ {
			k := y*a.g.width + x
			if a.places = append(a.places, k); a.texelAt[k] >= 0 {
				a.left = append(a.left, k)
			}
		}
	}
	if len(a.left) == 0 {
		return
	}
	first := a.texel(a.left[0])
	u, v := a.c.Axes()
	fromX, fromY := inChart(a.c, vec(first.Origin))
	whole := len(a.left) == len(a.places)
	for corner := 0; corner < 4 && whole; corner++ {
		x, y := float64([2]int{x0, x1}[corner&1])-fromX, float64([2]int{y0, y1}[corner>>1])-fromY
		at := vec(first.Origin).Add(u.Mul(x / a.c.Density)).Add(v.Mul(y / a.c.Density))
		whole = a.p.open(first, at, a.c.Density)
	}
	before := a.count
	for ; len(a.left) > 0; a.count++ {
		first, rest := a.texel(a.left[0]), a.left[:0]
		for i, k := range a.left {
			if i == 0 || a.p.open(first, vec(a.texel(k).Origin), a.c.Density) {
				a.cells[k] = int32(a.count)
			} else {
				rest = append(rest, k)
			}
		}
		a.left = rest
	}
	if !whole || a.count > before+1 {
		a.cut = append(a.cut, a.places...)
	}
}

func (a *parting) texel(place int) *lightmap.Texel { return &a.p.Texels.List[a.texelAt[place]] }

// standIn gives each place without a patch the nearest patch. width is that of a row.
func standIn(cells []int32, width int) {
	if !slices.Contains(cells, noPatch) {
		return
	}
	var queue []int
	for k, patch := range cells {
		if patch != noPatch {
			queue = append(queue, k)
		}
	}
	for len(queue) > 0 {
		k := queue[0]
		queue = queue[1:]
		x, y := k%width, k/width
		for _, d := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
			nx, j := x+d[0], (y+d[1])*width+x+d[0]
			if nx >= 0 && nx < width && j >= 0 && j < len(cells) && cells[j] == noPatch {
				cells[j] = cells[k]
				queue = append(queue, j)
			}
		}
	}
}
