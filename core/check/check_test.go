package check

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

func run(t *testing.T, l *level.Level, name string) *Report {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	profile, err := platform.Named(name)
	require.NoError(t, err)
	return Run(p, profile)
}

func find(r *Report, rule string) *Finding {
	for i := range r.Findings {
		if r.Findings[i].Rule == rule {
			return &r.Findings[i]
		}
	}
	return nil
}

// The demo has three faults and no others; each fix is one operation, and with
// all of them the level is clean.
func TestDemoHasItsThreeFaultsAndTheirFixes(t *testing.T) {
	l := demo.Saltmarsh()
	r := run(t, l, "baked-arena")
	require.Len(t, r.Findings, 3)
	crowd := find(r, "limits.shadow-overlap")
	require.NotNil(t, crowd)
	assert.Equal(t, Error, crowd.Severity)
	assert.Equal(t, demo.CrowdedZone, crowd.Zone)
	assert.Equal(t, []string{demo.DeadGlow}, find(r, "links.glow-without-light").Entities)
	assert.Equal(t, demo.DarkZone, find(r, "play.too-dark").Zone)
	assert.Contains(t, find(r, "play.too-dark").Entities, demo.DarkLight)
	for _, f := range r.Findings {
		require.NotNil(t, f.Fix, f.Rule)
		next, inverse, err := l.Apply(*f.Fix)
		require.NoError(t, err, f.Rule)
		assert.Nil(t, find(run(t, next, "baked-arena"), f.Rule), "%s is settled by its fix", f.Rule)
		back, _, err := next.Apply(inverse)
		require.NoError(t, err)
		assert.NotNil(t, find(run(t, back, "baked-arena"), f.Rule))
		l = next
	}
	assert.True(t, run(t, l, "baked-arena").Clean)
}

// The witness of an overlap is a point that all named lights reach.
func TestOverlapIsProvenByItsPoint(t *testing.T) {
	l := demo.Saltmarsh()
	f := find(run(t, l, "baked-arena"), "limits.shadow-overlap")
	world := l.World()
	for _, id := range f.Entities {
		light := l.Light(id)
		if light.Kind == level.Directional {
			continue
		}
		pose := world.Pose(&light.Entity)
		to := geom.Vec3(*f.Point).Sub(pose.Position)
		assert.LessOrEqual(t, to.Len(), light.RangeM, id)
		if light.Kind == level.Spot {
			assert.LessOrEqual(t, math.Acos(to.Normalize().Dot(pose.Forward()))*180/math.Pi, light.OuterDeg+1e-6, id)
		}
	}
}

func TestLimitsBiteAtTheirEdge(t *testing.T) {
	lights := func(n int) *level.Level {
		l := demo.Room()
		l.Lights = nil
		for i := range n {
			a := level.NewLight(fmt.Sprintf("l%d", i), level.Point)
			a.Transform.Position, a.Shadows.Cast, a.RangeM = level.Vec{0, 1, 0}, false, 3
			l.Lights = append(l.Lights, a)
		}
		return l
	}
	assert.Nil(t, find(run(t, lights(4), "pocket"), "limits.zone-lights"))
	over := find(run(t, lights(5), "pocket"), "limits.zone-lights")
	require.NotNil(t, over)
	assert.Equal(t, []float64{5, 4}, []float64{over.Count, over.Limit})
	assert.Nil(t, find(run(t, lights(16), "pocket"), "limits.lights"))
	assert.NotNil(t, find(run(t, lights(17), "pocket"), "limits.lights"))
	off := lights(17)
	off.Lights[3].Enabled = false
	assert.Nil(t, find(run(t, off, "pocket"), "limits.lights"), "what is off does not count")
}

func TestLightmapLimitsAndTheirFix(t *testing.T) {
	l := demo.Saltmarsh()
	l.Lightmap.Density = 20
	r := run(t, l, "pocket")
	f := find(r, "limits.lightmap-pages")
	require.NotNil(t, f)
	assert.Equal(t, float64(r.Lightmap.Pages), f.Count)
	require.NotNil(t, f.Fix)
	next, _, err := l.Apply(*f.Fix)
	require.NoError(t, err)
	assert.Nil(t, find(run(t, next, "pocket"), "limits.lightmap-pages"))
	assert.Equal(t, r.Lightmap.Pages*512*512*4, r.Lightmap.Bytes, "pocket has 4 bytes a texel")

	l.Lightmap.PageSize, l.Lightmap.Density = 1024, 5
	require.NotNil(t, find(run(t, l, "pocket"), "limits.page-size").Fix)
}

