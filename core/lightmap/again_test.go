package lightmap_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// A map that is made from one of before an edit is the map that is made from nothing: any random edit, one
// after the other.
func TestAgainIsAsFromNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 21))
	for range 6 {
		l := leveltest.Huts(leveltest.Level(r))
		require.NoError(t, l.Validate())
		was, err := lightmap.New(scene.Build(l))
		require.NoError(t, err)
		for step := range 12 {
			op := leveltest.Edit(r, l)
			if step%3 == 0 { // what is moved most
				op = level.Set([]string{"crate-0", "hut-far", "tent"}[step/3%3], map[string]any{"transform.position": []any{r.Float64()*3 - 1, r.Float64(), r.Float64()*3 - 1}})
			}
			next, _, err := l.Apply(op)
			if err != nil {
				continue // what was to be moved is gone
			}
			now, errNow := lightmap.Again(scene.Build(next), was)
			want, errWant := lightmap.New(scene.Build(next))
			assert.Equal(t, errWant, errNow)
			if errWant != nil {
				break
			}
			assert.Equal(t, want.Texels, now.Texels, "after %s", op.Describe())
			assert.Equal(t, want.Seams, now.Seams)
			l, was = next, now
		}
	}
}

// After a small change in a large level most texels are kept.
func TestMostTexelsAreKept(t *testing.T) {
	l := leveltest.Plane()
	for i := range 40 {
		leveltest.Block(l, "block-"+string(rune('a'+i/26))+string(rune('a'+i%26)), level.Vec{float64(i%8)*2 - 8, 0.5, float64(i/8)*2 - 8}, level.Vec{1, 1, 1})
	}
	require.NoError(t, l.Validate())
	was := scene.Build(l)
	next, _, err := l.Apply(level.Set("block-ac", map[string]any{"size": []any{1.2, 1, 1}}))
	require.NoError(t, err)
	now := scene.Build(next)
	kept, nowhere := 0, func(int) float64 { return 0 }
	for i, of := range now.Kept(was, nowhere) {
		if of >= 0 {
			kept++
			assert.Equal(t, was.Surfaces[of].Face, now.Surfaces[i].Face)
			assert.Equal(t, was.Surfaces[of].Body().Entity, now.Surfaces[i].Body().Entity)
		}
	}
	assert.Greater(t, kept, len(now.Surfaces)*8/10)
	assert.Less(t, kept, len(now.Surfaces)-6, "the block, and the floor under it")
	dull, _, err := l.Apply(level.Set("", map[string]any{"lightmap.density": 3.0}))
	require.NoError(t, err)
	assert.Nil(t, scene.Build(dull).Kept(was, nowhere))
}
