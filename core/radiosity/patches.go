package radiosity

import (
	"context"
	"math"
	"slices"

	"grotta/core/geom"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/scene"
	"grotta/core/smooth"
)

// noPatch is the patch of charts without texels. It is dark, and no ray meets it.
const noPatch = -1

// cut marks the places of a square that something divides. A point there may belong to
// another patch than its place does.
const cut = 1 << 30

// Grid holds the patch of each place of a chart, without the padding. A place without a
// texel has the patch of the nearest place with one.
type Grid struct {
	Width, Height int // texels
	Side          int // of a patch at most, in texels
	First, End    int // patches
	cells         int // where its places begin
}

// Grid returns the grid of a chart.
func (l *Links) Grid(chart int) Grid {
	c := &l.m.Layout.Charts[chart]
	width, height := c.Inner()
	return Grid{
		Width: width, Height: height,
		Side:  patchSide(c),
		First: int(l.patchesOf[chart]), End: int(l.patchesOf[chart+1]),
		cells: int(l.cellsOf[chart]),
	}
}

// patchSide is how many texels a patch of a chart has along each side at most.
func patchSide(c *lightmap.Chart) int { return max(patchTexels, int(c.Density*patchM+0.5)) }

// PatchAt is the patch at a place of a chart, from its unpadded corner, or at the
// nearest place to it, and whether its square is cut.
func (l *Links) PatchAt(g Grid, x, y int) (patch int32, isCut bool) {
	x, y = min(max(x, 0), g.Width-1), min(max(y, 0), g.Height-1)
	v := l.cells[g.cells+y*g.Width+x]
	return v &^ cut, v&cut != 0
}

// isCut tells whether something divides the square of a patch.
func (l *Links) isCut(patch int) bool {
	texel := int(l.first[patch])
	chart := l.m.ChartOf(texel)
	x, y := l.m.PlaceOf(&l.m.Layout.Charts[chart], texel)
	_, is := l.PatchAt(l.Grid(chart), x, y)
	return is
}

// inChart is where a point of the level lies in a chart without its padding.
func inChart(c *lightmap.Chart, point geom.Vec3) (x, y float64) {
	x, y = c.At(point)
	left, top := c.Corner()
	return x - float64(left+lightmap.PaddingTexels), y - float64(top+lightmap.PaddingTexels)
}

// patchUnder is the patch at a point on a chart. Where something divides the square, it is
// the nearest patch whose first texel sees the point.
func (l *Links) patchUnder(chart int, point geom.Vec3) int32 {
	c, g := &l.m.Layout.Charts[chart], l.Grid(chart)
	if g.First == g.End {
		return noPatch
	}
	if g.Width*g.Height == 1 && l.cells[g.cells]&cut == 0 {
		return l.cells[g.cells]
	}
	x, y := inChart(c, point)
	patch, isCut := l.PatchAt(g, int(x), int(y))
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
		patch, _ := l.PatchAt(g, int(x)+d[0], int(y)+d[1])
		if first := &l.m.Texels.List[l.first[patch]]; l.open(first, point.Add(first.Normal(l.m.Scene).Mul(scene.OffsetM)), c.Density) {
			return patch
		}
	}
	return noPatch
}

// PatchesRound returns the patches of the four squares around a place of a chart and
// their bilinear weights. Where a square has several patches, the one nearest to the place
// counts. Where a square is hidden from the place or missing, the place's own patch counts.
func (l *Links) PatchesRound(g *Grid, x, y int) (patches [4]int32, weights [4]float32) {
	own, _ := l.PatchAt(*g, x, y)
	x0, y0 := x/g.Side*g.Side, y/g.Side*g.Side // of its own square
	dx, tx := g.beside(x - x0)
	dy, ty := g.beside(y - y0)
	x1, y1 := x0+dx*g.Side, y0+dy*g.Side // of those beside it
	nearX, nearY := min(max(x, x1), x1+g.Side-1), min(max(y, y1), y1+g.Side-1)
	hasX, hasY := x1 >= 0 && x1 < g.Width, y1 >= 0 && y1 < g.Height
	patches = [4]int32{own, own, own, own}
	if hasX {
		patches[1] = l.throughTo(own, g, nearX, y, dx, 0)
	}
	if hasY {
		patches[2] = l.throughTo(own, g, x, nearY, 0, dy)
	}
	if hasX && hasY {
		patches[3] = l.throughTo(own, g, nearX, nearY, dx, dy)
	}
	return patches, [4]float32{(1 - tx) * (1 - ty), tx * (1 - ty), (1 - tx) * ty, tx * ty}
}

// beside is on which side of a square the next one is that counts for a place of it, and how much it counts.
func (g *Grid) beside(place int) (side int, share float32) {
	t := (float64(place)+0.5)/float64(g.Side) - 0.5
	if t < 0 {
		return -1, float32(-t)
	}
	return 1, float32(t)
}

// throughTo is the patch at a place, in the square so many beside that of a patch, or the patch itself if something
// stands between the two.
func (l *Links) throughTo(own int32, g *Grid, x, y, dx, dy int) int32 {
	other, _ := l.PatchAt(*g, x, y)
	if other == own || !l.around[own].Opens(dx, dy) || !l.around[other].Opens(-dx, -dy) {
		return own
	}
	return other
}

// Around is what the rays of the patches from one up to another found around them.
func (l *Links) Around(first, end int) []smooth.Surroundings { return l.around[first:end] }

