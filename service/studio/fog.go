package studio

import (
	"context"
	"sync"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/scatter"
	"grotta/core/shot"
)

// maxFogBytes bounds the grids of light in fog that are kept.
const maxFogBytes = 128 << 20

// fogCache keeps grids by their keys, the newest.
type fogCache struct {
	mu    sync.Mutex
	grids []*scatter.Grid // oldest first
	bytes int
}

func (c *fogCache) get(key string) *scatter.Grid {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, g := range c.grids {
		if g.Key == key {
			return g
		}
	}
	return nil
}

func (c *fogCache) put(g *scatter.Grid) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.grids = append(c.grids, g)
	c.bytes += g.Bytes()
	for c.bytes > maxFogBytes && len(c.grids) > 1 {
		c.bytes -= c.grids[0].Bytes()
		c.grids = c.grids[1:]
	}
}

// Air makes a prepared level's air ready, as it is asked for. Light in fog that
// was computed before is not computed again.
func (s *Studio) Air(ctx context.Context, p *bake.Prepared, ask scatter.Ask) (*air.Air, []scatter.Cost, error) {
	ask.Kept, ask.Keep = s.fog.get, s.fog.put
	return shot.Air(ctx, p, ask)
}
