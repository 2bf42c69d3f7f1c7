package e2e

import (
	"fmt"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// While the light of a changed block is on its way, things keep the light that they had: a dark room does not
// flash up unlit.
func TestLightStandsInWhileAChangeIsBakedInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Batch("dim it", level.Set("lamp", map[string]any{"strength": 2.0}), level.Set("room", map[string]any{"ambient.strength": 0.05}),
		level.Set("", map[string]any{"lightmap.density": 24.0}))) // fine, so that its bake takes a while
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	middle := func() float64 { return brightness(p.viewNow(), 0.1, 0.2, 0.9, 0.9) }
	p.view()
	dark := middle()
	require.Less(t, dark, 40.0)
	p.eval(`(() => {
		const view = document.querySelector("[data-testid=view]");
		window.lights = [];
		new MutationObserver(() => lights.push(view.dataset.light)).observe(view, { attributes: true, attributeFilter: ["data-light"] });
		return "";
	})()`)
	apply(t, maren, l.ID, level.Set("crate", map[string]any{"size": []any{1.2, 0.8, 0.8}}))
	brightest, until := 0.0, time.Now().Add(time.Minute)
	for time.Now().Before(until) && p.eval(`lights.join()`) != "before,own" {
		brightest = max(brightest, middle())
		time.Sleep(50 * time.Millisecond)
	}
	assert.Equal(t, "before,own", p.eval(`lights.join()`))
	assert.Less(t, brightest, dark+12, "it was %.0f", dark)
	p.do(chromedp.Sleep(2 * time.Second))
	p.view()
	assert.InDelta(t, dark, middle(), 8, "and then it has its own light")
}

// A block is seen where it is dragged before it is let go and saved, and is gone as soon as it is deleted.
func TestBlocksFollowTheHandInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Batch("a red crate", level.Add("materials", map[string]any{"id": "red", "color": "#d04020"}), level.Set("crate", map[string]any{"surface.material": "red"})))
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.key("1") // unlit: quick to draw
	p.stage("Surfaces")
	p.pick("crate")
	x, y := p.middle(`document.querySelector('[data-handle="move-y"] .reach')`)
	cx, cy := p.middle(`document.querySelector('[data-handle="move"] .reach')`)
	// reds is how much of a small square about a place of the page has the crate's red.
	reds := func(x, y float64) float64 {
		var left, top, width float64
		_, err := fmt.Sscan(p.eval(`(() => { const b = document.querySelector("[data-testid=view]").getBoundingClientRect(); return b.x + " " + b.y + " " + b.width; })()`), &left, &top, &width)
		require.NoError(t, err)
		img := p.viewNow()
		scale, n := float64(img.Bounds().Dx())/width, 0
		const side = 31
		for i := range side {
			for j := range side {
				r, g, _, _ := img.At(int((x-left+float64(i)-side/2)*scale), int((y-top+float64(j)-side/2)*scale)).RGBA()
				if r > 2*g {
					n++
				}
			}
		}
		return float64(n) / side / side
	}
	p.view()
	all := reds(cx, cy) // but for what handles cover
	require.Greater(t, all, 0.15)
	isThere, isGone := func(y float64) bool { return reds(cx, y) > 0.6*all }, func(y float64) bool { return reds(cx, y) < 0.2*all }
	before := current(t, maren, l.ID)

	const up = 120
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.MouseEvent(input.MousePressed, x, y, chromedp.ButtonLeft))
	for i := range 6 {
		p.do(chromedp.MouseEvent(input.MouseMoved, x, y-up*float64(i+1)/6, chromedp.ButtonLeft))
	}
	until(t, func() bool { return isGone(cy) && isThere(cy-up) }, "it is where the hand is")
	assert.Equal(t, before, current(t, maren, l.ID), "and is not saved yet")
	p.do(chromedp.MouseEvent(input.MouseReleased, x, y-up, chromedp.ButtonLeft))
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == before+1 })
	p.view()
	assert.True(t, isThere(cy-up))

	p.key(kb.Delete)
	until(t, func() bool { return isGone(cy - up) })
	p.key("z", input.ModifierCtrl)
	until(t, func() bool { return isThere(cy - up) })
}
