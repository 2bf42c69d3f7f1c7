package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/compare"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/demo"
	"grotta/e2e/harness"
)

// The live view and a shot are one picture: over the first viewpoint of the first demo level, with
// their air and look. The long tests take every viewpoint of all places, and the first place at other hours.
func TestViewAgreesWithShot(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	long := os.Getenv("GROTTA_SOAK") != ""
	for _, from := range demo.Levels {
		if !long && from != "demo" {
			continue
		}
		t.Run(from, func(t *testing.T) {
			l, err := maren.CreateLevel(ctx, api.NewLevel{From: from})
			require.NoError(t, err)
			p := viewOf(t, g, maren, l.ID)
			for i, v := range demo.Start(from).Viewpoints {
				if i > 0 && !long {
					break
				}
				p.agrees(maren, l.ID, v.ID, "")
			}
			p.do(chromedp.Evaluate(`document.querySelector("section[aria-label=View]").style.cssText = ""`, nil))
			p.click("Take a shot") // from where the camera stands
			p.hear("Shot saved.")
		})
	}
}

// And so are all parts of air and look that no demo level has: every shape of
// glow, on the screen and in the world; a shaft; motes in a cone; fog that is lit
// everywhere; a zone's own fog and look, half blended; focus, shafts over the
// picture, headroom, sharpening; a display that cuts light; what moves, under
// probes, and what sways; a painted board. The numbers of pictures are half-floats here, as with a graphics card.
func TestViewAgreesBeyondTheDemo(t *testing.T) {
	t.Parallel()
	kinds := []string{"inside"}
	if os.Getenv("GROTTA_SOAK") != "" {
		kinds = append(kinds, "outside")
	}
	for _, kind := range kinds {
		t.Run(kind, func(t *testing.T) {
			maren, l, g := room(t)
			apply(t, maren, l.ID, everything(t, kind))
			p := viewOf(t, g, maren, l.ID, likeACard)
			all := p.agrees(maren, l.ID, kind, "")
			if kind == "inside" {
				p.choose("Display", "pocket")
				cut := p.agrees(maren, l.ID, kind, "pocket")
				assert.Greater(t, difference(all, cut), 2.0, "the display cuts the lamp's light")
				apply(t, maren, l.ID, level.Set("floor-board", map[string]any{"roughness": 1.0}))
				p.choose("Display", "")
				assert.Greater(t, difference(all, p.agrees(maren, l.ID, kind, "")), 1.0, "a matt floor mirrors nothing")
			}
		})
	}
}

// Water is one picture too: what is beneath it, its waves, what it mirrors and what it scatters.
func TestViewAgreesOnWater(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	for i, pool := range demo.Pools() {
		if i%2 == 0 && os.Getenv("GROTTA_SOAK") == "" {
			continue // those with waves, by day and by night
		}
		t.Run(pool.Label, func(t *testing.T) {
			l, err := harness.Import(ctx, maren, pool.Level)
			require.NoError(t, err)
			viewOf(t, g, maren, l.ID).agrees(maren, l.ID, "edge", "")
		})
	}
}

// And so are puddles on wet ground.
func TestViewAgreesOnPuddles(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	wet := demo.Weathers()[2].Level
	wet.Motes = nil // rain falls elsewhere in each picture
	l, err := harness.Import(ctx, maren, wet)
	require.NoError(t, err)
	p := viewOf(t, g, maren, l.ID)
	all := p.agrees(maren, l.ID, "between-trams", "")
	apply(t, maren, l.ID, level.Set("", map[string]any{"environment.wetness": 0.5}))
	_, err = harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	assert.Greater(t, difference(all, p.agrees(maren, l.ID, "between-trams", "")), 1.0, "without puddles it looks otherwise")
}

// likeACard has the driver call itself a graphics card.
const likeACard = `(() => {
	const own = WebGL2RenderingContext.prototype.getParameter, driver = 0x9246;
	WebGL2RenderingContext.prototype.getParameter = function (what) { return what === driver ? "a card" : own.call(this, what); };
})()`

