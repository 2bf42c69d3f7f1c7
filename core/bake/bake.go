package bake

import (
	"context"
	"sync"

	"grotta/core/digest"
	"grotta/core/direct"
	"grotta/core/gather"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/radiosity"
	"grotta/core/scene"
	"grotta/core/source"
)

// Prepared is a level laid out for light, with all that lights it.
type Prepared struct {
	*lightmap.Map
	Sources []source.Source
	shape   digest.Sum // of all geometry that layers depend on
	shared  *shared
}

// shared is what a level's geometry gives and its lights do not change.
type shared struct {
	mu     sync.Mutex
	links  *radiosity.Links // nil until they are first used
	sheets sync.Pool        // of *layer.Sheet
}

// Prepare builds the scene, lays it out and places the texels. The error is a
// *lightmap.TooLarge.
func Prepare(l *level.Level) (*Prepared, error) {
	s := scene.Build(l)
	m, err := lightmap.New(s)
	return prepared(m, err)
}

// prepared makes a laid out level ready.
func prepared(m *lightmap.Map, err error) (*Prepared, error) {
	if err != nil {
		return nil, err
	}
	return &Prepared{
		Map:     m,
		Sources: source.List(m.Scene.Level, m.Scene),
		shape:   geometryDigest(m.Scene, m.Layout),
		shared:  &shared{sheets: sync.Pool{New: func() any { return &layer.Sheet{} }}},
	}, nil
}

// Bake computes the layers of some sources, as many at once as memory allows, on all
// cores: what those share, the rays from surface to surface, is sent once. Layers do
// not depend on which others they are baked with. Progress, if not nil, is called now
// and then, from any goroutine, with the share that is done. It ends early with the
// context's error.
func (p *Prepared) Bake(ctx context.Context, sources []*source.Source, q Quality, progress func(share float64)) ([]*layer.Layer, error) {
	return p.bakeOn(ctx, sources, q, p.Map, progress)
}

