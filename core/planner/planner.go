// Package planner spends a budget of texels where shadows are: it sets the
// density of every surface from the detail that its light has. It reads a mixed
// lightmap and answers with an operation; it casts no rays.
package planner

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/grade"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// Budget says what a plan may spend. Texels or Pages must be set; where both
// are, both hold.
type Budget struct {
	Texels int       // texels of all charts, with their padding; 0 does not bind
	Pages  int       // pages at the level's page size; 0 does not bind
	Least  float64   // lowest density, texels a metre; 0.5 if left out
	Most   float64   // highest density; 32 if left out
	Steps  []float64 // densities to keep to; the platform's, or any, if left out
}

// Plan is what a budget is best spent on.
type Plan struct {
	Before    Size
	After     Size
	Uniform   Size             // one density everywhere, with as many texels as the plan
	Surfaces  []Choice         // what changes, the finest first
	Operation *level.Operation // sets the densities; none where nothing changes
}

// Size is what a layout costs and how much of the light it cannot show.
type Size struct {
	Texels int
	Pages  int
	Error  float64 // predicted: root mean square over the lit area, in display steps of 255
}

// Choice is the density of one face of a solid, or of a mesh.
type Choice struct {
	Entity string
	Face   int     // of a solid; -1 for a mesh
	Before float64 // texels a metre
	After  float64
	Detail float64 // square error times density, over its area: what texels buy here
}

// patch is a choice with what it is made from.
type patch struct {
	Choice
	area   float64 // m²
	detail float64 // c of error² x area = c / density
}

// Make plans a level's densities. image is its lightmap, mixed at the densities
// that it has now; the finer that is, the better the plan. The error is a
// *level.Invalid, or of a budget that nothing fits.
func Make(p *bake.Prepared, image *layer.Image, b Budget) (*Plan, error) {
	if b.Texels == 0 && b.Pages == 0 {
		return nil, &level.Invalid{Faults: []level.Fault{{Path: "/texels", Message: "is missing; a budget names texels, or pages, or both"}}}
	}
	b.Least, b.Most = cmp.Or(b.Least, 0.5), cmp.Or(b.Most, 32)
	if b.Least > b.Most {
		return nil, &level.Invalid{Faults: []level.Fault{{Path: "/least", Message: fmt.Sprintf("is %v; at most the highest density, %v, is allowed", b.Least, b.Most)}}}
	}
	slices.Sort(b.Steps)
	patches := measure(p, image)
	plan := &Plan{Before: sizeOf(p.Layout, patches, func(c *patch) float64 { return c.Before }), Surfaces: []Choice{}}
	level, layout, densities := b.spend(p, patches, func(c *patch, price float64) float64 {
		return math.Cbrt(c.detail / (2 * price * c.area)) // least error: -dE/dd = price x dA/dd, E = c/d, A = area d²
	})
	if level == nil {
		return nil, errTooSmall(b)
	}
	for i := range patches {
		patches[i].After = densities[i]
	}
	plan.After = sizeOf(layout, patches, func(c *patch) float64 { return c.After })
	even := b
	even.Texels, even.Pages, even.Steps, even.Least = plan.After.Texels, 0, nil, 0.05
	if _, flat, same := even.spend(p, patches, func(_ *patch, price float64) float64 { return 1 / price }); flat != nil {
		at := map[*patch]float64{}
		for i := range patches {
			at[&patches[i]] = same[i]
		}
		plan.Uniform = sizeOf(flat, patches, func(c *patch) float64 { return at[c] })
	}
	for i := range patches {
		if c := &patches[i]; math.Abs(c.After-c.Before) > 1e-9 {
			plan.Surfaces = append(plan.Surfaces, c.Choice)
		}
	}
	slices.SortStableFunc(plan.Surfaces, func(a, b Choice) int { return cmp.Compare(b.After, a.After) })
	plan.Operation = operation(p.Scene.Level, patches, fmt.Sprintf("Plan texels: %d on %d pages", plan.After.Texels, plan.After.Pages))
	return plan, nil
}

func errTooSmall(b Budget) error {
	return &level.Invalid{Faults: []level.Fault{{Path: "/texels", Message: fmt.Sprintf("is %d on %d pages, and at the lowest density, %v, the level does not fit", b.Texels, b.Pages, b.Least)}}}
}

// measure finds how much of the light on each surface its texels are too coarse
// to show: what is lost when each square of two by two texels is one, in squares
// of display values. A sharp edge loses in proportion to the texel's side, and
// edges are what texels are for, so error² x area = detail / density.
func measure(p *bake.Prepared, image *layer.Image) []patch {
	white := grade.White(p.Scene.Level.Look.ExposureEV)
	var patches []patch
	meshes := map[string]int{}
	for i := range p.Scene.Surfaces {
		s := &p.Scene.Surfaces[i]
		ci := p.Layout.ChartOf[i]
		if ci < 0 {
			continue
		}
		c := &p.Layout.Charts[ci]
		detail := lost(c, image, s.Finish().Albedo.Scale(1/(math.Pi*white))) / (c.Density * c.Density) * c.Density / 2
		width, height := c.Inner()
		area := float64(width*height) / (c.Density * c.Density)
		face := int(s.Face)
		if s.Body().Mesh != nil { // a mesh has one density
			if at, ok := meshes[s.Body().Entity]; ok {
				patches[at].detail += detail
				patches[at].area += area
				continue
			}
			meshes[s.Body().Entity] = len(patches)
			face = -1
		}
		patches = append(patches, patch{Choice: Choice{Entity: s.Body().Entity, Face: face, Before: s.Finish().DensityM}, area: area, detail: detail})
	}
	for i := range patches {
		patches[i].Detail = patches[i].detail
	}
	return patches
}