// viewOf opens a level that is baked at draft, with its view on whole pixels: one
// that begins at half a pixel would be drawn blurred.
// scripts are run on every page before it.
func viewOf(t *testing.T, g *harness.Grotta, c *client.Client, id string, scripts ...string) *page {
	t.Helper()
	_, err := harness.BakeAndWait(ctx, c, id, "draft")
	require.NoError(t, err)
	p := openWithAir(t, g)
	for _, script := range scripts {
		p.onEveryPage(script)
	}
	p.do(chromedp.EmulateViewport(1280, 801, chromedp.EmulateScale(0.5)))
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+id), chromedp.WaitVisible("[data-strip]"), chromedp.WaitVisible("[data-testid=view][data-air][data-mirrors]"))
	p.click("Markers")
	p.eval(`document.querySelector("section[aria-label=View]").style.cssText = "position:fixed;left:0;top:0;width:768px;height:512px;z-index:9"; ""`)
	return p
}

// agrees holds the view of a viewpoint against a shot of it, and gives the view.
func (p *page) agrees(c *client.Client, id, viewpoint, display string) image.Image {
	p.t.Helper()
	t, name := p.t, fmt.Sprintf("%s, %s %s", p.t.Name(), viewpoint, display)
	now, err := c.Level(ctx, id)
	require.NoError(t, err)
	p.do(chromedp.WaitVisible(fmt.Sprintf("[data-testid=view][data-air=%q]", fmt.Sprint(now.Level.Revision))))
	p.goTo(viewpoint)
	live := p.view()
	data, light, err := c.Shot(ctx, id, api.NewShot{Variant: api.Variant{Display: display}, Viewpoint: viewpoint, Width: live.Bounds().Dx(), Height: live.Bounds().Dy()})
	require.NoError(t, err)
	require.Zero(t, light)
	shot, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	got, err := compare.Pictures(bare(live), bare(shot))
	require.NoError(t, err)
	t.Logf("%s: SSIM %.4f, mean difference %.2f, 95 %% under %.2f", name, got.SSIM, got.Mean, got.P95)
	keep(t, strings.NewReplacer("/", "-", ", ", "-", " ", "-").Replace(name), compare.Side(bare(live), bare(shot)))
	assert.GreaterOrEqual(t, got.SSIM, 0.95, name)
	assert.Less(t, got.Mean, 3.0, name)
	assert.Less(t, difference(bare(live), bare(shot)), 2.0, "%s: mean difference in steps of 255", name)
	assert.Greater(t, brightness(shot, 0, 0, 1, 1), 8.0, "%s shows something", name)
	return live
}

