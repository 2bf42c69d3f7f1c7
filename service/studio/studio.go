// Package studio keeps levels prepared for light and their layers at hand, so
// that a question about a level that is open costs no preparing. It stores
// nothing that cannot be computed again.
package studio

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"sync"

	"go.opentelemetry.io/otel/attribute"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/change"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/service/blob"
	"grotta/service/keyed"
	"grotta/service/store"
	"grotta/service/trail"
)

// Studio answers for levels. Safe for use by many.
type Studio struct {
	store  *store.Store
	blobs  *blob.Store
	mu     sync.Mutex
	open   []*entry // newest last
	layers map[string]*layer.Layer
	order  []string // keys of layers, oldest first
	bytes  int
	fog    fogCache

	drafting  keyed.Locks   // of geometries
	preparing chan struct{} // holds a token for each level that is being prepared
}

// mostPreparing is how many levels are prepared at once: each takes cores and memory.
const mostPreparing = 2

// Bounds of what is kept in memory.
const (
	maxOpen       = 6
	maxLayerBytes = 512 << 20
)

type entry struct {
	level    string
	revision int
	ready    chan struct{} // closed when prepared and err are set
	prepared *bake.Prepared
	err      error
}

// New makes an empty studio.
func New(s *store.Store, b *blob.Store) *Studio {
	return &Studio{store: s, blobs: b, layers: map[string]*layer.Layer{}, preparing: make(chan struct{}, mostPreparing)}
}

// Prepare gives a level's revision ready for rays. Askers of the same revision
// wait for one preparation. doc must be the document of that revision.
func (s *Studio) Prepare(ctx context.Context, id string, revision int, doc *level.Level) (*bake.Prepared, error) {
	s.mu.Lock()
	var before *entry
	for _, e := range s.open {
		if e.level != id {
			continue
		}
		if e.revision == revision {
			s.mu.Unlock()
			select {
			case <-e.ready:
				return e.prepared, e.err
			case <-ctx.Done():
				return nil, ctx.Err()
			}
		}
		before = e
	}
	e := &entry{level: id, revision: revision, ready: make(chan struct{})}
	if s.open = append(s.open, e); len(s.open) > maxOpen {
		s.open = s.open[1:]
	}
	s.mu.Unlock()
	s.finish(ctx, e, before, doc)
	return e.prepared, e.err
}

// finish prepares an entry. One that fails, also by a panic, is not kept.
func (s *Studio) finish(ctx context.Context, e, before *entry, doc *level.Level) {
	e.err = errors.New("the level could not be prepared")
	defer func() {
		if e.err != nil {
			s.mu.Lock()
			s.open = slices.DeleteFunc(s.open, func(have *entry) bool { return have == e })
			s.mu.Unlock()
		}
		close(e.ready)
	}()
	select {
	case s.preparing <- struct{}{}:
		defer func() { <-s.preparing }()
		_, end := trail.Begin(ctx, "prepare a level", attribute.String("grotta.level", e.level), attribute.Int("grotta.revision", e.revision))
		e.prepared, e.err = prepareFrom(before, doc)
		end(e.err)
	case <-ctx.Done():
		e.err = ctx.Err()
	}
}

func prepareFrom(before *entry, doc *level.Level) (*bake.Prepared, error) {
	if before != nil {
		select {
		case <-before.ready:
			if before.err == nil {
				return before.prepared.Again(doc)
			}
		default:
		}
	}
	return bake.Prepare(doc)
}

// Lightmap tells what of a prepared level is baked, at the best quality there is.
func (s *Studio) Lightmap(p *bake.Prepared, revision int) (*api.LightmapState, error) {
	out := &api.LightmapState{
		Revision: revision, PageSize: p.Layout.PageSize, Pages: p.Layout.Pages, Texels: len(p.Texels.List),
		Geometry: p.Geometry(), Sources: []api.Source{},
	}
	var keys []string
	for i := range p.Sources {
		for _, q := range bake.Qualities {
			keys = append(keys, p.Key(&p.Sources[i], q))
		}
	}
	blobs, err := s.store.LayerBlobs(keys)
	if err != nil {
		return nil, err
	}
	for i := range p.Sources {
		src := &p.Sources[i]
		line := api.Source{ID: src.ID, Name: src.Name, Kind: src.Kind, Group: src.Group,
			Color: [3]float64(src.Color), Strength: src.Strength, Weight: [3]float64(src.Weight)}
		for j, q := range bake.Qualities {
			if key := keys[i*len(bake.Qualities)+j]; blobs[key] != "" {
				line.Layer, line.Quality = key, string(q)
			}
		}
		if line.Layer == "" {
			out.Stale++
		}
		out.Sources = append(out.Sources, line)
	}
	return out, nil
}