func TestKindsThatATargetLacks(t *testing.T) {
	f := find(run(t, demo.Saltmarsh(), "pocket"), "support.light-kind")
	require.NotNil(t, f)
	require.NotNil(t, f.Fix)
	assert.Contains(t, f.Message, "lights are spot lights; pocket has point, directional")
	assert.Len(t, f.Fix.Steps, len(f.Entities))
	for _, step := range f.Fix.Steps {
		assert.Equal(t, "point", step.Fields["kind"])
	}
	assert.Nil(t, find(run(t, demo.Saltmarsh(), "baked-arena"), "support.light-kind"))
}

func TestLightInsideASolid(t *testing.T) {
	l := demo.Room()
	l.Lights[0].Transform.Position = level.Vec{1.4, 0.4, -0.9} // in the crate
	f := find(run(t, l, "baked-arena"), "closure.light-inside")
	require.NotNil(t, f)
	assert.Equal(t, []string{"lamp", "crate"}, f.Entities)

	water := level.Default[level.Water]()
	m := level.Default[level.Material]()
	m.ID, m.Water = "water", &water
	l.Materials = append(l.Materials, &m)
	l.Solids[len(l.Solids)-1].Surface.Material = "water"
	assert.Nil(t, find(run(t, l, "baked-arena"), "closure.light-inside"), "a lamp may hang in water")
}

// lamp is the room with its lamp hung on a thing that moves, or can be broken.
func lamp(edit func(*level.Level, *level.Solid)) *level.Level {
	l := demo.Room()
	crate := l.Solids[len(l.Solids)-1]
	l.Lights[0].Parent = crate.ID
	edit(l, crate)
	return l
}

func TestCarriedLights(t *testing.T) {
	assert.Nil(t, find(run(t, lamp(func(*level.Level, *level.Solid) {}), "baked-arena"), "build.carried-light"), "what stands still may carry")
	for what, edit := range map[string]func(*level.Level, *level.Solid){
		"moves":         func(_ *level.Level, s *level.Solid) { s.Moves = true },
		"can be broken": func(_ *level.Level, s *level.Solid) { s.Breakable = true },
	} {
		l := lamp(edit)
		f := find(run(t, l, "baked-arena"), "build.carried-light")
		require.NotNil(t, f, what)
		assert.Contains(t, f.Message, what)
		mended, _, err := l.Apply(*f.Fix)
		require.NoError(t, err)
		assert.Equal(t, "dynamic", mended.Lights[0].Bake)
		assert.Nil(t, find(run(t, mended, "baked-arena"), "build.carried-light"))
	}
	far := lamp(func(l *level.Level, s *level.Solid) { // carried by what is carried
		s.Parent = l.Solids[0].ID
		l.Solids[0].Moves = true
	})
	require.NotNil(t, find(run(t, far, "baked-arena"), "build.carried-light"))
}

func TestDynamicLightsAreCounted(t *testing.T) {
	l := demo.Room()
	for i := range 9 {
		a := level.NewLight(fmt.Sprintf("d%d", i), level.Point)
		a.Bake, a.Transform.Position, a.Shadows.Cast = "dynamic", level.Vec{0, 1.5, 0}, false
		l.Lights = append(l.Lights, a)
	}
	f := find(run(t, l, "baked-arena"), "limits.dynamic-lights")
	require.NotNil(t, f)
	assert.Equal(t, []float64{9, 8}, []float64{f.Count, f.Limit})
	l.Lights = l.Lights[:9]
	assert.Nil(t, find(run(t, l, "baked-arena"), "limits.dynamic-lights"), "eight are taken")
}

func TestDensitiesThatThePlatformLacks(t *testing.T) {
	l := demo.Room()
	l.Lightmap.Density = 5
	f := find(run(t, l, "pocket"), "support.density")
	require.NotNil(t, f)
	assert.Contains(t, f.Message, "[1 2 4 8]")
	l.Lightmap.Density = 4
	assert.Nil(t, find(run(t, l, "pocket"), "support.density"))
}

