package bake_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/source"
	"grotta/demo"
)

// Sun that comes through windows lights a hall by a few strips on its floor, and by the ground outside, which is as bright.
// Rays go to the strips, and through the windows. It is held against path tracing, without smoothing, so that noise counts.
func TestASunlitHallHasLittleNoise(t *testing.T) {
	const places, paths = 60, 20_000
	l := demo.SunlitHall()
	l.Lightmap.Denoise = false
	p := prepare(t, l)
	inside := demo.HardPlace{Judged: []string{"ceiling", "west", "east", "north"}}
	list := reference.Pick(p.Map, inside.Judges, places)
	truth := reference.New(p.Map).Texels(list, paths)
	off := errorOf(mixOf(t, p, bake.Good), p, list, truth)
	t.Logf("off by %.1f %% (%+.1f %%)", 100*off.bakes(), 100*off.bias)
	assert.Less(t, off.bakes(), 0.1)
	assert.InDelta(t, 0, off.bias, 0.02)
}

// What comes through the windows is sought for all sources at once. Each has the light that it has alone.
func TestWhatComesThroughWindowsDoesNotDependOnOtherSources(t *testing.T) {
	l := demo.SunlitHall()
	l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = level.SkySolid, "#ffffff", 500
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.RangeM, lamp.Transform.Position = 400, 0, level.Vec{2, 2, 2}
	l.Lights = append(l.Lights, lamp)
	p := prepare(t, l)
	together, err := p.Bake(t.Context(), source.All(p.Sources), bake.Good, nil)
	require.NoError(t, err)
	require.Greater(t, len(together), 2)
	for i := range p.Sources {
		alone, err := p.Bake(t.Context(), source.All(p.Sources[i:i+1]), bake.Good, nil)
		require.NoError(t, err)
		assert.Equal(t, alone[0], together[i], p.Sources[i].ID)
	}
}

// Things that are smaller than a texel have one texel a side, with no others beside it that tell where light comes in, nor
// any to smooth with.
func TestSmallThingsInASunlitHall(t *testing.T) {
	const paths = 20_000
	l := demo.SunlitHall()
	for i := range 27 {
		at := level.Vec{1 + 3.5*float64(i%3), 0.8 + 1.2*float64(i/3%3), 1.2 + 2*float64(i/9)}
		leveltest.Block(l, fmt.Sprintf("peg-%d", i), at, level.Vec{0.08, 0.08, 0.08})
	}
	p := prepare(t, l)
	list := reference.Pick(p.Map, func(id string) bool { return strings.HasPrefix(id, "peg-") }, 27*6)
	truth := reference.New(p.Map).Texels(list, paths)
	for q, bound := range map[bake.Quality]float64{bake.Draft: 0.25, bake.Good: 0.145, bake.Final: 0.09} {
		off := errorOf(mixOf(t, p, q), p, list, truth)
		t.Logf("%v: off by %.1f %% (%+.1f %%), the reference by %.1f %%", q, 100*off.bakes(), 100*off.bias, 100*off.own)
		assert.Less(t, off.bakes(), bound, q)
		assert.InDelta(t, 0, off.bias, 0.03, q)
	}
}
