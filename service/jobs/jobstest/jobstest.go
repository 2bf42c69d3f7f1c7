// Package jobstest bakes each layer once in a process: services that bake the same layer get the one
// that another has baked. The same key always means the same bytes. Only tests and pictures import it.
package jobstest

import (
	"context"
	"sync"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/source"
	"grotta/service/jobs"
)

func init() {
	var mu sync.Mutex
	known := map[string]*layer.Layer{}
	jobs.BakeBy(func(ctx context.Context, p *bake.Prepared, sources []*source.Source, q bake.Quality, report func(float64)) ([]*layer.Layer, error) {
		if q == bake.Final { // takes long, and is what tests of progress and cancelling bake
			return p.Bake(ctx, sources, q, report)
		}
		all := make([]*layer.Layer, len(sources))
		var missing []*source.Source
		mu.Lock()
		for i, s := range sources {
			if all[i] = known[p.Key(s, q)]; all[i] == nil {
				missing = append(missing, s)
			}
		}
		mu.Unlock()
		if len(missing) == 0 {
			return all, nil
		}
		baked, err := p.Bake(ctx, missing, q, report)
		if err != nil {
			return nil, err
		}
		mu.Lock()
		defer mu.Unlock()
		for i, s := range sources {
			if all[i] == nil {
				all[i], baked = baked[0], baked[1:]
				known[p.Key(s, q)] = all[i]
			}
		}
		return all, nil
	})
}
