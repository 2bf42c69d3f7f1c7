package bake

import (
	"context"
	"slices"
	"sync"

	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/source"
)

// Prepared is a level made ready to bake: everything that does not depend on a
// source.
type Prepared struct {
	Scene   *scene.Scene
	Layout  *lightmap.Layout
	Texels  *lightmap.Texels
	Seams   *lightmap.Seams
	Sources []source.Source
	shape   digest.Sum    // of all geometry that layers depend on
	bounds  []chunkBounds // of each chunk of texels
	runs    []chunkBounds // of each run of chunks
	shared  *once
}

// Prepare builds the scene, lays it out and places the texels. The error is a
// *lightmap.TooLarge.
func Prepare(l *level.Level) (*Prepared, error) {
	s := scene.Build(l)
	layout, err := lightmap.Plan(s)
	if err != nil {
		return nil, err
	}
	texels := layout.Texels(s)
	p := &Prepared{
		Scene:   s,
		Layout:  layout,
		Texels:  texels,
		Seams:   layout.Seams(s, texels),
		Sources: source.List(l, s),
		shape:   geometryDigest(s, layout),
		shared:  &once{sheets: sync.Pool{New: func() any { return &layer.Sheet{} }}},
	}
	p.bounds = boundsOf(p.Texels.List)
	p.runs = runsOf(p.bounds)
	return p, nil
}

// chunk is how many texels one step of work holds.
const chunk = 64

// chunkBounds is the box round a chunk's texels.
type chunkBounds struct{ min, max [3]float32 }

func boundsOf(texels []lightmap.Texel) []chunkBounds {
	all := make([]chunkBounds, (len(texels)+chunk-1)/chunk)
	for i := range texels {
		b := &all[i/chunk]
		if i%chunk == 0 {
			b.min, b.max = texels[i].Origin, texels[i].Origin
		}
		for k, x := range texels[i].Origin {
			b.min[k], b.max[k] = min(b.min[k], x), max(b.max[k], x)
		}
	}
	return all
}

// run is how many chunks, one after the other, are passed over together.
const run = 32

func runsOf(chunks []chunkBounds) []chunkBounds {
	runs := make([]chunkBounds, (len(chunks)+run-1)/run)
	for i := range chunks {
		r := &runs[i/run]
		if i%run == 0 {
			*r = chunks[i]
		}
		for k := range 3 {
			r.min[k], r.max[k] = min(r.min[k], chunks[i].min[k]), max(r.max[k], chunks[i].max[k])
		}
	}
	return runs
}

// lit calls visit for every chunk that a source may get to.
func (p *Prepared) lit(s *source.Source, visit func(chunk int)) {
	at, metres, boxes := s.Reach()
	p.reached(at, metres, func(k int) {
		if boxes == nil || slices.ContainsFunc(boxes, p.bounds[k].meets) {
			visit(k)
		}
	})
}

// meets tells whether a chunk and a box have a place in common.
func (b *chunkBounds) meets(box level.Box) bool {
	for k := range 3 {
		if float64(b.max[k]) < box.Min[k] || float64(b.min[k]) > box.Max[k] {
			return false
		}
	}
	return true
}

// reached calls visit for every chunk that comes within a reach of a point.
func (p *Prepared) reached(at geom.Vec3, reach float64, visit func(chunk int)) {
	for i := range p.runs {
		if !p.runs[i].within(at, reach) {
			continue
		}
		for k := i * run; k < min(i*run+run, len(p.bounds)); k++ {
			if p.bounds[k].within(at, reach) {
				visit(k)
			}
		}
	}
}

// within tells whether a chunk comes within a reach of a point.
func (b *chunkBounds) within(p geom.Vec3, reach float64) bool {
	sum := 0.0
	for k := range 3 {
		d := max(0, float64(b.min[k])-p[k], p[k]-float64(b.max[k]))
		sum += d * d
	}
	return sum < reach*reach
}

// Bake computes the layers of some sources, as many at once as memory allows, on all
// cores: what those share, the rays from surface to surface, is sent once. Layers do
// not depend on which others they are baked with. Progress, if not nil, is called now
// and then, from any goroutine, with the share that is done. It ends early with the
// context's error.
func (p *Prepared) Bake(ctx context.Context, sources []*source.Source, q Quality, progress func(share float64)) ([]*layer.Layer, error) {
	layers := make([]*layer.Layer, 0, len(sources))
	all := float64(len(sources))
	for len(layers) < len(sources) {
		part := sources[len(layers):]
		part = part[:p.Together(part)]
		done := float64(len(layers))
		made, err := p.bakeTogether(ctx, part, q, partOf(progress, done/all, (done+float64(len(part)))/all))
		if err != nil {
			return nil, err
		}
		layers = append(layers, made...)
		if progress != nil {
			progress(float64(len(layers)) / all)
		}
	}
	return layers, ctx.Err()
}

