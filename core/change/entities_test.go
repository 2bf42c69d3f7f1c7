package change

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// A fault that was: the explanation looked at an entity's first triangle and at an
// image's name, so that what changed behind them kept its old shadow.
func TestChangesThatNameNoOtherThing(t *testing.T) {
	l := leveltest.Level(rand.New(rand.NewPCG(7, 7)))
	was, err := bake.Prepare(l)
	require.NoError(t, err)
	positions := slices.Clone(l.Meshes[0].Positions)
	positions[11] += 0.4 // the fourth vertex
	uvs := slices.Clone(l.Meshes[0].UVs)
	uvs[7] = 0.5
	for name, c := range map[string]struct {
		op     level.Operation
		entity string
	}{
		"a fourth vertex":     {level.Set("fence", map[string]any{"positions": positions}), "fence"},
		"where an image lies": {level.Set("fence", map[string]any{"uvs": uvs}), "fence"},
		"an image's bytes":    {level.Set("holes", map[string]any{"data": leveltest.Image(rand.New(rand.NewPCG(9, 9))).Data}), "fence"},
		"holes":               {level.Set("lace", map[string]any{"alpha_cutoff": 0.2}), "fence"},
		"what is seen":        {level.Set("crate-0", map[string]any{"surface.visible": !l.Solids[5].Surface.Visible}), "crate-0"},
	} {
		next, _, err := l.Apply(c.op)
		require.NoError(t, err, name)
		now, err := bake.Prepare(next)
		require.NoError(t, err)
		assert.NotEqual(t, was.Geometry(), now.Geometry(), name)
		changes := changesOf(was, now)
		if assert.Len(t, changes, 1, name) {
			assert.Equal(t, c.entity, changes[0].entity, name)
		}
	}
}

// What no entity explains bakes everything: here entities in another order, which have
// other places on the pages.
func TestWhatNothingExplainsBakesAll(t *testing.T) {
	l := leveltest.Level(rand.New(rand.NewPCG(7, 7)))
	was, err := bake.Prepare(l)
	require.NoError(t, err)
	next := *l
	next.Solids = slices.Clone(l.Solids)
	slices.Reverse(next.Solids)
	now, err := bake.Prepare(&next)
	require.NoError(t, err)
	assert.Empty(t, changesOf(was, now))
	assert.NotEqual(t, was.Geometry(), now.Geometry())
	assert.Nil(t, NewReach(was, now))
}