// everything is an operation that gives the room all of the air and the look.
func everything(t *testing.T, kind string) level.Operation {
	t.Helper()
	spark := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		x, y := i%64, i/64
		spark.SetNRGBA(x, y, color.NRGBA{uint8(4 * x), uint8(4 * y), uint8(255 * (x / 16 % 2)), 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, spark))
	painted := level.Default[level.Material]()
	painted.ID, painted.Color, painted.Image, painted.ImageM = "painted", "#d0d0d0", "spark", 0.8
	board := level.Default[level.Solid]()
	board.ID, board.Size, board.Surface.Material = "board", level.Vec{0.9, 0.6, 0.1}, "painted"
	board.Transform = level.Transform{Position: level.Vec{1.4, 1.2, -1.2}, Rotation: [4]float64{0, 0.2588190, 0, 0.9659258}}
	steps := []level.Operation{level.Add("images", &level.Image{ID: "spark", Data: b.Bytes()}), level.Add("materials", &painted), level.Add("solids", &board)}
	for i, shape := range []string{"soft", "ring", "star", "streak", "image"} {
		g := level.Default[level.Glow]()
		g.ID, g.Shape, g.SizeM, g.Luminance, g.Color = "glow-"+shape, shape, 0.7, 30, "#ffd0a0"
		g.Transform.Position = level.Vec{-1.6 + 0.9*float64(i), 1.9, -1}
		if shape == "image" {
			g.Image = "spark"
		}
		if shape == "star" {
			g.SizeMode, g.SizeShare, g.FadeStartM, g.FadeEndM = "screen", 0.3, 1, 9
		}
		steps = append(steps, level.Add("glows", &g))
	}
	beam := level.Default[level.Beam]()
	beam.ID, beam.Form, beam.WidthM, beam.HeightM, beam.LengthM, beam.Luminance, beam.Color = "shaft", "shaft", 0.6, 0.3, 3, 6, "#c0d8ff"
	beam.Transform = level.Transform{Position: level.Vec{-2.6, 1.6, -1.6}, Rotation: [4]float64{0, -0.7071068, 0, 0.7071068}}
	motes := level.Default[level.Motes]()
	motes.ID, motes.Form, motes.Size, motes.Luminance, motes.SizeMaxM = "motes", "cone", level.Vec{2, 2, 2}, 60, 0.02
	motes.Transform = level.Transform{Position: level.Vec{0, 2.6, -0.5}, Rotation: [4]float64{-0.7071068, 0, 0, 0.7071068}}
	snow := level.Default[level.Motes]()
	snow.ID, snow.Falls, snow.Size, snow.RateHz, snow.Luminance, snow.SizeMinM, snow.SizeMaxM = "snow", "snow", level.Vec{3, 2.6, 3}, 80, 40, 0.02, 0.04
	snow.Transform.Position = level.Vec{0.6, 1.4, -0.4}
	mist := level.Default[level.FogVolume]()
	mist.ID, mist.Size, mist.ColorFrom, mist.Density = "mist", level.Vec{3, 1, 3}, "lamp", 0.2
	mist.Transform.Position = level.Vec{0, 0.5, 0}
	steps = append(steps, level.Add("beams", &beam), level.Add("motes", &motes), level.Add("motes", &snow), level.Add("fog_volumes", &mist))

	moving := level.Default[level.Material]()
	moving.ID, moving.Color, moving.Lighting = "moving", "#b06040", "dynamic"
	mover := level.Default[level.Solid]()
	mover.ID, mover.Size, mover.Surface.Material, mover.Moves = "mover", level.Vec{0.5, 0.5, 0.5}, "moving", true
	mover.Transform.Position = level.Vec{-0.9, 1.1, -0.7}
	probes := level.Default[level.ProbeGrid]()
	probes.ID, probes.Size, probes.SpacingM = "probes", level.Vec{6, 3, 6}, 0.75
	probes.Transform.Position = level.Vec{0, 1.4, 0}
	reed := level.Default[level.Mesh]()
	reed.ID, reed.Sways = "reed", &level.Sway{ReachM: 0.6, PeriodS: 3}
	reed.Positions = []float64{0.5, 0, -1, 0.8, 0, -1, 0.8, 1.4, -1, 0.5, 1.4, -1}
	reed.Indices = []uint32{0, 1, 2, 0, 2, 3}
	steps = append(steps, level.Add("materials", &moving), level.Add("solids", &mover), level.Add("probes", &probes), level.Add("meshes", &reed))
	cloth := level.Default[level.Material]()
	cloth.ID, cloth.Color, cloth.TwoSided = "cloth", "#c0b090", true
	steps = append(steps, level.Add("materials", &cloth))
	for i, indices := range [][]uint32{{0, 1, 2, 0, 2, 3}, {0, 2, 1, 0, 3, 2}} { // one of them is seen from behind
		hung := level.Default[level.Mesh]()
		hung.ID, hung.Surface.Material, hung.Indices = fmt.Sprintf("hung-%d", i), "cloth", indices
		x := -2.2 + 0.7*float64(i)
		hung.Positions = []float64{x, 0.6, -1.4, x + 0.5, 0.6, -1.4, x + 0.5, 1.5, -1.4, x, 1.5, -1.4}
		steps = append(steps, level.Add("meshes", &hung))
	}

	look := level.Default[level.Look]()
	look.ExposureEV, look.Tone, look.Headroom, look.Sharpen = 4, "headroom", 3, 0.4
	look.Balance.Kelvin, look.Balance.Tint = 4600, 0.3
	look.Grade.Slope, look.Grade.Offset, look.Grade.Power, look.Grade.Saturation = level.Vec{1.1, 1, 0.9}, level.Vec{0.01, 0, 0.02}, level.Vec{1, 1.05, 1}, 1.2
	look.Bloom = level.Bloom{Enabled: true, Threshold: 0.8, Strength: 0.3, Radius: 0.05}
	look.Focus = level.Focus{Enabled: true, FocusM: 1.6, FStop: 0.9}
	look.Shafts = level.ScreenShafts{Enabled: true, Strength: 0.5, Length: 0.7}
	look.Occlusion = level.Occlusion{Enabled: true, Strength: 0.8, RadiusM: 0.5}
	fog := level.Default[level.Fog]()
	fog.Lit, fog.Phase = "everywhere", 0.3
	fog.Haze.Enabled, fog.Haze.StartM, fog.Haze.Density, fog.Haze.Luminance, fog.Haze.SkyShare = true, 0, 0.05, 3, 0.1
	fog.Height.Enabled, fog.Height.BaseM, fog.Height.FalloffM, fog.Height.Density, fog.Height.ColorFrom = true, 0.4, 0.5, 0.1, level.FromSky
	own, ownFog := look, fog
	own.ExposureEV, own.Balance.Kelvin, ownFog.Haze.Luminance = 5, 3400, 8
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux, sun.FogShare, sun.AngularDeg = 180, 12, 60, 1, 1.5
	// The sky in the door is as bright as the room, or the edge of the door is all
	// that a comparison finds.
	set := level.Set("", map[string]any{
		"look": look, "fog": fog, "environment.sun": sun, "environment.sky.luminance": 12.0,
		"environment.stars.count": 200, "environment.wind.speed_mps": 6.0, "environment.stars.lux": 1e-3,
	})
	zone := level.Set("room", map[string]any{"fog": ownFog, "look": own, "blend_m": 2.0})
	polished := level.Set("floor-board", map[string]any{"roughness": 0.15, "metalness": 1.0})
	lamp := level.Set("lamp", map[string]any{"fog_share": 0.1, "strength": 900.0})
	at, toward := level.Vec{-0.6, 1.65, 1.5}, geom.Vec3{0.5, -0.25, -2}
	if kind == "outside" {
		at, toward = level.Vec{0, 1.5, -0.6}, geom.Vec3{0, 0.12, 1}
	}
	view := level.Default[level.Viewpoint]()
	q := geom.LookRotation(toward)
	view.ID, view.FovDeg = kind, 60
	view.Transform = level.Transform{Position: at, Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
	return level.Batch("Everything", append(steps, set, zone, lamp, polished, level.Add("viewpoints", &view))...)
}

// bare is the part of a view that nothing of the console lies over, at half size.
func bare(m image.Image) *image.NRGBA {
	b := m.Bounds()
	b.Min.Y += 16
	b.Max.Y -= 16
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(out, out.Bounds(), m, b.Min, draw.Src)
	return out
}

// keep saves a picture to look at, where GROTTA_PICTURES names a folder.
func keep(t *testing.T, name string, picture image.Image) {
	t.Helper()
	dir := os.Getenv("GROTTA_PICTURES")
	if dir == "" {
		return
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, picture))
	require.NoError(t, os.WriteFile(filepath.Join(dir, name+".png"), b.Bytes(), 0o600))
}
