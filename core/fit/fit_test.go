package fit

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/color"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

func planFor(t *testing.T, l *level.Level, keep []string, names ...string) (*Plan, []*platform.Profile) {
	t.Helper()
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	var profiles []*platform.Profile
	for _, name := range names {
		profile, err := platform.Named(name)
		require.NoError(t, err)
		profiles = append(profiles, profile)
	}
	plan, err := Make(context.Background(), check.Of(p), profiles, keep)
	require.NoError(t, err)
	return plan, profiles
}

// refused are the errors of a level after a plan.
func refused(t *testing.T, l *level.Level, plan *Plan, profile *platform.Profile) (found []string) {
	t.Helper()
	if plan.Operation != nil {
		next, _, err := l.Apply(*plan.Operation)
		require.NoError(t, err)
		l = next
	}
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	for _, f := range check.Run(p, profile).Findings {
		if f.Severity == check.Error {
			found = append(found, f.Rule+": "+f.Message)
		}
	}
	return found
}

// After its plan every demo level is taken by every platform, or the plan says what is left.
func TestFitMakesThePlatformsTakeTheDemo(t *testing.T) {
	for from, names := range map[string][]string{"demo": {"baked-arena", "pocket", "cell-interior"}, "mill": {"pocket"}, "yard": {"baked-arena"}} {
		for _, name := range names {
			t.Run(from+" "+name, func(t *testing.T) {
				l := demo.Start(from)
				plan, profiles := planFor(t, l, nil, name)
				left := refused(t, l, plan, profiles[0])
				t.Logf("%d steps, %.2f mean, %.2f at the 95th percentile, exact %v; left: %v", len(plan.Steps), plan.Mean, plan.P95, plan.Exact, plan.Left)
				assert.Len(t, left, len(plan.Left), "%v, %v", left, plan.Left)
				assert.LessOrEqual(t, plan.Bound, plan.Sum+1e-9)
				for i := range plan.Steps {
					if i > 0 && plan.Steps[i].Measured {
						assert.GreaterOrEqual(t, plan.Steps[i].Mean, plan.Steps[i-1].Mean, "the least visible first")
					}
				}
			})
		}
	}
}

// crowd is a room with lamps of growing strength in its middle.
func crowd(n int) *level.Level {
	l := demo.Room()
	l.Lights = nil
	for i := range n {
		a := level.NewLight(fmt.Sprintf("l%d", i), level.Point)
		a.Strength, a.RangeM, a.Transform.Position = float64(int(1)<<i), 6, level.Vec{0.2 * float64(i), 1.6, 0}
		l.Lights = append(l.Lights, a)
	}
	return l
}

// Weak lights go, since that is seen least; who is kept stays.
func TestTheLeastVisibleGoes(t *testing.T) {
	l := crowd(6) // pocket takes four in a zone
	plan, profiles := planFor(t, l, nil, "pocket")
	assert.Empty(t, refused(t, l, plan, profiles[0]))
	next, _, err := l.Apply(*plan.Operation)
	require.NoError(t, err)
	on := 0
	for i, a := range next.Lights {
		assert.True(t, a.Enabled || i < 3, "the strongest stay: %s", a.ID)
		if a.Enabled {
			on++
		}
	}
	assert.Equal(t, 4, on)
	assert.True(t, plan.Exact)

	kept, profiles := planFor(t, l, []string{"l0"}, "pocket")
	assert.Empty(t, refused(t, l, kept, profiles[0]))
	for _, s := range kept.Steps {
		assert.NotEqual(t, "l0", s.Entity)
	}
	assert.Greater(t, kept.Sum, plan.Sum, "to keep it costs something")
}

