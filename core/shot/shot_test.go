package shot_test

import (
	"context"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/shot"
	"grotta/core/source"
)

// wall is a grey wall at z = 0, seen from z = distance.
func wall() *level.Level {
	l := level.New("Wall")
	s := level.Default[level.Solid]()
	s.ID, s.Size, s.Transform.Position = "wall", level.Vec{60, 60, 0.2}, level.Vec{0, 0, -0.1}
	s.Surface.Material = "grey"
	m := level.Default[level.Material]()
	m.ID, m.Color = "grey", "#bcbcbc"
	l.Materials, l.Solids = []*level.Material{&m}, []*level.Solid{&s}
	l.Lightmap.Density = 0.5
	l.Look.Tone, l.Look.ExposureEV = "clamp", 6
	l.Environment.Ambient.Strength = 150
	l.Environment.Sky.Lights = false
	return l
}

func middle(t *testing.T, l *level.Level, distance float64, o shot.Options) [3]uint8 {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err)
	m := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
	cam := shot.Camera{Pose: geom.Pose{Position: geom.Vec3{0, 0, distance}, Rotation: geom.Identity().Rotation}, FovDeg: 40}
	o.Width, o.Height, o.Samples = 33, 33, 1
	img, err := shot.Render(context.Background(), p, m, cam, o, nil)
	require.NoError(t, err)
	c := img.NRGBAAt(16, 16)
	return [3]uint8{c.R, c.G, c.B}
}

func byte8(linear float64) uint8 { return uint8(color.EncodeSRGB(linear)*255 + 0.5) }

// A matt wall of albedo a under E lux shows a E / π nits over 1.2 x 2^EV.
func TestMattWallThroughExposure(t *testing.T) {
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	want := byte8(albedo * 150 / math.Pi / (1.2 * 64))
	got := middle(t, wall(), 5, shot.Options{})
	assert.InDelta(t, want, got[0], 1)
	assert.Equal(t, got[0], got[2])

	brighter := wall()
	brighter.Look.ExposureEV = 5 // one stop: twice the light
	assert.InDelta(t, byte8(2*albedo*150/math.Pi/(1.2*64)), middle(t, brighter, 5, shot.Options{})[0], 1)
}

func TestHazeFollowsItsLaw(t *testing.T) {
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	l := wall()
	l.Fog.Haze.Enabled, l.Fog.Haze.StartM, l.Fog.Haze.Density, l.Fog.Haze.Max = true, 2, 0.05, 1
	l.Fog.Haze.Color, l.Fog.Haze.Luminance = "#ffffff", 10
	through := math.Exp(-0.05 * (12 - 2))
	want := byte8((albedo*150/math.Pi*through + 10*(1-through)) / (1.2 * 64))
	assert.InDelta(t, want, middle(t, l, 12, shot.Options{})[0], 1)
}

func TestSkyWhereThereIsNoSurface(t *testing.T) {
	l := wall()
	l.Solids[0].Enabled = false
	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#ffffff", 30
	assert.InDelta(t, byte8(30/(1.2*64)), middle(t, l, 5, shot.Options{})[1], 1)
}

func TestGlowAddsItsLuminanceAndIsHiddenByWhatIsBefore(t *testing.T) {
	l := wall()
	l.Environment.Ambient.Strength = 0
	g := level.Default[level.Glow]()
	g.ID, g.SizeM, g.Luminance, g.Color = "g", 1, 40, "#ffffff"
	g.Transform.Position = level.Vec{0, 0, 2}
	l.Glows = []*level.Glow{&g}
	assert.InDelta(t, byte8(40/(1.2*64)), middle(t, l, 5, shot.Options{})[0], 1)
	g.Transform.Position[2] = -3
	assert.Zero(t, middle(t, l, 5, shot.Options{})[0], "behind the wall by more than its radius")
	g.Transform.Position[2], g.ColorFrom = 2, "lamp"
	lamp := level.NewLight("lamp", level.Point)
	lamp.Enabled = false
	l.Lights = []*level.Light{lamp}
	assert.Zero(t, middle(t, l, 5, shot.Options{})[0], "it goes out with its light")
}

func TestCancelledShotEnds(t *testing.T) {
	l := wall()
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = shot.Render(ctx, p, layer.NewImage(p.Layout.PageSize, p.Layout.Pages), shot.Overview(p.Scene.Bounds), shot.Options{Width: 64, Height: 64, Samples: 1}, nil)
	assert.ErrorIs(t, err, context.Canceled)
}

// A mirror shows what is before it: of an even sky its light, of a lamp its radiance, and nothing of a lamp
// that something hides.
func TestAWallOfMetalMirrors(t *testing.T) {
	l := wall()
	l.Environment.Ambient.Strength = 0
	l.Environment.Sky.Color, l.Environment.Sky.Luminance = "#ffffff", 30
	m := l.Materials[0]
	m.Metalness, m.Roughness = 1, 0.1
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	assert.InDelta(t, byte8(albedo*30/(1.2*64)), middle(t, l, 5, shot.Options{})[0], 2)

	l.Environment.Sky.Luminance = 0
	assert.Zero(t, middle(t, l, 5, shot.Options{})[0])
	lamp := level.Default[level.Light]()
	lamp.ID, lamp.Kind, lamp.Strength, lamp.RadiusM, lamp.Transform.Position = "lamp", level.Point, 10, 0.3, level.Vec{0, 0, 8}
	l.Lights = []*level.Light{&lamp}
	seen := middle(t, l, 5, shot.Options{})[0] // behind the camera
	assert.Greater(t, seen, uint8(60), "of up to 35 nits, as the lobe widens the lamp")
	m.Metalness, m.Roughness = 0, 1
	assert.Less(t, middle(t, l, 5, shot.Options{})[0], uint8(30), "matt")
	m.Metalness, m.Roughness = 1, 0.1
	post := level.Default[level.Solid]()
	post.ID, post.Size, post.Transform.Position = "post", level.Vec{1, 1, 0.1}, level.Vec{0, 0, 7}
	l.Solids = append(l.Solids, &post)
	assert.Less(t, middle(t, l, 5, shot.Options{})[0], seen/2, "the lamp is hidden")
}