// lastBaked is a level as it was last baked whole, at a quality or "" for any; nil
// for never.
func (s *Studio) lastBaked(ctx context.Context, id string, q bake.Quality) (*bake.Prepared, error) {
	last, err := s.store.LastBake(id, string(q))
	if err != nil || last == nil {
		return nil, err
	}
	return s.Prepare(ctx, id, last.Revision, last.Level)
}

// have are the layers of a prepared level that there are, by key.
func (s *Studio) have(p *bake.Prepared, q bake.Quality) (map[string]string, error) {
	var keys []string
	for i := range p.Sources {
		keys = append(keys, p.Key(&p.Sources[i], q))
	}
	return s.store.LayerBlobs(keys)
}

// Explain says which layers a bake of a prepared level would make, and why, by
// what changed since its last finished bake; and which it would keep.
func (s *Studio) Explain(ctx context.Context, id string, p *bake.Prepared, q bake.Quality) ([]change.Stale, []change.Kept, error) {
	was, err := s.lastBaked(ctx, id, "")
	if err != nil {
		return nil, nil, err
	}
	blobs, err := s.have(p, q)
	if err != nil {
		return nil, nil, err
	}
	stays := map[string]bool{}
	kept := []change.Kept{}
	err = s.unreached(ctx, id, p, q, blobs, func(key string, k change.Kept, _ *change.Reach, _ *layer.Layer) error {
		stays[key] = true
		kept = append(kept, k)
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	return change.Explain(was, p, q, func(key string) bool { return blobs[key] != "" || stays[key] }), kept, nil
}

// Carry keeps the layers of a level's last bake that what changed since then does
// not reach, as those of the level as it is now.
func (s *Studio) Carry(ctx context.Context, id string, p *bake.Prepared, q bake.Quality) error {
	blobs, err := s.have(p, q)
	if err != nil {
		return err
	}
	return s.unreached(ctx, id, p, q, blobs, func(key string, _ change.Kept, r *change.Reach, l *layer.Layer) error {
		return s.AddLayer(r.Carry(l, key))
	})
}

// unreached finds layers of an earlier bake that stay, of those that are not
// there. At final quality no layer stays: everything is baked again.
func (s *Studio) unreached(ctx context.Context, id string, now *bake.Prepared, q bake.Quality, have map[string]string, found func(key string, k change.Kept, r *change.Reach, l *layer.Layer) error) error {
	if q == bake.Final {
		return nil
	}
	was, err := s.lastBaked(ctx, id, q)
	if err != nil || was == nil || was.Geometry() == now.Geometry() {
		return err
	}
	r := change.NewReach(was, now)
	if r == nil {
		return nil
	}
	for i := range now.Sources {
		src := &now.Sources[i]
		key := now.Key(src, q)
		before := was.Source(src.ID)
		if have[key] != "" || before == nil {
			continue
		}
		layer, err := s.Layer(was.Key(before, q))
		if errors.Is(err, store.ErrNotFound) || errors.Is(err, ErrLost) {
			continue
		}
		if err != nil {
			return err
		}
		if share := r.Share(src.ID, layer); share <= change.Tolerance {
			if err := found(key, change.Kept{ID: src.ID, Name: src.Name, Share: share}, r, layer); err != nil {
				return err
			}
		}
	}
	return nil
}

// ErrLost is a layer that was baked and whose file is gone or damaged. It has been
// forgotten, so that the next bake makes it again.
var ErrLost = errors.New("a baked layer was lost or damaged on disk; bake again to restore it")

// Layer reads a layer by its key; store.ErrNotFound if it is not baked, ErrLost if it was.
func (s *Studio) Layer(key string) (*layer.Layer, error) {
	s.mu.Lock()
	l := s.layers[key]
	s.mu.Unlock()
	if l != nil {
		return l, nil
	}
	blobs, err := s.store.LayerBlobs([]string{key})
	if err != nil {
		return nil, err
	}
	if blobs[key] == "" {
		return nil, store.ErrNotFound
	}
	data, err := s.blobs.Get(blobs[key])
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, blob.ErrDamaged) {
		return nil, errors.Join(ErrLost, s.store.DropLayer(key))
	}
	if err != nil {
		return nil, err
	}
	if l, err = layer.Decode(key, data); err != nil {
		return nil, errors.Join(ErrLost, err, s.store.DropLayer(key))
	}
	s.keep(key, l)
	return l, nil
}

// AddLayer stores a freshly baked layer.
func (s *Studio) AddLayer(l *layer.Layer) error {
	data := l.Encode()
	hash, err := s.blobs.Put(data)
	if err != nil {
		return err
	}
	if err := s.store.AddLayer(l.Key, hash, len(data)); err != nil {
		return err
	}
	l.Encoded = nil // the file has it
	s.keep(l.Key, l)
	return nil
}

func (s *Studio) keep(key string, l *layer.Layer) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, have := s.layers[key]; have {
		return
	}
	s.layers[key] = l
	s.order = append(s.order, key)
	s.bytes += l.MemoryBytes()
	for s.bytes > maxLayerBytes && len(s.order) > 1 {
		oldest := s.order[0]
		s.order = s.order[1:]
		s.bytes -= s.layers[oldest].MemoryBytes()
		delete(s.layers, oldest)
	}
}

