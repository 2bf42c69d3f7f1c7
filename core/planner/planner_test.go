package planner_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/planner"
	"grotta/core/source"
)

// yard is a floor under a lamp with a sharp shadow, and a wall far off that has
// nearly even light.
func yard(density float64) *level.Level {
	l := level.New("Yard")
	add := func(id string, at, size level.Vec) *level.Solid {
		s := level.Default[level.Solid]()
		s.ID, s.Size, s.Transform.Position = id, size, at
		l.Solids = append(l.Solids, &s)
		return &s
	}
	only := func(s *level.Solid, face int) {
		for i := range 6 {
			if i != face {
				f := level.Face{Index: i, Surface: s.Surface}
				f.ReceivesLight = false
				s.Faces = append(s.Faces, f)
			}
		}
	}
	only(add("floor", level.Vec{0, -0.1, 0}, level.Vec{8, 0.2, 8}), 2)
	only(add("wall", level.Vec{0, 4, -12}, level.Vec{8, 8, 0.2}), 4)
	add("post", level.Vec{0.7, 0.5, 0.3}, level.Vec{0.2, 1, 0.2}).Surface.ReceivesLight = false
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.Transform.Position = 400, level.Vec{0, 3, 0}
	l.Lights = []*level.Light{lamp}
	l.Lightmap.Density, l.Lightmap.Bounces = density, false
	l.Look.ExposureEV = 4
	return l
}

func baked(t *testing.T, l *level.Level) (*bake.Prepared, *layer.Image) {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Good, nil)
	require.NoError(t, err)
	return p, layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
}

// errorOf compares a lightmap with direct light computed at the very spot, over
// the floor and the wall.
func errorOf(p *bake.Prepared, m *layer.Image) float64 {
	sum, n := 0.0, 0.0
	check := func(at, normal geom.Vec3) {
		hit, ok := p.Scene.See(at.Add(normal.Mul(0.01)), normal.Mul(-1), 0.1)
		if !ok {
			return
		}
		c := &p.Layout.Charts[p.Layout.ChartOf[hit.Surface]]
		x, y := c.At(at)
		e := m.At(c.Page(), x, y)[0] - ledger.Light(p, at.Add(normal.Mul(0.002)), normal, 1, 0)[0]
		sum += e * e
		n++
	}
	for i := range 90 {
		for j := range 90 {
			u, v := (float64(i)+0.5)/90*7.8-3.9, (float64(j)+0.5)/90*7.8-3.9
			check(geom.Vec3{u, 0, v}, geom.Vec3{0, 1, 0})
			check(geom.Vec3{u, v + 4, -11.9}, geom.Vec3{0, 0, 1})
		}
	}
	return math.Sqrt(sum / n)
}

// With no more texels than an even density, a plan shows the light better:
// measured on the light itself, not by the plan's own estimate.
func TestPlanBeatsOneDensity(t *testing.T) {
	p, m := baked(t, yard(12))
	plan, err := planner.Make(p, m, planner.Budget{Texels: 7000})
	require.NoError(t, err)
	require.LessOrEqual(t, plan.After.Texels, 7000)
	require.Less(t, plan.After.Error, plan.Uniform.Error)
	after := map[string]float64{}
	for _, c := range plan.Surfaces {
		after[c.Entity] = c.After
	}
	assert.Greater(t, after["floor"], 2*after["wall"], "texels go to the shadow: %v", after)

	// Where the post stands among the texels is luck for one or the other, so it
	// stands in several places.
	planned, even := 0.0, 0.0
	for _, d := range [][2]float64{{0, 0}, {0.03, -0.03}, {0.05, 0.02}, {-0.04, 0.07}} {
		at := func(l *level.Level) *level.Level {
			post := &l.Solids[2].Transform.Position
			post[0], post[2] = post[0]+d[0], post[2]+d[1]
			return l
		}
		p, m := baked(t, at(yard(12)))
		plan, err := planner.Make(p, m, planner.Budget{Texels: 7000})
		require.NoError(t, err)
		l, _, err := p.Scene.Level.Apply(*plan.Operation)
		require.NoError(t, err)
		a, am := baked(t, l)
		assert.Equal(t, plan.After.Pages, a.Layout.Pages)
		e, em := baked(t, at(yard(7))) // as near to as many texels as whole numbers come
		require.GreaterOrEqual(t, len(e.Texels.List), len(a.Texels.List)*9/10)
		planned, even = planned+errorOf(a, am), even+errorOf(e, em)
	}
	assert.Less(t, planned, 0.95*even)
}

func TestPlatformStepsAreKept(t *testing.T) {
	p, m := baked(t, yard(12))
	plan, err := planner.Make(p, m, planner.Budget{Pages: 1, Steps: []float64{2, 4, 8, 16}})
	require.NoError(t, err)
	for _, c := range plan.Surfaces {
		assert.Contains(t, []float64{2, 4, 8, 16}, c.After)
	}
}

func TestBudgetsThatCannotBe(t *testing.T) {
	p, m := baked(t, yard(4))
	_, err := planner.Make(p, m, planner.Budget{})
	assert.ErrorContains(t, err, "a budget names texels")
	_, err = planner.Make(p, m, planner.Budget{Texels: 50})
	assert.ErrorContains(t, err, "does not fit")
	_, err = planner.Make(p, m, planner.Budget{Texels: 5000, Least: 9, Most: 3})
	assert.ErrorContains(t, err, "at most the highest density")
}
