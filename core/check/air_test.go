package check_test

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/air"
	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

// found are the findings of one rule.
func found(t *testing.T, l *level.Level, rule string) []check.Finding {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	profile, err := platform.Named("open-realtime")
	require.NoError(t, err)
	var out []check.Finding
	for _, f := range check.Run(p, profile).Findings {
		if f.Rule == rule {
			out = append(out, f)
		}
	}
	return out
}

// settles applies a finding's fix and finds nothing any more.
func settles(t *testing.T, l *level.Level, f check.Finding) *level.Level {
	t.Helper()
	require.NotNil(t, f.Fix)
	next, _, err := l.Apply(*f.Fix)
	require.NoError(t, err)
	assert.Empty(t, found(t, next, f.Rule), "the fix settles it")
	return next
}

// A glow is found by how deep it sits, not by whether; its fix takes the shortest
// way out of a crate that is turned.
func TestGlowsInsideThings(t *testing.T) {
	l := demo.Room()
	crate := l.Solids[len(l.Solids)-1] // of 0.8 m, at 1.4, 0.4, -0.9
	require.Equal(t, "crate", crate.ID)
	crate.Transform.Rotation = [4]float64{0, 0.3826834, 0, 0.9238795}
	g := level.Default[level.Glow]()
	g.ID, g.Color, g.ToleranceM, g.Transform.Position = "g", "#ffffff", 0.25, level.Vec{1.4, 0.6, -0.9}
	l.Glows = []*level.Glow{&g}
	assert.Empty(t, found(t, l, "links.glow-buried"), "0.2 m under its top")
	g.ToleranceM = 0.15
	got := found(t, l, "links.glow-buried")
	require.Len(t, got, 1)
	assert.InDelta(t, 0.2, got[0].Count, 1e-9)
	assert.Equal(t, []string{"g", "crate"}, got[0].Entities)
	moved := settles(t, l, got[0])
	assert.InDelta(t, 0.82, moved.Glows[0].Transform.Position[1], 1e-9, "up through the top")
	crate.Surface.Visible = false
	assert.Empty(t, found(t, l, "links.glow-buried"), "what is not seen hides nothing")
}

func TestFogThatHidesEverything(t *testing.T) {
	l := demo.Room()
	l.Fog.Haze.Enabled, l.Fog.Haze.StartM, l.Fog.Haze.Density, l.Fog.Haze.Max = true, 0, 0.5, 1
	got := found(t, l, "look.fog-hides-all")
	require.Len(t, got, 1)
	assert.InDelta(t, 5.99, got[0].Count, 0.01, "ln 20 over the density")
	l.Fog.Haze.Density = 0.3
	assert.Empty(t, found(t, l, "look.fog-hides-all"))
	own := l.Fog
	own.Haze.Density = 2
	l.Zones[0].Fog = &own
	got = found(t, l, "look.fog-hides-all")
	require.Len(t, got, 1)
	assert.Equal(t, "room", got[0].Zone)
	// Fog as it is when it is first switched on hides no player across a room.
	fresh := demo.Room()
	fresh.Fog.Haze.Enabled, fresh.Fog.Height.Enabled = true, true
	assert.Empty(t, found(t, fresh, "look.fog-hides-all"))
}

// A sky with a painted sun, at an azimuth and altitude, in degrees.
func painted(t *testing.T, azimuth, altitude float64) []byte {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, 256, 128))
	for y := range 128 {
		for x := range 256 {
			m.SetNRGBA(x, y, color.NRGBA{40, 60, 90, 255})
		}
	}
	cx, cy := int((azimuth/360+0.5)*256)%256, int((90-altitude)/180*128)
	for y := cy - 2; y <= cy+2; y++ {
		for x := cx - 2; x <= cx+2; x++ {
			m.SetNRGBA(x, y, color.NRGBA{255, 250, 240, 255})
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.Bytes()
}

func TestPaintedSunIsComparedWithTheSun(t *testing.T) {
	l := demo.Room()
	l.Images = []*level.Image{{ID: "sky", Data: painted(t, 100, 40)}}
	e := &l.Environment
	e.Sky.Kind, e.Sky.Image, e.Sky.Luminance = level.SkyImage, "sky", 100
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.NorthDeg = 102, 40, 0
	e.Sun = &sun
	assert.Empty(t, found(t, l, "links.painted-sun"), "near enough")
	sun.AzimuthDeg, sun.NorthDeg = 130, 20
	got := found(t, l, "links.painted-sun")
	require.Len(t, got, 1)
	assert.InDelta(t, 38, got[0].Count, 2, "50 degrees of azimuth at an altitude of 40")
	next := settles(t, l, got[0])
	assert.InDelta(t, 80, next.Environment.Sun.AzimuthDeg, 2, "north turns it by 20")
	assert.InDelta(t, 40, next.Environment.Sun.AltitudeDeg, 2)

	l.Images = []*level.Image{{ID: "sky", Data: func() []byte {
		m := image.NewNRGBA(image.Rect(0, 0, 8, 4))
		for i := range m.Pix {
			m.Pix[i] = 200
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, m))
		return b.Bytes()
	}()}}
	assert.Empty(t, found(t, l, "links.painted-sun"), "an even sky shows none")
}

func TestAirThatAViewLeavesOut(t *testing.T) {
	l := demo.Room()
	for i := range air.MaxBeams + 1 {
		b := level.Default[level.Beam]()
		b.ID = fmt.Sprintf("beam-%d", i)
		l.Beams = append(l.Beams, &b)
	}
	got := found(t, l, "limits.air")
	require.Len(t, got, 1)
	assert.Equal(t, []string{"beam-16"}, got[0].Entities)
	l.Beams = l.Beams[1:]
	assert.Empty(t, found(t, l, "limits.air"))
}

// A light that lights fog alone is no light of the target's.
func TestFogLightsCountForNothing(t *testing.T) {
	l := demo.Room()
	box := level.NewLight("shaft", level.BoxLight)
	l.Lights = append(l.Lights, box)
	require.NotEmpty(t, found(t, l, "support.light-kind"))
	box.Surfaces = false
	assert.Empty(t, found(t, l, "support.light-kind"))
}
