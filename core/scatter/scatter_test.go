package scatter_test

import (
	"context"
	"math"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/scatter"
	"grotta/core/shot"
)

var ctx = context.Background()

// yard is a fog volume 8 m wide with a lamp in its middle, and a wall at x = 2.
func yard(t *testing.T, set func(*level.Level)) *bake.Prepared {
	t.Helper()
	l := level.New("yard")
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.FogShare = 50, 1
	l.Lights = []*level.Light{lamp}
	wall := level.Default[level.Solid]()
	wall.ID, wall.Size, wall.Transform.Position = "wall", level.Vec{0.2, 6, 6}, level.Vec{2, 0, 0}
	l.Solids = []*level.Solid{&wall}
	v := level.Default[level.FogVolume]()
	v.ID, v.Size, v.Luminance = "fog", level.Vec{8, 4, 4}, 0
	l.FogVolumes = []*level.FogVolume{&v}
	if set != nil {
		set(l)
	}
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	return p
}

func lit(t *testing.T, p *bake.Prepared) (*air.Air, []scatter.Cost) {
	t.Helper()
	a, costs, err := shot.Air(ctx, p, scatter.Ask{})
	require.NoError(t, err)
	return a, costs
}

// value reads the cell nearest a point.
func value(f *air.Field, p geom.Vec3) []float32 {
	index, stride := 0, 1
	for axis := range 3 {
		i := int((p[axis] - f.Min[axis]) / (f.Max[axis] - f.Min[axis]) * float64(f.Cells[axis]))
		index += min(i, f.Cells[axis]-1) * stride
		stride *= f.Cells[axis]
	}
	return f.Values[6*index : 6*index+6]
}

// In the open a cell gets I / d²; behind the wall nothing.
func TestFieldOfALampAndItsShadow(t *testing.T) {
	a, costs := lit(t, yard(t, nil))
	f := a.Volumes[0].Field
	require.NotNil(t, f)
	for x := range f.Cells[0] {
		m := f.Middle(x, f.Cells[1]/2, f.Cells[2]/2)
		got := value(f, m)
		d := m.Len()
		switch {
		case m[0] > 2.2:
			assert.Zero(t, got[0], "behind the wall, %v", m)
		case m[0] < 1.8 && d > 0.3:
			assert.InEpsilon(t, 50/(d*d), got[0], 1e-4)
			toward := m.Mul(-1 / d)
			assert.InDelta(t, toward[0]*50/(d*d), got[3], 1e-2)
		}
	}
	require.Len(t, costs, 1)
	assert.Equal(t, []string{"lamp"}, costs[0].Sources)
	assert.Equal(t, f.Cells[0]*f.Cells[1]*f.Cells[2], costs[0].Cells)
	assert.LessOrEqual(t, costs[0].Cells, scatter.MaxCells)
}

// A grid is for unit strength: any strength and colour is a sum, and grids that
// were kept are not made again.
func TestMixOfGridsIsLinearAndKept(t *testing.T) {
	kept := map[string]*scatter.Grid{}
	made := 0
	light := func(set func(*level.Level)) *air.Field {
		a, _, err := shot.Air(ctx, yard(t, set), scatter.Ask{
			Kept: func(k string) *scatter.Grid { return kept[k] },
			Keep: func(g *scatter.Grid) { kept[g.Key] = g; made++ },
		})
		require.NoError(t, err)
		return a.Volumes[0].Field
	}
	one := light(nil)
	two := light(func(l *level.Level) {
		l.Lights[0].Strength, l.Lights[0].Color, l.Lights[0].FogShare = 100, "#ff0000", 3
	})
	assert.Equal(t, 1, made, "another strength, colour and share need no rays")
	at := geom.Vec3{-1, 0.3, 0.2}
	assert.InEpsilon(t, 6*value(one, at)[0], value(two, at)[0], 1e-5)
	assert.Zero(t, value(two, at)[1])
	light(func(l *level.Level) { l.Lights[0].Transform.Position = level.Vec{0, 1, 0} })
	assert.Equal(t, 2, made, "another place does")
	light(func(l *level.Level) { l.Solids[0].Size = level.Vec{0.2, 1, 1} })
	assert.Equal(t, 3, made, "and so does another wall")
}

// A lamp in the very middle of a cell is as bright there as it is on average, and
// not without end.
func TestLampInTheMiddleOfACell(t *testing.T) {
	p := yard(t, func(l *level.Level) {
		l.FogVolumes[0].Size = level.Vec{1.04, 1.04, 1.04} // seven cells: one round the lamp
	})
	a, _ := lit(t, p)
	f := a.Volumes[0].Field
	require.Equal(t, [3]int{7, 7, 7}, f.Cells)
	got := value(f, geom.Vec3{})
	side := 1.04 / 7
	radius := side * math.Cbrt(3/(4*math.Pi))
	assert.InEpsilon(t, 50*3/(radius*radius), got[1], 0.02)
	for _, v := range f.Values {
		require.False(t, math.IsNaN(float64(v)) || math.IsInf(float64(v), 0))
	}
}

