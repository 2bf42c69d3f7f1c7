package fit

import (
	"context"
	"image"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/compare"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/shot"
	"grotta/core/source"
	"grotta/demo"
)

// halo is a glow in the room, of a size and brightness.
func halo(id string, at level.Vec, size, nits float64) *level.Glow {
	g := level.Default[level.Glow]()
	g.ID, g.Transform.Position, g.SizeM, g.Luminance, g.Color, g.ColorFrom = id, at, size, nits, "#ffcc88", ""
	return &g
}

// fitterOf measures a level for the pocket platform with some limits.
func fitterOf(t *testing.T, l *level.Level, limit func(*platform.Limits)) *fitter {
	t.Helper()
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	pocket, err := platform.Named("pocket")
	require.NoError(t, err)
	own := *pocket
	limit(&own.Limits)
	sub := check.Of(p)
	f := &fitter{ctx: context.Background(), sub: sub, from: p, level: l, profiles: []*platform.Profile{&own}}
	f.lights, f.spots = check.Shining(l), sub.Spots(&own)
	require.NoError(t, f.measure())
	return f
}

// What a glow is worth agrees with finished pictures of a bake with it and without it.
func TestGlowsAreMeasuredAsPicturesShowThem(t *testing.T) {
	l := demo.Room()
	l.Glows = append(l.Glows, halo("wide", level.Vec{0.3, 1.4, -1}, 1.6, 30), halo("small", level.Vec{-1.2, 1.6, -1.2}, 0.5, 10), halo("unseen", level.Vec{-0.6, 1.6, 2.05}, 0.5, 30))
	f := fitterOf(t, l, func(*platform.Limits) {})
	layers, err := f.from.Bake(context.Background(), source.All(f.from.Sources), bake.Good, nil)
	require.NoError(t, err)
	lightmap := layer.Mix(f.from.Layout.PageSize, f.from.Layout.Pages, f.from.Sources, layers)
	render := func(l *level.Level) *image.NRGBA {
		p, err := f.from.Again(l)
		require.NoError(t, err)
		m, err := shot.Render(context.Background(), p, lightmap, shot.Of(p.Scene.World, l.Viewpoints[0]), shot.Options{Width: 320, Height: 180, Samples: 1}, nil)
		require.NoError(t, err)
		return m
	}
	before := render(l)
	for id, least := range map[string]float64{"wide": 0.5, "small": 0.02, "unseen": 0} {
		after, _, err := l.Apply(level.Set(id, map[string]any{"enabled": false}))
		require.NoError(t, err)
		want, err := compare.Pictures(before, render(after))
		require.NoError(t, err)
		got, measured := f.costOf(l, after)
		require.True(t, measured)
		assert.GreaterOrEqual(t, want.Mean, least)
		assert.InDelta(t, want.Mean, got.mean, 0.1*want.Mean+0.005, "%s", id)
		assert.InDelta(t, want.P95, got.p95, 0.15*want.P95+0.02, "%s", id)
	}
}

// Where there are too many glows, those go that show least, whatever their order in the level is.
func TestGlowsThatShowLeastGo(t *testing.T) {
	l := demo.Room()
	l.Glows = append(l.Glows, halo("wide", level.Vec{0.3, 1.4, -1}, 1.6, 30), halo("unseen", level.Vec{-0.6, 1.6, 2.05}, 2, 90), halo("small", level.Vec{-1.2, 1.6, -1.2}, 0.5, 10))
	f := fitterOf(t, l, func(limits *platform.Limits) { limits.Glows = &platform.Limit{Max: 1, Why: "a test"} })
	plan := &Plan{}
	require.NoError(t, f.settle(plan))
	require.Len(t, plan.Steps, 2)
	assert.Equal(t, []string{"unseen", "small"}, []string{plan.Steps[0].Entity, plan.Steps[1].Entity})
	assert.True(t, plan.Steps[0].Measured && plan.Steps[1].Measured)
	assert.Less(t, plan.Steps[0].Mean, plan.Steps[1].Mean)
}

// Coarser texels cost what they blur: nothing on evenly lit ground, and more the coarser they are where shadows fall.
func TestTexelsAreMeasuredByTheirBlur(t *testing.T) {
	cost := func(l *level.Level, density float64) float64 {
		f := fitterOf(t, l, func(*platform.Limits) {})
		after, _, err := l.Apply(level.Set("", map[string]any{"lightmap.density": density}))
		require.NoError(t, err)
		c, measured := f.costOf(l, after)
		require.True(t, measured)
		return c.mean
	}
	room := demo.Room()
	room.Lightmap.Density = 16
	room.Lights[0].RadiusM = 0
	fine, coarse := cost(room, 8), cost(room, 1)
	assert.Positive(t, fine)
	assert.Greater(t, coarse, 3*fine)

	even := demo.Room()
	even.Lightmap.Density, even.Lights[0].Enabled = 16, false
	even.Environment.Sky.Luminance = 0
	assert.Zero(t, cost(even, 1), "ambient light alone")
}

// A lightmap that is too large loses texels that nobody sees before any that are seen.
func TestTexelsThatNobodySeesGoFirst(t *testing.T) {
	l := demo.Room()
	l.Lightmap.Density = 10
	f := fitterOf(t, l, func(limits *platform.Limits) { limits.LightmapBytes = &platform.Limit{Max: 1, Why: "a test"} })
	plan := &Plan{}
	require.NoError(t, f.settle(plan))
	require.NotEmpty(t, plan.Steps)
	assert.Contains(t, plan.Steps[0].What, "nobody sees")
	assert.True(t, plan.Steps[0].Measured)
	assert.Zero(t, plan.Steps[0].Mean)
	next, _, err := l.Apply(plan.Steps[0].Operation)
	require.NoError(t, err)
	p, err := bake.Prepare(next)
	require.NoError(t, err)
	assert.Less(t, len(p.Texels.List), len(f.from.Texels.List)*2/3)
}
