package e2e

import (
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