// noise is the variance that sampling leaves, in display values: below it there is
// no detail.
const noise = 1.0 / (255 * 255)

// lost is the sum over squares of two by two texels of their variance, in display
// values, times four.
func lost(c *lightmap.Chart, image *layer.Image, toDisplay color.Linear) float64 {
	sum := 0.0
	left, top := c.Corner()
	width, height := c.Inner()
	for y := 0; y+1 < height; y += 2 {
		for x := 0; x+1 < width; x += 2 {
			var s, s2 float64
			for k := range 4 {
				lux := image.At(c.Page(), float64(left+lightmap.PaddingTexels+x+k&1)+0.5, float64(top+lightmap.PaddingTexels+y+k>>1)+0.5)
				v := color.EncodeSRGB(lux.Mul(toDisplay).Luminance())
				s += v
				s2 += v * v
			}
			sum += 4 * max(0, s2/4-s*s/16-noise)
		}
	}
	return sum
}

// spend finds the price of a texel at which the densities that a rule gives just
// fit the budget, and returns the level, layout and densities there; nothing
// where even the lowest do not fit.
func (b *Budget) spend(p *bake.Prepared, patches []patch, rule func(c *patch, price float64) float64) (*level.Level, *lightmap.Layout, []float64) {
	try := func(price float64) (*level.Level, *lightmap.Layout, []float64) {
		densities := make([]float64, len(patches))
		for i := range patches {
			densities[i] = b.allowed(rule(&patches[i], price))
		}
		l := with(p.Scene.Level, patches, densities)
		layout, err := lightmap.Plan(scene.Build(l))
		if err != nil || b.Texels > 0 && texels(layout) > b.Texels || b.Pages > 0 && layout.Pages > b.Pages {
			return nil, nil, nil
		}
		return l, layout, densities
	}
	low, high := math.Log(1e-12), math.Log(1e12) // dear enough for any level
	bestLevel, bestLayout, best := try(math.Exp(high))
	for range 40 {
		middle := (low + high) / 2
		if l, layout, d := try(math.Exp(middle)); l != nil {
			bestLevel, bestLayout, best, high = l, layout, d, middle
		} else {
			low = middle
		}
	}
	return bestLevel, bestLayout, best
}

// allowed is the density that the budget allows nearest to a wanted one.
func (b *Budget) allowed(want float64) float64 {
	want = min(max(want, b.Least), b.Most)
	if len(b.Steps) == 0 {
		return math.Round(want*100) / 100
	}
	best := b.Steps[0]
	for _, s := range b.Steps {
		if math.Abs(math.Log(s/want)) < math.Abs(math.Log(best/want)) {
			best = s
		}
	}
	return best
}

func texels(l *lightmap.Layout) int {
	n := 0
	for i := range l.Charts {
		width, height := l.Charts[i].Size()
		n += width * height
	}
	return n
}

func sizeOf(l *lightmap.Layout, patches []patch, density func(*patch) float64) Size {
	var lost, area float64
	for i := range patches {
		c := &patches[i]
		area += c.area
		if d := density(c); d > 0 {
			lost += c.detail / d
		}
	}
	return Size{Texels: texels(l), Pages: l.Pages, Error: 255 * math.Sqrt(lost/max(area, 1e-9))}
}

// with is a level with other densities.
func with(l *level.Level, patches []patch, densities []float64) *level.Level {
	at := map[string]map[int]float64{}
	for i := range patches {
		c := &patches[i]
		if at[c.Entity] == nil {
			at[c.Entity] = map[int]float64{}
		}
		at[c.Entity][c.Face] = densities[i]
	}
	next := *l
	next.Solids, next.Meshes = slices.Clone(l.Solids), slices.Clone(l.Meshes)
	for i, s := range next.Solids {
		if faces := at[s.ID]; faces != nil {
			c := *s
			c.Faces = withDensities(s, faces)
			next.Solids[i] = &c
		}
	}
	for i, m := range next.Meshes {
		if d, ok := at[m.ID][-1]; ok {
			c := *m
			c.Surface.Density = d
			next.Meshes[i] = &c
		}
	}
	return &next
}

func withDensities(s *level.Solid, faces map[int]float64) []level.Face {
	var out []level.Face
	for i := range s.FacePlanes() {
		surface := s.FaceSurface(i)
		if d, ok := faces[i]; ok {
			surface.Density = d
		}
		if surface != s.Surface {
			out = append(out, level.Face{Index: i, Surface: surface})
		}
	}
	return out
}

func operation(l *level.Level, patches []patch, label string) *level.Operation {
	densities := make([]float64, len(patches))
	changed := map[string]bool{}
	for i := range patches {
		densities[i] = patches[i].After
		if math.Abs(patches[i].After-patches[i].Before) > 1e-9 {
			changed[patches[i].Entity] = true
		}
	}
	next := with(l, patches, densities)
	op := level.Batch(label)
	for _, s := range next.Solids {
		if changed[s.ID] {
			op.Steps = append(op.Steps, level.Set(s.ID, map[string]any{"faces": s.Faces}))
		}
	}
	for _, m := range next.Meshes {
		if changed[m.ID] {
			op.Steps = append(op.Steps, level.Set(m.ID, map[string]any{"surface.density": m.Surface.Density}))
		}
	}
	if len(op.Steps) == 0 {
		return nil
	}
	return &op
}
