package bake

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/source"
)

// The encoding of keys is fixed. Where this fails after a change that was not meant to
// change light, such as a renamed field, the change is wrong. Where it was meant to,
// raise Engine or keyVersion and take the new values.
func TestKeysStayAsTheyAre(t *testing.T) {
	l := leveltest.Level(rand.New(rand.NewPCG(7, 7)))
	p, err := Prepare(l)
	require.NoError(t, err)
	got := []string{"geometry " + p.Geometry()[:16]}
	for i := range p.Sources {
		s := &p.Sources[i]
		got = append(got, fmt.Sprintf("%s %s %016x", s.ID, p.Key(s, Draft)[:16], s.Seed()))
	}
	assert.Equal(t, goldenKeys, got)
}

// Another material with the same albedo changes which faces shine, and nothing else.
func TestFacesThatShineNameTheirLayer(t *testing.T) {
	l := leveltest.Level(rand.New(rand.NewPCG(7, 7)))
	dark := level.Default[level.Material]()
	dark.ID, dark.Color = "dark-panel", l.Materials[1].Color
	next, _, err := l.Apply(level.Batch("", level.Add("materials", &dark), level.Set("west", map[string]any{"surface.material": "dark-panel"})))
	require.NoError(t, err)
	lit, _, err := next.Apply(level.Set("west", map[string]any{"surface.material": "panel"}))
	require.NoError(t, err)
	was, err := Prepare(next)
	require.NoError(t, err)
	now, err := Prepare(lit)
	require.NoError(t, err)
	assert.Equal(t, was.Geometry(), now.Geometry())
	for i := range now.Sources {
		s := &now.Sources[i]
		assert.Equal(t, s.Kind == source.EmissiveKind, was.Key(was.Source(s.ID), Good) != now.Key(s, Good), s.ID)
	}
}

var goldenKeys = []string{
	"geometry 204e1df5980bc6da",
	"lamp-0 55bf85b59618b30e 43651b2acf0aa3ff",
	"lamp-1 27bae58ea5b4ab5c 7dfa504cd4f8af12",
	"lamp-2 461f822d505ad6fc a442725e87676f40",
	"lamp-3 0dfe27e0f029dfba f481ab8d8f40a910",
	"lamp-5 ec4b5823e9c114b7 b328c1a5f3b0ec82",
	"sun 1975df7e00a32c9b 9a382c10e7a7d0d5",
	"sky 482e2740220c8df0 d2c2b76b12e60197",
	"emissive:panel 9965bbb4ec89f13f 6ff8091ccc2b5825",
	"ambient:level e660cd121b2b9adc 9a5bc607afa52564",
	"ambient:zone-0 4ccc6641e0a301b8 83f943939f3b8918",
	"ambient:zone-1 646a0389cfa23e1a 0911b7fe04d88505",
}