func TestBacksAreComparedWhereThereAreMeshes(t *testing.T) {
	l := demo.Room()
	assert.Nil(t, find(run(t, l, "open-realtime"), "support.backs"), "solids have no backs to see")
	m := level.Default[level.Mesh]()
	m.ID, m.Positions, m.Indices = "sail", []float64{0, 1, 0, 1, 1, 0, 0, 2, 0}, []uint32{0, 1, 2}
	l.Meshes = []*level.Mesh{&m}
	f := find(run(t, l, "open-realtime"), "support.backs")
	require.NotNil(t, f)
	mended, _, err := l.Apply(*f.Fix)
	require.NoError(t, err)
	assert.Nil(t, find(run(t, mended, "open-realtime"), "support.backs"))
}

func TestKindsHaveStandIns(t *testing.T) {
	for _, name := range []string{"baked-arena", "open-realtime", "pocket"} {
		profile, err := platform.Named(name)
		require.NoError(t, err)
		for _, kind := range []string{level.Point, level.Spot, level.Dome, level.Directional, level.BoxLight, level.Rect, level.Tube} {
			l := demo.Room()
			l.Lights[0].Kind = kind
			f := find(run(t, l, name), "support.light-kind")
			if f == nil {
				assert.Contains(t, profile.Lights.Kinds, kind)
				continue
			}
			require.NotNil(t, f.Fix, "%s has something in place of a %s", name, kind)
			mended, _, err := l.Apply(*f.Fix)
			require.NoError(t, err)
			assert.Nil(t, find(run(t, mended, name), "support.light-kind"), "%s, %s", name, kind)
		}
	}
}

// What a platform leaves out indoors or outdoors is told, with a fix where the
// other mode has it.
func TestWhatAModeLeavesOut(t *testing.T) {
	sun := level.Default[level.Sun]()
	l := demo.Room()
	l.Environment.Sun, l.Environment.Mode = &sun, "outdoor"
	assert.Nil(t, find(run(t, l, "open-realtime"), "support.mode"))
	l.Environment.Mode = "indoor"
	f := find(run(t, l, "open-realtime"), "support.mode")
	require.NotNil(t, f)
	assert.Equal(t, Warning, f.Severity)
	assert.Contains(t, f.Message, "the level is indoor, and open-realtime has no light of the sun there")
	require.NotNil(t, f.Fix)
	next, _, err := l.Apply(*f.Fix)
	require.NoError(t, err)
	assert.Equal(t, "outdoor", next.Environment.Mode)
	assert.Nil(t, find(run(t, next, "open-realtime"), "support.mode"))
	sun.Enabled = false
	l.Environment.Sky.Luminance = 0
	assert.Nil(t, find(run(t, l, "open-realtime"), "support.mode"), "what is off is not missed")

	// Lamps go by the mode of their zone.
	l = demo.Room()
	l.Environment.Sun, l.Environment.Sky.Luminance = nil, 0
	assert.Nil(t, find(run(t, l, "pocket"), "support.mode"))
	l.Zones[0].Mode = "outdoor"
	f = find(run(t, l, "pocket"), "support.mode")
	require.NotNil(t, f)
	assert.Equal(t, []string{"lamp"}, f.Entities)
	assert.Equal(t, l.Zones[0].ID, f.Zone)
	assert.Nil(t, f.Fix)
}

// What the build takes is told from a bound where that is far below the limit, and counted where it is near.
func TestTheBuildIsInTheBudget(t *testing.T) {
	p := hall()
	spent := func(minutes float64) Spent {
		p.profile.Build.Minutes = p.limit(minutes)
		ready, err := bake.Prepare(p.Level)
		require.NoError(t, err)
		for _, s := range Run(ready, p.profile).Budget {
			if s.Rule == "limits.build-time" {
				return s
			}
		}
		t.Fatal("no build in the budget")
		return Spent{}
	}
	far := spent(10)
	assert.True(t, far.AtMost)
	assert.Less(t, far.Now, 5.0)
	near := spent(far.Now)
	assert.False(t, near.AtMost)
	assert.Positive(t, near.Now)
}