// bakeOn is Bake on the level's own map, or on one with leaning normals.
func (p *Prepared) bakeOn(ctx context.Context, sources []*source.Source, q Quality, on *lightmap.Map, progress func(share float64)) ([]*layer.Layer, error) {
	layers := make([]*layer.Layer, 0, len(sources))
	all := float64(len(sources))
	for len(layers) < len(sources) {
		part := sources[len(layers):]
		part = part[:p.Together(part, q)]
		done := float64(len(layers))
		made, err := p.bakeTogether(ctx, part, q, on, partOf(progress, done/all, (done+float64(len(part)))/all))
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

// Direct computes the layers of some sources without what surfaces and the sky send on: what
// there is time for while a light is dragged. They have no key, as nothing keeps them. It ends
// early with the context's error.
func (p *Prepared) Direct(ctx context.Context, sources []*source.Source, q Quality) ([]*layer.Layer, error) {
	lit, err := p.directOn(ctx, sources, q, nil)
	if err != nil {
		return nil, err
	}
	columns := make([]int, len(sources))
	for i := range columns {
		columns[i] = -1
	}
	return p.packAll(ctx, sources, make([]string, len(sources)), lit, nil, columns, gather.Groups(p.Map), nil)
}

// directOn is the direct light of some sources, also what of it comes through surfaces.
func (p *Prepared) directOn(ctx context.Context, sources []*source.Source, q Quality, report func(float64)) ([]direct.Light, error) {
	lit, err := direct.Bake(ctx, p.Map, sources, direct.Rays{Shadow: q.Samples(), Sky: q.Rays()}, report)
	if err != nil {
		return nil, err
	}
	return lit, direct.Through(ctx, p.Map, lit)
}

// bakeTogether computes the layers of some sources at once. The map is the level's own, or one with leaning normals:
// these change what comes to texels, and not what surfaces send on.
func (p *Prepared) bakeTogether(ctx context.Context, sources []*source.Source, q Quality, on *lightmap.Map, progress func(share float64)) ([]*layer.Layer, error) {
	stage := func(from, to float64) func(float64) { return partOf(progress, from, to) }
	lit, err := p.directOn(ctx, sources, q, stage(0, 0.4))
	if err != nil {
		return nil, err
	}
	groups := gather.Groups(p.Map)
	other, columns, err := p.indirect(ctx, sources, lit, on, groups, q, stage(0.4, 0.55))
	if err != nil {
		return nil, err
	}
	if on != p.Map {
		leaning := *p
		leaning.Map = on
		if lit, err = leaning.directOn(ctx, sources, q, nil); err != nil {
			return nil, err
		}
	}
	keys := make([]string, len(sources)) // none for leaning normals, as nothing keeps these layers
	for i, s := range sources {
		if on == p.Map {
			keys[i] = p.Key(s, q)
		}
	}
	return p.packAll(ctx, sources, keys, lit, other, columns, groups, stage(0.55, 1))
}

// packAll gathers what comes to the texels beside direct light, group by group, and packs all
// of it into a layer of each source.
func (p *Prepared) packAll(ctx context.Context, sources []*source.Source, keys []string, lit []direct.Light, other *gather.Gatherer, columns []int, groups []gather.Group, report func(float64)) ([]*layer.Layer, error) {
	packers := make([]*layer.Packer, len(sources))
	if err := parallel.Each(ctx, len(sources), func(i int) { packers[i] = layer.NewPacker(p.Layout, keys[i]) }, nil); err != nil {
		return nil, err
	}
	gathered := func(to int) {
		if report != nil {
			report(float64(to) / float64(len(p.Texels.List)))
		}
	}
	if err := parallel.InTurn(ctx, len(groups), other.AtOnce(), func(ctx context.Context, k int, turn func()) error {
		g := &groups[k]
		return other.Each(ctx, g, func(done int) { gathered(g.First + done) }, func(s gather.Stretch) error {
			turn()
			err := parallel.Each(ctx, len(sources), func(i int) { p.pack(packers[i], g, s, &lit[i], columns[i]) }, nil)
			for i := range lit {
				lit[i].Forget((g.First+s.From)/chunk, (g.First+s.To)/chunk)
			}
			gathered(g.First + s.To)
			return err
		})
	}); err != nil {
		return nil, err
	}
	layers := make([]*layer.Layer, len(sources))
	channels := 3
	if few := len(p.Texels.List) / 8; p.Seams.Len() > few {
		channels = 1 // takes a third of the room
	}
	return layers, parallel.Each(ctx, len(sources), func(i int) {
		sheet := p.shared.sheets.Get().(*layer.Sheet)
		layers[i] = packers[i].Done(p.Seams, channels, sheet)
		p.shared.sheets.Put(sheet)
	}, nil)
}

// indirect solves the bounces of some sources, and says in which column the light of each is
// gathered, or -1. The Gatherer is nil where nothing bounces and there is no sky.
func (p *Prepared) indirect(ctx context.Context, sources []*source.Source, lit []direct.Light, on *lightmap.Map, groups []gather.Group, q Quality, report func(float64)) (*gather.Gatherer, []int, error) {
	var emitters []radiosity.Emitter
	columns := make([]int, len(sources))
	for i, s := range sources {
		columns[i] = -1
		if bounces := p.Bounces(s); s.IsSky() || bounces {
			columns[i] = 3 * len(emitters)
			e := radiosity.Emitter{Source: s, Direct: &lit[i]}
			if bounces {
				e.Factor = float32(s.BounceScale())
			}
			emitters = append(emitters, e)
		}
	}
	if len(emitters) == 0 {
		return nil, columns, nil
	}
	links, err := p.links(ctx, report)
	if err != nil {
		return nil, nil, err
	}
	g, err := gather.New(ctx, on, links, emitters, groups, q.effort())
	return g, columns, err
}

// links gives the links, which are made on first use.
func (p *Prepared) links(ctx context.Context, report func(share float64)) (*radiosity.Links, error) {
	p.shared.mu.Lock()
	defer p.shared.mu.Unlock()
	if p.shared.links == nil {
		links, err := radiosity.New(ctx, p.Map, report)
		if err != nil {
			return nil, err
		}
		p.shared.links = links
	}
	return p.shared.links, nil
}

// Bounces tells whether the source's light bounces off surfaces. Ambient light does not:
// it stands for light that has already bounced.
func (p *Prepared) Bounces(s *source.Source) bool {
	return p.Scene.Level.Lightmap.Bounces && !s.IsAmbient() && s.BounceScale() > 0
}

// Again is Prepare for a level that was edited from the one p was prepared of.
// Where no geometry, material, zone or density changed it reuses all that does
// not depend on sources, which makes an edit of lights or look nearly free. Where some
// geometry changed it reuses the texels of surfaces that the change is not near.
func (p *Prepared) Again(l *level.Level) (*Prepared, error) {
	if !p.Shares(l) {
		return prepared(lightmap.Again(scene.Build(l), p.Map))
	}
	next, m, s := *p, *p.Map, *p.Scene
	s.Level, s.World = l, l.World()
	m.Scene = &s
	next.Map, next.Sources = &m, source.List(l, &s)
	return &next, nil
}

// Shares tells whether a level that was edited from p's has the same geometry, by what the
// two share in memory.
func (p *Prepared) Shares(l *level.Level) bool {
	was := p.Scene.Level
	same := was.Lightmap == l.Lightmap && sameList(was.Solids, l.Solids) && sameList(was.Meshes, l.Meshes) &&
		sameList(was.Materials, l.Materials) && sameList(was.Zones, l.Zones) && sameList(was.Images, l.Images)
	if was.Environment.Wetness != l.Environment.Wetness || was.Environment.Mode != l.Environment.Mode && l.Environment.Wetness > 0 {
		same = false // surfaces are wetter or drier
	}
	for _, e := range l.Placed() {
		if (e.Part == "solids" || e.Part == "meshes") && e.Parent != "" {
			same = false // it may ride on a light that moved
		}
	}
	return same
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