// FirstTexel is the texel about whose normal a patch's rays went.
func (l *Links) FirstTexel(patch int) int { return int(l.first[patch]) }

// liftTexels is the height above the surface, in texels, at which two places are tested
// for sight of each other. So a slight curve or a low step does not divide them.
const liftTexels = 0.25

// open tells whether nothing stands between a texel and a place beside it, at that height. Under a
// slanted wall, where that height is beyond the wall, they are tested where they are.
func (l *Links) open(texel *lightmap.Texel, place geom.Vec3, density float64) bool {
	s, from, lift := l.m.Scene, vec(texel.Origin), texel.Normal(l.m.Scene).Mul(liftTexels/density)
	high, over := from.Add(lift), place.Add(lift)
	if s.Blocked(from, high) || s.Blocked(place, over) {
		return !s.Blocked(from, place)
	}
	return !s.Blocked(high, over)
}

// partAll makes the patches of all charts. It returns their texels, patch after patch, and
// the index of each patch's first texel, and the end.
func (l *Links) partAll(ctx context.Context) (members, membersOf []int32, err error) {
	charts := len(l.m.Layout.Charts)
	l.cellsOf, l.patchesOf = make([]int32, charts+1), make([]int32, charts+1)
	for i := range charts {
		if l.cellsOf[i+1] = l.cellsOf[i]; l.m.Texels.Has(i) {
			g := l.Grid(i)
			l.cellsOf[i+1] += int32(g.Width * g.Height)
		}
	}
	l.cells = make([]int32, l.cellsOf[charts])
	count := make([]int32, charts) // of the patches of each
	if err := parallel.Each(ctx, charts, func(i int) {
		if l.m.Texels.Has(i) {
			count[i] = newParting(l, i).all()
		}
	}, nil); err != nil {
		return nil, nil, err
	}
	for i := range charts {
		first := l.patchesOf[i]
		l.patchesOf[i+1] = first + count[i]
		for k := l.cellsOf[i]; k < l.cellsOf[i+1]; k++ {
			l.cells[k] += first
		}
	}
	membersOf = make([]int32, l.patchesOf[charts]+1)
	patchOf := func(visit func(texel int, patch int32)) {
		for i := range charts {
			g := l.Grid(i)
			first, end := l.m.Texels.Of(i)
			for texel := first; texel < end; texel++ {
				x, y := l.m.PlaceOf(&l.m.Layout.Charts[i], texel)
				patch, _ := l.PatchAt(g, x, y)
				visit(texel, patch)
			}
		}
	}
	patchOf(func(_ int, patch int32) { membersOf[patch+1]++ })
	for k := range membersOf[1:] {
		membersOf[k+1] += membersOf[k]
	}
	members, next := make([]int32, len(l.m.Texels.List)), slices.Clone(membersOf)
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
	l       *Links
	c       *lightmap.Chart
	g       Grid
	count   int     // of patches
	cells   []int32 // of the chart
	texelAt []int32 // of each place, or -1
	cut     []int   // places of squares that something parts
	places  []int   // of the square at hand
	left    []int   // those of them with texels that are in no patch yet
}

func newParting(l *Links, chart int) *parting {
	g := l.Grid(chart)
	a := &parting{l: l, c: &l.m.Layout.Charts[chart], g: g, cells: l.cells[g.cells:][:g.Width*g.Height]}
	a.texelAt = make([]int32, len(a.cells))
	for k := range a.cells {
		a.cells[k], a.texelAt[k] = noPatch, -1
	}
	first, end := l.m.Texels.Of(chart)
	for texel := first; texel < end; texel++ {
		x, y := l.m.PlaceOf(a.c, texel)
		a.texelAt[y*g.Width+x] = int32(texel)
	}
	return a
}

func (a *parting) all() (count int32) {
	for y := 0; y < a.g.Height; y += a.g.Side {
		for x := 0; x < a.g.Width; x += a.g.Side {
			a.square(x, y, min(x+a.g.Side, a.g.Width), min(y+a.g.Side, a.g.Height))
		}
	}
	standIn(a.cells, a.g.Width)
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
			k := y*a.g.Width + x
			if a.places = append(a.places, k); a.texelAt[k] >= 0 {
				a.left = append(a.left, k)
			}
		}
	}
	if len(a.left) == 0 {
		a.cut = append(a.cut, a.places...) // what stands in for it may be on the other side of a wall
		return
	}
	first := a.texel(a.left[0])
	u, v := a.c.Axes()
	fromX, fromY := inChart(a.c, vec(first.Origin))
	whole := len(a.left) == len(a.places)
	for corner := 0; corner < 4 && whole; corner++ {
		x, y := float64([2]int{x0, x1}[corner&1])-fromX, float64([2]int{y0, y1}[corner>>1])-fromY
		at := vec(first.Origin).Add(u.Mul(x / a.c.Density)).Add(v.Mul(y / a.c.Density))
		whole = a.l.open(first, at, a.c.Density)
	}
	before := a.count
	for ; len(a.left) > 0; a.count++ {
		first, rest := a.texel(a.left[0]), a.left[:0]
		for i, k := range a.left {
			if i == 0 || a.l.open(first, vec(a.texel(k).Origin), a.c.Density) {
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

func (a *parting) texel(place int) *lightmap.Texel { return &a.l.m.Texels.List[a.texelAt[place]] }

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

func vec(v [3]float32) geom.Vec3 {
	return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
}
