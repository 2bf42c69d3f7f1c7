package bake_test

import (
	"context"
	"math"
	"runtime"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/source"
)

// Where memory does not hold all sources at once they are baked in even parts, to the
// same bytes, and progress goes on from part to part.
func TestABakeInParts(t *testing.T) {
	p := prepare(t, leaves(5000))
	n := p.Together(source.All(p.Sources), bake.Good)
	require.Less(t, n, len(p.Sources))
	assert.Equal(t, 1, p.Together(source.All(p.Sources[:1]), bake.Good))
	assert.Equal(t, 0, p.Together(nil, bake.Good))
	var most atomic.Uint64
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, func(share float64) {
		for was := most.Load(); math.Float64bits(share) > was && !most.CompareAndSwap(was, math.Float64bits(share)); was = most.Load() {
		}
	})
	require.NoError(t, err)
	assert.InDelta(t, 1, math.Float64frombits(most.Load()), 1e-9)
	require.Len(t, layers, len(p.Sources))
	for _, i := range []int{0, n - 1, n, len(p.Sources) - 1} {
		alone, err := p.Bake(context.Background(), source.All(p.Sources[i:i+1]), bake.Draft, nil)
		require.NoError(t, err)
		assert.Equal(t, alone[0], layers[i], p.Sources[i].ID)
	}
}

// The estimate of what a prepared level takes is right, whatever its parts: of blocks, of
// a mesh of one surface or of many, with and without holes.
func TestMemoryIsEstimatedAsItIs(t *testing.T) {
	for name, l := range map[string]*level.Level{"blocks": posts(4000), "hidden": stacks(1), "fine": hall(4), "mesh": heap(200), "leaves": leaves(20_000), "cut-outs": withHoles(leaves(20_000))} {
		t.Run(name, func(t *testing.T) {
			before := settled()
			p := prepare(t, l)
			held := int(settled()) - int(before)
			assert.InEpsilon(t, held, p.MemoryBytes(), 0.08)
			runtime.KeepAlive(p)
		})
	}
}

// heldByBake is the most that a bake holds until it packs its layers, and what it may.
func heldByBake(t *testing.T, l *level.Level) (held, may int) {
	before, most, packing := settled(), uint64(0), atomic.Bool{}
	done := watch(func(now uint64) {
		if !packing.Load() {
			most = max(most, now)
		}
	})
	p := prepare(t, l)
	sources := source.All(p.Sources)
	_, err := p.Bake(context.Background(), sources[:p.Together(sources, bake.Good)], bake.Good, func(share float64) { packing.Store(share > 0.551) })
	done()
	require.NoError(t, err)
	return int(most) - int(before), allowed(p)
}

// A bake holds no more than it may, beside its layers: until it packs them, as from
// there on it only lets go.
func TestABakeKeepsToItsMemory(t *testing.T) {
	for name, l := range levelsByMemory() {
		t.Run(name, func(t *testing.T) {
			const own = 128 << 10 // of the runtime and of what earlier tests left to it
			var held, may int
			for range 10 { // what is not collected yet on a busy machine only adds to it
				held, may = heldByBake(t, l)
				if held < may+own {
					break
				}
			}
			assert.Less(t, held, may+own)
			assert.Greater(t, held, may/8, "else nothing was seen")
		})
	}
}
