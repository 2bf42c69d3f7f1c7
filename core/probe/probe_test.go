package probe_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/probe"
	"grotta/core/shot"
	"grotta/core/source"
)

func baked(t *testing.T, l *level.Level) (*bake.Prepared, *layer.Image) {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err)
	return p, layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
}

func block(l *level.Level, id string, at, size level.Vec) {
	s := level.Default[level.Solid]()
	s.ID, s.Size, s.Transform.Position = id, size, at
	l.Solids = append(l.Solids, &s)
}

func grid(size level.Vec, spacing float64) *level.ProbeGrid {
	g := level.Default[level.ProbeGrid]()
	g.ID, g.Size, g.SpacingM = "g", size, spacing
	return &g
}

// Under a uniform sky all round, every way a surface faces gets π L.
func TestUniformSky(t *testing.T) {
	l := level.New("Air")
	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#ffffff", 100
	p, m := baked(t, l)
	sh := probe.At(p, shot.NewEye(p, m), geom.Vec3{}, 1024)
	for _, n := range []geom.Vec3{{1, 0, 0}, {0, -1, 0}, {0.6, 0, 0.8}} {
		assert.InEpsilon(t, math.Pi*100, sh.Irradiance(n)[1], 0.005, "%v", n)
	}
}

// Parallel light of E lux through order 2 is E (1/4 + 1/2 cos γ + 5/16 P2(cos γ)).
func TestParallelLight(t *testing.T) {
	l := level.New("Air")
	beam := level.NewLight("beam", level.Directional)
	beam.Strength = 500
	q := geom.LookRotation(geom.Vec3{0, -1, 0})
	beam.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	l.Lights = []*level.Light{beam}
	p, m := baked(t, l)
	sh := probe.At(p, shot.NewEye(p, m), geom.Vec3{}, 64)
	for _, cos := range []float64{1, 0.8, 0.3, 0} {
		n := geom.Vec3{math.Sqrt(1 - cos*cos), cos, 0}
		want := 500 * (0.25 + 0.5*cos + 5.0/16*(3*cos*cos-1)/2)
		assert.InDelta(t, max(0, want), sh.Irradiance(n)[1], 0.5, "cos %v", cos)
	}
}

// Light does not leak through a wall: points just beside it are lit by the probes
// of their own side.
func TestWallsBlockTheGrid(t *testing.T) {
	l := level.New("Two rooms")
	for id, b := range map[string][2]level.Vec{
		"floor": {{0, -0.1, 0}, {8, 0.2, 4}}, "roof": {{0, 3.1, 0}, {8, 0.2, 4}}, "wall": {{0, 1.5, 0}, {0.1, 3, 4}},
		"east": {{4.05, 1.5, 0}, {0.1, 3.4, 4}}, "west": {{-4.05, 1.5, 0}, {0.1, 3.4, 4}},
		"north": {{0, 1.5, -2.05}, {8.2, 3.4, 0.1}}, "south": {{0, 1.5, 2.05}, {8.2, 3.4, 0.1}},
	} {
		block(l, id, b[0], b[1])
	}
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.Transform.Position = 100, level.Vec{2, 2, 0}
	l.Lights = []*level.Light{lamp}
	l.Lightmap.Density = 2
	p, m := baked(t, l)
	g := grid(level.Vec{7.9, 2.9, 3.9}, 1)
	g.Transform.Position = level.Vec{0, 1.5, 0}
	got, err := probe.Capture(context.Background(), p, m, g)
	require.NoError(t, err)
	assert.Equal(t, [3]int{8, 3, 4}, got.Count)
	bright, ok := got.Sample(geom.Vec3{0.1, 1.5, 0})
	require.True(t, ok)
	dark, ok := got.Sample(geom.Vec3{-0.1, 1.5, 0})
	require.True(t, ok)
	up := geom.Vec3{0, 1, 0}
	assert.Greater(t, bright.Irradiance(up)[1], 5.0)
	assert.Less(t, dark.Irradiance(up)[1], 0.01*bright.Irradiance(up)[1])
	for i := range got.Probes {
		if pr := &got.Probes[i]; pr.Position[0] < 0 && pr.Position[0]+got.Step[0] > 0 {
			assert.False(t, pr.Links[0], "the wall stands between")
		}
	}
}

func TestProbesInsideSolidsAreLeftOut(t *testing.T) {
	l := level.New("Solid")
	block(l, "rock", level.Vec{0, 0, 0}, level.Vec{2, 2, 2})
	p, m := baked(t, l)
	got, err := probe.Capture(context.Background(), p, m, grid(level.Vec{1, 1, 1}, 1))
	require.NoError(t, err)
	assert.Equal(t, "rock", got.Probes[0].Inside)
	_, ok := got.Sample(geom.Vec3{0, 0, 0})
	assert.False(t, ok)
}

func reflection(side int) *level.Reflection {
	r := level.Default[level.Reflection]()
	r.ID, r.Side = "r", side
	return &r
}

// In an even sky every mirror shows the same, however rough.
func TestCubeOfAnEvenSky(t *testing.T) {
	l := level.New("Air")
	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#ffffff", 70
	p, m := baked(t, l)
	c, err := probe.CaptureCube(context.Background(), p, m, reflection(32))
	require.NoError(t, err)
	require.Len(t, c.Steps, 4)
	for _, s := range c.Steps {
		for face := range 6 {
			require.Len(t, s.Faces[face], s.Side*s.Side)
			for _, v := range s.Faces[face] {
				require.InDelta(t, 70, v[1], 1e-6)
			}
		}
	}
	assert.Equal(t, []float64{0, 1}, []float64{c.Steps[0].Roughness, c.Steps[3].Roughness})
	img := c.Picture()
	assert.Equal(t, []int{192, 32 + 16 + 8 + 4}, []int{img.Width, img.Height})
}

// Faces look where they say: a lit panel to the east is on +x, and a rougher mirror
// spreads it.
func TestCubeFacesAndRoughness(t *testing.T) {
	l := level.New("Panel")
	m := level.Default[level.Material]()
	m.ID, m.Color, m.Emission = "lit", "#ffffff", 1000
	l.Materials = []*level.Material{&m}
	block(l, "panel", level.Vec{3, 0, 0}, level.Vec{0.1, 1, 1})
	l.Solids[0].Surface.Material = "lit"
	p, image := baked(t, l)
	c, err := probe.CaptureCube(context.Background(), p, image, reflection(32))
	require.NoError(t, err)
	middle := func(step, face int) float64 {
		s := &c.Steps[step]
		return s.Faces[face][s.Side/2*s.Side+s.Side/2][1]
	}
	assert.InDelta(t, 1000, middle(0, 0), 1)
	for face := 1; face < 6; face++ {
		assert.Zero(t, middle(0, face), "face %d", face)
	}
	assert.Less(t, middle(2, 0), 900.0)
	assert.Less(t, middle(3, 0), middle(2, 0), "the rougher the dimmer in the middle")
	assert.Positive(t, middle(3, 0))
}
