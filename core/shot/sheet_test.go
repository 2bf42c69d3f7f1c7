package shot_test

import (
	"context"
	"image"
	"image/color"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	linear "grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/shot"
	"grotta/core/source"
)

func TestSheetLaysPicturesInRows(t *testing.T) {
	var cells []shot.Cell
	for i := range 5 {
		img := image.NewNRGBA(image.Rect(0, 0, 20, 10))
		for k := range img.Pix {
			img.Pix[k] = uint8(50 * (i + 1))
		}
		cells = append(cells, shot.Cell{Picture: img, Label: "x"})
	}
	s := shot.Sheet(cells, 2)
	assert.Equal(t, image.Pt(2*26+6, 3*34+6), s.Bounds().Size())
	for i := range 5 {
		at := s.NRGBAAt(6+i%2*26+10, 6+i/2*34+5)
		assert.Equal(t, uint8(50*(i+1)), at.R, "picture %d", i)
	}
	assert.Equal(t, color.NRGBA{0x1e, 0x1e, 0x1e, 255}, s.NRGBAAt(0, 0), "neutral grey between them")
	labelled := false
	for x := range 20 {
		labelled = labelled || s.NRGBAAt(6+x, 6+10+8).R > 0x80
	}
	assert.True(t, labelled)
	assert.Equal(t, 1, shot.Sheet(nil, 3).Bounds().Dx())
	assert.Equal(t, 26+6, shot.Sheet(cells[:1], 9).Bounds().Dx())
}

func litWall(t *testing.T, lux float64) (*bake.Prepared, *layer.Image, shot.Camera) {
	t.Helper()
	l := wall()
	l.Environment.Ambient.Strength = lux
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err)
	cam := shot.Camera{Pose: geom.Pose{Position: geom.Vec3{0, 0, 5}, Rotation: geom.Identity().Rotation}, FovDeg: 40}
	return p, layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers), cam
}

// A metered wall comes to middle grey, whatever falls on it: four times the light
// is two stops.
func TestMeter(t *testing.T) {
	p, m, cam := litWall(t, 100)
	ev := shot.Meter(p, m, cam, shot.Options{})
	albedo := linear.DecodeSRGB(float64(0xbc) / 255)
	assert.InDelta(t, 0.18, albedo*100/math.Pi/grade.White(ev), 0.002)
	q, n, cam := litWall(t, 400)
	assert.InDelta(t, ev+2, shot.Meter(q, n, cam, shot.Options{}), 0.01)
	img, err := shot.Render(context.Background(), p, m, cam, shot.Options{Width: 8, Height: 8, Samples: 1, ExposureEV: &ev}, nil)
	require.NoError(t, err)
	assert.InDelta(t, byte8(0.18), img.NRGBAAt(4, 4).R, 2)
}

// A wall that fills a corner of the picture, before nothing, is metered as one that fills it.
func TestMeterLeavesOutEmptyBackground(t *testing.T) {
	p, m, cam := litWall(t, 100)
	want := shot.Meter(p, m, cam, shot.Options{})
	cam.Pose.Position = cam.Pose.Position.Add(geom.Vec3{0, 0, 60})
	assert.InDelta(t, want, shot.Meter(p, m, cam, shot.Options{}), 0.05)
	cam.Pose.Rotation = geom.LookRotation(geom.Vec3{0, 0, 1})
	assert.Equal(t, p.Scene.Level.Look.ExposureEV, shot.Meter(p, m, cam, shot.Options{}), "there is nothing to measure")
}

// A surface that takes no lightmap because it moves is lit by what it is told, or
// at the very point.
func TestMovingSurfaces(t *testing.T) {
	l := wall()
	l.Environment.Ambient.Strength = 0
	l.Materials[0].Lighting = "dynamic"
	lamp := level.NewLight("lamp", level.Directional)
	lamp.Strength = 120
	l.Lights = []*level.Light{lamp}
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	m := layer.NewImage(p.Layout.PageSize, p.Layout.Pages)
	eye := shot.NewEye(p, m)
	albedo := linear.DecodeSRGB(float64(0xbc) / 255)
	got := eye.Radiance(geom.Vec3{0, 0, 5}, geom.Vec3{0, 0, -1})
	assert.InEpsilon(t, albedo*120/math.Pi, got[1], 1e-3, "computed at the point")
	eye.Moving = func(_, n geom.Vec3) linear.Linear {
		assert.InDelta(t, 1, n[2], 1e-9)
		return linear.White.Scale(30)
	}
	got = eye.Radiance(geom.Vec3{0, 0, 5}, geom.Vec3{0, 0, -1})
	assert.InEpsilon(t, albedo*30/math.Pi, got[1], 1e-6)
}

// Every kind of sky is seen where there is no surface.
func TestSkiesAreSeen(t *testing.T) {
	l := level.New("Air")
	l.Environment.Sky.Kind, l.Environment.Sky.Color, l.Environment.Sky.Luminance = level.SkyOvercast, "#ffffff", 90
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	eye := shot.NewEye(p, layer.NewImage(p.Layout.PageSize, p.Layout.Pages))
	assert.InDelta(t, 90, eye.Radiance(geom.Vec3{}, geom.Vec3{0, 1, 0})[0], 1e-9)
	assert.InDelta(t, 30, eye.Radiance(geom.Vec3{}, geom.Vec3{1, 0, 0})[0], 1e-9)
}
