package e2e

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/compare"
	"grotta/demo"
	"grotta/e2e/harness"
)

// The live view and a shot are one picture: over all viewpoints of all demo
// levels, with their air and look.
func TestViewAgreesWithShot(t *testing.T) {
	g := start(t)
	maren, err := g.As("maren")
	require.NoError(t, err)
	for _, from := range demo.Levels {
		p := open(t, g)
		p.do(chromedp.EmulateViewport(1280, 801, chromedp.EmulateScale(0.5)))
		p.signIn("maren")
		l, err := maren.CreateLevel(ctx, api.NewLevel{From: from})
		require.NoError(t, err)
		_, err = harness.BakeAndWait(ctx, maren, l.ID, "draft")
		require.NoError(t, err)
		p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"), chromedp.WaitVisible("[data-testid=view][data-air]"))
		p.click("Markers")
		// On whole pixels: a view that begins at half of one would be drawn blurred.
		p.eval(`document.querySelector("section[aria-label=View]").style.cssText = "position:fixed;left:0;top:0;width:768px;height:512px;z-index:9"; ""`)
		for _, v := range demo.Start(from).Viewpoints {
			p.goTo(v.ID)
			live := p.view()
			data, stale, err := maren.Shot(ctx, l.ID, api.NewShot{Viewpoint: v.ID, Width: live.Bounds().Dx(), Height: live.Bounds().Dy()})
			require.NoError(t, err)
			require.Zero(t, stale)
			shot, err := png.Decode(bytes.NewReader(data))
			require.NoError(t, err)
			got, err := compare.Pictures(bare(live), bare(shot))
			require.NoError(t, err)
			t.Logf("%s, %s: SSIM %.4f, mean difference %.2f, 95 %% under %.2f", from, v.ID, got.SSIM, got.Mean, got.P95)
			assert.GreaterOrEqual(t, got.SSIM, 0.95, "%s, %s", from, v.ID)
			assert.Less(t, got.Mean, 3.0, "%s, %s", from, v.ID)
			assert.Less(t, difference(bare(live), bare(shot)), 2.0, "%s, %s: mean difference in steps of 255", from, v.ID)
			assert.Greater(t, brightness(shot, 0, 0, 1, 1), 8.0, "%s, %s shows something", from, v.ID)
			keep(t, fmt.Sprintf("%s-%s", from, v.ID), compare.Side(bare(live), bare(shot)))
		}
		p.do(chromedp.Evaluate(`document.querySelector("section[aria-label=View]").style.cssText = ""`, nil))
		p.click("Take a shot") // from where the camera stands
		p.see("Shot saved.")
	}
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