// Two lamps side by side become one that sends out as much as both; that is seen less than either going out. What
// the plan says of it is what is seen when it is done.
func TestALampShinesForItsNeighbour(t *testing.T) {
	l := crowd(0)
	for i, id := range []string{"left", "right"} {
		a := level.NewLight(id, level.Point)
		a.Strength, a.RangeM, a.Transform.Position = 20+10*float64(i), 6, level.Vec{0.3 * float64(i), 2, 0}
		l.Lights = append(l.Lights, a)
	}
	halo := level.Default[level.Glow]()
	halo.ID, halo.ColorFrom = "halo", "left"
	l.Glows = append(l.Glows, &halo)
	pocket, err := platform.Named("pocket")
	require.NoError(t, err)
	one := *pocket
	one.Limits.Lights, one.Limits.ZoneLights = &platform.Limit{Max: 1, Why: "a test"}, nil
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	sub := check.Of(p)
	plan, err := Make(t.Context(), sub, []*platform.Profile{&one}, nil)
	require.NoError(t, err)
	require.Len(t, plan.Steps, 1)
	assert.Equal(t, "left gives its light to right", plan.Steps[0].What)
	assert.Equal(t, []string{"pocket"}, plan.Steps[0].Platforms)
	next, _, err := l.Apply(*plan.Operation)
	require.NoError(t, err)
	assert.False(t, next.Light("left").Enabled)
	assert.InDelta(t, 50, next.Light("right").Strength, 1e-9)
	assert.Equal(t, "right", next.Glows[0].ColorFrom)

	f := &fitter{ctx: t.Context(), from: p, level: l, profiles: []*platform.Profile{&one}, lights: check.Shining(l), spots: sub.Spots(&one)}
	require.NoError(t, f.measure())
	out := func(i int) float64 {
		return f.choices[i][slices.IndexFunc(f.choices[i], func(c choice) bool { return c.what == "goes out" })].costs.mean
	}
	assert.Less(t, plan.Mean, 0.5*min(out(0), out(1)))
	done, err := f.from.Again(next)
	require.NoError(t, err)
	now, err := f.lightOf(done)
	require.NoError(t, err)
	is := f.difference(f.shown(f.total), func(k int) (sum color.Linear, _ bool) {
		for _, c := range now[k] {
			sum = sum.Add(c)
		}
		return sum, true
	})
	assert.InDelta(t, is.mean, plan.Mean, 0.1*is.mean)
}

// What cannot be is said, and the rest is done.
func TestWhatIsKeptCanStandInTheWay(t *testing.T) {
	l := crowd(6)
	plan, _ := planFor(t, l, []string{"l0", "l1", "l2", "l3", "l4"}, "pocket")
	require.NotEmpty(t, plan.Left)
	assert.Contains(t, fmt.Sprint(plan.Left), "lights in")
}

// Two platforms are held at once, and each step says who needs it.
func TestTwoPlatformsAtOnce(t *testing.T) {
	l := demo.Start("demo")
	plan, profiles := planFor(t, l, nil, "pocket", "baked-arena")
	for _, profile := range profiles {
		assert.Empty(t, refused(t, l, plan, profile), profile.Name)
	}
	for _, s := range plan.Steps {
		assert.NotEmpty(t, s.Platforms, s.What)
	}
}

// A level that is taken as it is needs nothing, and costs nothing.
func TestNothingToDo(t *testing.T) {
	plan, _ := planFor(t, demo.Start("mill"), nil, "baked-arena")
	assert.Empty(t, plan.Steps)
	assert.Nil(t, plan.Operation)
	assert.InDelta(t, 0, plan.Mean, 1e-9)
	assert.Empty(t, plan.Left)
}