func TestWhoShowsInFog(t *testing.T) {
	field := func(set func(*level.Level)) *air.Field {
		a, _ := lit(t, yard(t, set))
		return a.Volumes[0].Field
	}
	assert.Nil(t, field(func(l *level.Level) { l.Lights[0].FogShare = 0 }), "no share")
	assert.Nil(t, field(func(l *level.Level) { l.Lights[0].Enabled = false }), "off")
	assert.Nil(t, field(func(l *level.Level) { l.FogVolumes[0].Lit = false }), "a volume that asks for none")
	assert.Nil(t, field(func(l *level.Level) { l.Fog.Lit = "none" }), "a level that has none")
	only := yard(t, func(l *level.Level) { l.Lights[0].Surfaces = false })
	a, _ := lit(t, only)
	assert.NotNil(t, a.Volumes[0].Field)
	for _, s := range only.Sources {
		assert.NotEqual(t, "lamp", s.ID, "fog alone: it has no layer")
	}
}

// A box light that follows the sun shines as the sun does, and goes with it.
func TestShaftFollowsTheSun(t *testing.T) {
	build := func(altitude float64) *bake.Prepared {
		return yard(t, func(l *level.Level) {
			sun := level.Default[level.Sun]()
			sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.AngularDeg = 90, altitude, 7000, 0
			l.Environment.Sun = &sun
			box := level.NewLight("shaft", level.BoxLight)
			box.Follows, box.Surfaces, box.FogShare, box.WidthM, box.HeightM = "sun", false, 1, 1, 1
			l.Lights, l.Solids = []*level.Light{box}, nil
		})
	}
	a, _ := lit(t, build(45))
	f := a.Volumes[0].Field
	in := value(f, geom.Vec3{-1, -1, 0}) // down the beam from the middle, which the sun in the east casts west
	assert.InEpsilon(t, 7000, in[0], 1e-4)
	assert.InDelta(t, math.Sqrt2/2*7000, in[3], 10)
	assert.Zero(t, value(f, geom.Vec3{-1, 1, 0})[0], "beside the shaft")
	assert.Zero(t, value(f, geom.Vec3{1, 1, 0})[0], "before its opening")
	a, _ = lit(t, build(-5))
	assert.Nil(t, a.Volumes[0].Field, "no shaft by night")
}

func TestLitEverywhere(t *testing.T) {
	p := yard(t, func(l *level.Level) {
		l.FogVolumes, l.Fog.Lit = nil, "everywhere"
		l.Fog.Haze.Enabled, l.Fog.Haze.StartM, l.Fog.Haze.Density = true, 0, 0.02
	})
	a, costs := lit(t, p)
	require.Len(t, a.Volumes, 1)
	require.Len(t, costs, 1)
	s := a.At(p.Scene.Level, geom.Vec3{1.5, 0.2, 3})
	through, added := a.VolumesAlong(&s, geom.Vec3{1.5, 0.2, 3}, geom.Vec3{0, 0, -1}, 6)
	assert.Equal(t, 1.0, through, "the haze itself counts its own loss")
	assert.Positive(t, added[1])
}

// The same numbers on one core and on all.
func TestFieldDoesNotDependOnThreads(t *testing.T) {
	make := func() []float32 {
		a, _ := lit(t, yard(t, func(l *level.Level) { l.Lights[0].RadiusM = 0.2 }))
		return a.Volumes[0].Field.Values
	}
	all := make()
	was := runtime.GOMAXPROCS(1)
	one := make()
	runtime.GOMAXPROCS(was)
	assert.Equal(t, one, all)
}

func TestCancelledFogEnds(t *testing.T) {
	stopped, cancel := context.WithCancel(ctx)
	cancel()
	_, _, err := shot.Air(stopped, yard(t, nil), scatter.Ask{})
	assert.ErrorIs(t, err, context.Canceled)
}

// What each source shows by itself sums to what all show; none is asked for where
// the air is left out.
func TestFogOfOneSource(t *testing.T) {
	p := yard(t, func(l *level.Level) {
		other := level.NewLight("other", level.Point)
		other.Strength, other.FogShare, other.Color, other.Transform.Position = 20, 0.5, "#4060ff", level.Vec{-2, 1, 1}
		l.Lights = append(l.Lights, other)
	})
	field := func(only string) *air.Field {
		a, _, err := shot.Air(ctx, p, scatter.Ask{Only: only})
		require.NoError(t, err)
		return a.Volumes[0].Field
	}
	all, lamp, other := field(""), field("lamp"), field("other")
	for i := range all.Values {
		require.InDelta(t, all.Values[i], lamp.Values[i]+other.Values[i], 1e-3*float64(1+math.Abs(float64(all.Values[i]))))
	}
	assert.NotZero(t, value(other, geom.Vec3{-1, 1, 1})[2])
	assert.Nil(t, field("nobody"))
	a, costs, err := shot.Air(ctx, p, scatter.Ask{Bare: true})
	require.NoError(t, err)
	assert.Empty(t, costs)
	assert.Nil(t, a.Volumes[0].Field)
}
