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
)

// Height fog in a picture, by its closed integral: even below its base.
func TestHeightFogInAPicture(t *testing.T) {
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	l := wall()
	h := &l.Fog.Height
	h.Enabled, h.BaseM, h.Density, h.Max, h.Color, h.Luminance = true, 1000, 0.1, 1, "#ffffff", 30
	through := math.Exp(-0.1 * 8)
	want := byte8((albedo*150/math.Pi*through + 30*(1-through)) / (1.2 * 64))
	assert.InDelta(t, want, middle(t, l, 8, shot.Options{})[0], 1)
	assert.InDelta(t, byte8(albedo*150/math.Pi/(1.2*64)), middle(t, l, 8, shot.Options{NoAir: true})[0], 1, "without air")
}

// The grid of rays that a picture takes through fog gives what each ray would.
func TestFogVolumeInAPicture(t *testing.T) {
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	l := wall()
	v := level.Default[level.FogVolume]()
	v.ID, v.Size, v.EdgeM, v.Density, v.Color, v.Luminance = "v", level.Vec{20, 20, 3}, 0, 0.3, "#ffffff", 20
	v.Transform.Position = level.Vec{0, 0, 3}
	l.FogVolumes = []*level.FogVolume{&v}
	through := math.Exp(-0.3 * 3)
	want := byte8((albedo*150/math.Pi*through + 20*(1-through)) / (1.2 * 64))
	assert.InDelta(t, want, middle(t, l, 8, shot.Options{})[0], 1)
}

// A platform that takes no more light than white shows a surface cut there.
func TestDisplayOfAPlatform(t *testing.T) {
	albedo := color.DecodeSRGB(float64(0xbc) / 255)
	l := wall()
	l.Environment.Ambient.Strength = 1000 // a white wall would be 4 times white
	l.Look.Tone = "clamp"
	assert.InDelta(t, byte8(albedo), middle(t, l, 5, shot.Options{LightMax: 1})[0], 1)
	assert.Equal(t, uint8(255), middle(t, l, 5, shot.Options{})[0])
}

func TestLookOffLeavesExposure(t *testing.T) {
	l := wall()
	l.Look.Grade.Slope = level.Vec{0.2, 1, 1}
	on, off := middle(t, l, 5, shot.Options{}), middle(t, l, 5, shot.Options{NoLook: true})
	assert.Less(t, on[0], off[0])
	assert.Equal(t, off[0], off[1])
}

func TestStarsAndMotesAreDrawn(t *testing.T) {
	l := level.New("night")
	l.Environment.Stars = level.Stars{Count: 400, Lux: 1e-3}
	l.Look.ExposureEV = 0
	m := level.Default[level.Motes]()
	m.ID, m.Size, m.SizeMinM, m.SizeMaxM, m.Luminance = "m", level.Vec{3, 3, 3}, 0.02, 0.04, 500
	m.Transform.Position = level.Vec{0, 0, -4}
	draw := func(up bool, seconds float64) (bright int) {
		p, err := bake.Prepare(l)
		require.NoError(t, err)
		dir := geom.Vec3{0, 0, -1}
		if up {
			dir = geom.Vec3{0, 1, -0.001}
		}
		cam := shot.Camera{Pose: geom.Pose{Rotation: geom.LookRotation(dir.Normalize())}, FovDeg: 70}
		picture, err := shot.Render(context.Background(), p, layer.NewImage(p.Layout.PageSize, p.Layout.Pages), cam, shot.Options{Width: 160, Height: 120, Samples: 1, Seconds: seconds}, nil)
		require.NoError(t, err)
		for i := 0; i < len(picture.Pix); i += 4 {
			if picture.Pix[i] > 60 {
				bright++
			}
		}
		return bright
	}
	assert.Greater(t, draw(true, 0), 20, "stars overhead")
	l.Environment.Stars.Count = 0
	assert.Zero(t, draw(false, 0))
	l.Motes = []*level.Motes{&m}
	assert.Greater(t, draw(false, 3), 20, "motes ahead")
	assert.Equal(t, draw(false, 3), draw(false, 3))
}

func TestPathGoesThroughItsKeys(t *testing.T) {
	l := level.New("path")
	p := level.Default[level.Path]()
	p.ID = "p"
	turned := geom.LookRotation(geom.Vec3{1, 0, 0})
	p.Keys = []level.Key{
		{AtS: 1, Position: level.Vec{0, 0, 0}, Rotation: [4]float64{0, 0, 0, 1}, FovDeg: 40},
		{AtS: 3, Position: level.Vec{4, 0, 0}, Rotation: [4]float64{turned.V[0], turned.V[1], turned.V[2], turned.W}, FovDeg: 60},
		{AtS: 4, Position: level.Vec{4, 2, 0}, Rotation: [4]float64{0, 0, 0, 1}, FovDeg: 60},
	}
	l.Paths = []*level.Path{&p}
	require.NoError(t, l.Validate())
	world := l.World()
	for _, k := range p.Keys {
		got := shot.Along(world, &p, k.AtS)
		assert.InDelta(t, 0, got.Pose.Position.Sub(geom.Vec3(k.Position)).Len(), 1e-9, "at %v s", k.AtS)
		assert.InDelta(t, k.FovDeg, got.FovDeg, 1e-9)
	}
	half := shot.Along(world, &p, 2)
	assert.InDelta(t, math.Sqrt2/2, half.Pose.Forward()[0], 1e-6, "half turned")
	assert.InDelta(t, 50, half.FovDeg, 1e-9)
	assert.Equal(t, shot.Along(world, &p, 1), shot.Along(world, &p, 0), "still before it begins")
	assert.Equal(t, shot.Along(world, &p, 4), shot.Along(world, &p, 99), "and after it ends")
}