// A beam stays as wide when its spot becomes a light without a cone.
func TestBeamsKeepTheirWidth(t *testing.T) {
	l := demo.Room()
	lantern := level.NewLight("lantern", level.Spot)
	lantern.OuterDeg, lantern.InnerDeg, lantern.RangeM, lantern.Transform.Position = 12, 8, 6, level.Vec{0, 2, 0}
	beam := level.Default[level.Beam]()
	beam.ID, beam.Light, beam.AngleDeg = "beam", "lantern", 40
	l.Lights, l.Beams = []*level.Light{lantern}, []*level.Beam{&beam}
	plan, profiles := planFor(t, l, nil, "pocket")
	next, _, err := l.Apply(*plan.Operation)
	require.NoError(t, err)
	if next.Light("lantern").Enabled {
		assert.InDelta(t, 12, next.Beams[0].AngleDeg, 1e-9)
	}
	assert.Empty(t, refused(t, l, plan, profiles[0]))
}

// A level that nobody looks at yet is measured on its texels.
func TestLevelsWithoutViewpointsAreMeasured(t *testing.T) {
	l := crowd(6)
	l.Viewpoints, l.Zones[0].Play = nil, "none"
	plan, _ := planFor(t, l, nil, "pocket")
	assert.Positive(t, plan.Spots)
	assert.Positive(t, plan.Mean)
}

// The costs of a change: a black room's only lamp going out is the whole picture; a light that reaches
// nothing costs nothing.
func TestCostsAreMeasured(t *testing.T) {
	l := crowd(6)
	far := level.NewLight("far", level.Point)
	far.Strength, far.RangeM, far.Transform.Position = 1000, 2, level.Vec{50, 1, 50}
	l.Lights = append(l.Lights, far)
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	profile, err := platform.Named("pocket")
	require.NoError(t, err)
	sub := check.Of(p)
	f := &fitter{ctx: context.Background(), from: p, level: l, profiles: []*platform.Profile{profile}}
	f.lights, f.spots = check.Shining(l), sub.Spots(profile)
	require.NoError(t, f.measure())
	out := func(i int) float64 {
		return f.choices[i][slices.IndexFunc(f.choices[i], func(c choice) bool { return c.what == "goes out" })].costs.mean
	}
	assert.Zero(t, out(6), "nobody sees the far lamp")
	for i := range 5 {
		assert.Less(t, out(i), out(i+1), "a stronger lamp is missed more")
	}
	assert.Positive(t, out(0))
}

// It ends with its context.
func TestFitCanBeCancelled(t *testing.T) {
	p, err := bake.Prepare(demo.Start("demo"))
	require.NoError(t, err)
	profile, err := platform.Named("pocket")
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Make(ctx, check.Of(p), []*platform.Profile{profile}, nil)
	assert.ErrorIs(t, err, context.Canceled)
	_, err = Make(context.Background(), check.Of(p), []*platform.Profile{profile}, []string{"nobody"})
	assert.ErrorContains(t, err, "no such light")
}

// Where a surface takes few lights, and a light few surfaces, the plan keeps to both.
func TestLightsOnASurfaceAreFitted(t *testing.T) {
	l := crowd(5)
	pocket, err := platform.Named("pocket")
	require.NoError(t, err)
	own := *pocket
	own.Limits.Lights, own.Limits.ZoneLights, own.Limits.SurfaceLights, own.Limits.LightSurfaces = nil, nil, &platform.Limit{Max: 2, Why: "a test"}, nil
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	plan, err := Make(t.Context(), check.Of(p), []*platform.Profile{&own}, nil)
	require.NoError(t, err)
	assert.Empty(t, plan.Left)
	assert.NotEmpty(t, plan.Steps)
	assert.Empty(t, refused(t, l, plan, &own))

	own.Limits.SurfaceLights, own.Limits.LightSurfaces = nil, &platform.Limit{Max: 3, Why: "a test"}
	plan, err = Make(t.Context(), check.Of(p), []*platform.Profile{&own}, nil)
	require.NoError(t, err)
	next, _, err := l.Apply(*plan.Operation)
	require.NoError(t, err)
	ready, err := bake.Prepare(next)
	require.NoError(t, err)
	for _, f := range check.Run(ready, &own).Findings {
		assert.NotEqual(t, "limits.light-surfaces", f.Rule, f.Message)
	}
}
