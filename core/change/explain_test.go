package change_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/baketest"
	"grotta/core/change"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
)

var plane, light, block, material = leveltest.Plane, leveltest.Light, leveltest.Block, leveltest.Material

var down = geom.Vec3{0, -1, 0}

var prepare = baketest.Prepare

func TestExplainSaysWhatChanged(t *testing.T) {
	base := func() *level.Level {
		l := plane(light("a", level.Spot, 10, level.Vec{0, 2, 0}, down), light("b", level.Point, 10, level.Vec{1, 2, 0}, down))
		block(l, "crate", level.Vec{2, 0.5, 0}, level.Vec{1, 1, 1})
		return l
	}
	was := prepare(t, base())
	have := map[string]bool{}
	for i := range was.Sources {
		have[was.Key(&was.Sources[i], bake.Draft)] = true
	}
	for name, c := range map[string]struct {
		edit func(*level.Level)
		why  string
		n    int // sources that are stale; -1 is all
	}{
		"nothing":   {func(*level.Level) {}, "", 0},
		"strength":  {func(l *level.Level) { l.Lights[0].Strength = 99 }, "", 0},
		"moved":     {func(l *level.Level) { l.Lights[0].Transform.Position[0] = 1 }, "moved", 1},
		"cone":      {func(l *level.Level) { l.Lights[0].OuterDeg = 50 }, "another cone", 1},
		"shadow":    {func(l *level.Level) { l.Lights[1].Shadows.Depth = 0.4 }, "other shadow settings", 1},
		"new light": {func(l *level.Level) { l.Lights = append(l.Lights, light("c", level.Point, 1, level.Vec{}, down)) }, "new since", 1},
		"crate":     {func(l *level.Level) { l.Solids[1].Transform.Position[0] = 3 }, "crate moved or reshaped", -1},
		"roles":     {func(l *level.Level) { l.Solids[1].Surface.CastsShadow = false }, "crate given other roles", -1},
		"gone":      {func(l *level.Level) { l.Solids = l.Solids[:1] }, "crate taken away", -1},
		"albedo": {func(l *level.Level) {
			material(l, "m", 0.9, 0)
			l.Solids[1].Surface.Material = "m"
		}, "crate given another material", -1},
		"bounces": {func(l *level.Level) { l.Lightmap.Bounces = false }, "bounces were switched", -1},
	} {
		l := base()
		c.edit(l)
		now := prepare(t, l)
		stale := change.Explain(was, now, bake.Draft, func(k string) bool { return have[k] })
		if c.n < 0 {
			c.n = len(now.Sources)
		}
		require.Len(t, stale, c.n, name)
		for _, s := range stale {
			assert.Contains(t, fmt.Sprint(s.Why), c.why, name)
		}
	}
	stale := change.Explain(nil, was, bake.Draft, func(string) bool { return false })
	assert.Equal(t, []string{"never baked"}, stale[0].Why)
	stale = change.Explain(was, was, bake.Good, func(string) bool { return false })
	assert.Contains(t, stale[0].Why[0], "not baked at good quality yet")
}