// Mix sums the layers of a lightmap by the weights that its sources have at a
// time, in seconds; steady where it is nil. Stale ones give nothing.
func (s *Studio) Mix(p *bake.Prepared, m *api.LightmapState, seconds *float64) (*layer.Image, error) {
	layers := make([]*layer.Layer, len(p.Sources))
	for i, src := range m.Sources {
		if src.Layer == "" {
			continue
		}
		l, err := s.Layer(src.Layer)
		if err != nil {
			return nil, fmt.Errorf("layer of %s: %w", src.ID, err)
		}
		layers[i] = l
	}
	sources := p.Sources
	if seconds != nil {
		sources = source.At(sources, *seconds)
	}
	return layer.Mix(p.Layout.PageSize, p.Layout.Pages, sources, layers), nil
}

// MixNow is Mix that first bakes at draft, and keeps, what is not baked at any quality,
// or what was lost on disk.
func (s *Studio) MixNow(ctx context.Context, p *bake.Prepared, seconds *float64) (*layer.Image, error) {
	const tries = 3 // each finds what is lost of one quality; there are three of those
	for try := 1; ; try++ {
		if err := s.draftMissing(ctx, p); err != nil {
			return nil, err
		}
		m, err := s.Lightmap(p, 0)
		if err != nil {
			return nil, err
		}
		image, err := s.Mix(p, m, seconds)
		if !errors.Is(err, ErrLost) || try == tries {
			return image, err
		}
		s.forgetLost(m)
	}
}

// draftMissing bakes at draft what has no layer of any quality. Who asks for the same
// level meanwhile waits, and finds it.
func (s *Studio) draftMissing(ctx context.Context, p *bake.Prepared) error {
	unlock, err := s.drafting.Lock(ctx, p.Geometry())
	if err != nil {
		return err
	}
	defer unlock()
	m, err := s.Lightmap(p, 0)
	if err != nil {
		return err
	}
	var missing []*source.Source
	for i, src := range m.Sources {
		if src.Layer == "" {
			missing = append(missing, &p.Sources[i])
		}
	}
	layers, err := p.Bake(ctx, missing, bake.Draft, nil)
	if err != nil {
		return err
	}
	for _, l := range layers {
		if err := s.AddLayer(l); err != nil {
			return err
		}
	}
	return nil
}

// forgetLost reads every layer of a lightmap, so that all that are lost are forgotten at
// once.
func (s *Studio) forgetLost(m *api.LightmapState) {
	for _, src := range m.Sources {
		if src.Layer != "" {
			s.Layer(src.Layer) // forgets a lost one
		}
	}
}