// partOf reports a part's share as one of the whole.
func partOf(progress func(float64), from, to float64) func(float64) {
	if progress == nil {
		return nil
	}
	return func(share float64) { progress(from + share*(to-from)) }
}

// bakeTogether computes the layers of some sources at once.
func (p *Prepared) bakeTogether(ctx context.Context, sources []*source.Source, q Quality, progress func(share float64)) ([]*layer.Layer, error) {
	stage := func(from, to float64) func(float64) { return partOf(progress, from, to) }
	direct, err := p.directLight(ctx, sources, q, stage(0, 0.4))
	if err != nil {
		return nil, err
	}
	var others []*source.Source // those with bounces, or of the sky
	var own []light
	column := make([]int, len(sources)) // of each source among them, or -1
	for i, s := range sources {
		column[i] = -1
		if s.IsSky() || p.Bounces(s) {
			column[i] = 3 * len(others)
			others, own = append(others, s), append(own, direct[i])
		}
	}
	groups := p.groups()
	other, err := p.newGatherer(ctx, others, own, q, groups, stage(0.4, 0.55))
	if err != nil {
		return nil, err
	}
	packers := make([]*layer.Packer, len(sources))
	if err := inParallel(ctx, len(sources), 1, func(i, _ int) { packers[i] = layer.NewPacker(p.Layout, p.Key(sources[i], q)) }, nil); err != nil {
		return nil, err
	}
	report := stage(0.55, 1)
	for k := range groups {
		g := &groups[k]
		if err := other.each(ctx, g, func(done int) {
			if report != nil {
				report(float64(g.first+done) / float64(len(p.Texels.List)))
			}
		}, func(s stretch) error {
			return inParallel(ctx, len(sources), 1, func(i, _ int) { p.pack(packers[i], g, s, &direct[i], column[i]) }, nil)
		}); err != nil {
			return nil, err
		}
		for i := range direct {
			direct[i].forget(g.first/chunk, g.end/chunk)
		}
	}
	layers := make([]*layer.Layer, len(sources))
	channels := 3
	if few := len(p.Texels.List) / 8; p.Seams.Len() > few {
		channels = 1 // takes a third of the room
	}
	return layers, inParallel(ctx, len(sources), 1, func(i, _ int) {
		sheet := p.shared.sheets.Get().(*layer.Sheet)
		layers[i] = packers[i].Done(p.Seams, channels, sheet)
		p.shared.sheets.Put(sheet)
	}, nil)
}

// ReceiverOf is a texel as a place to be lit.
func (p *Prepared) ReceiverOf(t *lightmap.Texel) source.Receiver {
	n, origin := t.Normal(p.Scene), vec(t.Origin)
	return source.Receiver{Point: origin.Sub(n.Mul(scene.OffsetM)), Origin: origin, Normal: n}
}

func vec(v [3]float32) geom.Vec3 {
	return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
}

// Again is Prepare for a level that was edited from the one p was prepared of.
// Where no geometry, material, zone or density changed it reuses all that does
// not depend on sources, which makes an edit of lights or look nearly free.
func (p *Prepared) Again(l *level.Level) (*Prepared, error) {
	was := p.Scene.Level
	same := was.Lightmap == l.Lightmap && sameList(was.Solids, l.Solids) && sameList(was.Meshes, l.Meshes) &&
		sameList(was.Materials, l.Materials) && sameList(was.Zones, l.Zones) && sameList(was.Images, l.Images)
	for _, e := range l.Placed() {
		if (e.Part == "solids" || e.Part == "meshes") && e.Parent != "" {
			same = false // it may ride on a light that moved
		}
	}
	if !same {
		return Prepare(l)
	}
	next, s := *p, *p.Scene
	s.Level, s.World = l, l.World()
	next.Scene, next.Sources = &s, source.List(l, &s)
	return &next, nil
}

// sameList tells whether two lists are one: levels share what was not edited.
func sameList[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// Geometry names the scene and its layout; while it stays so do all texture
// coordinates.
func (p *Prepared) Geometry() string { return p.shape.String() }

// Source is the one with an id; nil for none.
func (p *Prepared) Source(id string) *source.Source {
	if p == nil {
		return nil
	}
	for i := range p.Sources {
		if p.Sources[i].ID == id {
			return &p.Sources[i]
		}
	}
	return nil
}
