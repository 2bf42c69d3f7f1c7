package e2e

import (
	"image"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// Air and look by hand: fog is switched on and seen, turned off and on in the
// view, given to a zone; a glow is added and shaped; the look is graded; and the
// shot is compared with how it was.
func TestAirAndLookInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := openWithAir(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"), chromedp.WaitVisible("[data-testid=view][data-air]"))
	doc := func() *level.Level {
		d, err := maren.Level(ctx, l.ID)
		require.NoError(t, err)
		return d.Document
	}
	before := p.view()

	p.tab("air")
	p.see("A dark thing vanishes")
	p.do(chromedp.Click(`//h3[text()="Haze"]/following::input[@type="checkbox"][1]`, chromedp.BySearch))
	p.see("revision 2")
	p.typed("Start", "0")
	p.see("revision 3")
	p.typed("Density", "0.4")
	p.see("revision 4")
	p.typed("Luminance", "12")
	p.see("revision 5")
	p.typed("Most", "1")
	p.see("revision 6")
	p.do(chromedp.WaitVisible(`[data-testid=view][data-air="6"]`))
	foggy := p.view()
	assert.Greater(t, difference(before, foggy), 5.0, "fog is seen")
	assert.True(t, doc().Fog.Haze.Enabled)
	p.see("at 7.") // ln 20 over 0.4 a metre, for something large
	p.press("Air")
	assert.Less(t, difference(before, p.view()), 1.0, "the view without its air")
	p.press("Air")

	// The room gets a fog of its own.
	p.choose("Whose fog", "room")
	p.click("Make own")
	p.see("revision 7")
	require.NotNil(t, doc().Zones[0].Fog)
	p.choose("Whose fog", "")

	p.click("Glow")
	p.see("revision 8")
	p.choose("Shape", "star")
	p.see("revision 9")
	assert.Equal(t, "star", doc().Glows[0].Shape)
	p.do(chromedp.KeyEvent("\x1b"))

	p.tab("look")
	p.typed("Saturation", "0")
	p.see("revision 10")
	p.do(chromedp.WaitVisible(`[data-testid=view][data-air="10"]`))
	assert.Less(t, colourfulness(p.view()), 2.0, "a picture without saturation is grey")
	p.press("Look")
	assert.Greater(t, colourfulness(p.view()), 2.0)
	whole := p.eval(`(async () => {
		const view = document.querySelector("[data-testid=view]");
		while (view.dataset.whole !== "") await new Promise(requestAnimationFrame);
		[...document.querySelectorAll("button[aria-pressed]")].find((b) => b.textContent === "Look").click();
		await null; // the page has taken it, and no frame has come
		return String(view.dataset.whole);
	})()`)
	assert.Equal(t, "undefined", whole, "until it is drawn with the look again, the picture is not called whole")

	p.click("Shots")
	p.typed("Revision to compare with", "1")
	p.do(chromedp.Click(`section[aria-label="Panels"] ul button`, chromedp.NodeVisible))
	p.do(chromedp.WaitVisible(`[data-testid=difference]`), chromedp.WaitVisible(`img[alt="Before"]`))
	p.click("Leave the comparison")
	p.do(chromedp.WaitNotPresent(`section[aria-label="Comparison"]`))
}

// Pictures of viewpoints are lit from the first: what has no light yet gets a draft.
func TestShotsAreNeverBlackInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-testid=view]"))
	p.click("Shots")
	const brightness = `(() => {
		const shot = document.querySelector('img[alt^="Shot: "]');
		if (!shot || !shot.complete || !shot.naturalWidth) return -1;
		const c = document.createElement("canvas").getContext("2d");
		c.drawImage(shot, 0, 0, 40, 25);
		return c.getImageData(0, 0, 40, 25).data.reduce((sum, v, i) => sum + (i % 4 < 3 ? v : 0), 0) / 3000;
	})()`
	p.do(chromedp.Poll(brightness+" > 10", nil))
	m, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Zero(t, m.Stale, "the draft is kept")
}

// tab opens a sheet of the level's values.
func (p *page) tab(name string) {
	p.t.Helper()
	p.do(chromedp.Click(`//*[@aria-label="Values of the level"]//button[text()="`+name+`"]`, chromedp.BySearch))
}

// press pushes a switch of the view.
func (p *page) press(name string) {
	p.t.Helper()
	p.do(chromedp.Click(`//button[@aria-pressed and text()="`+name+`"]`, chromedp.BySearch))
}

// typed puts a value into the first field of a name.
func (p *page) typed(label, value string) {
	p.t.Helper()
	p.do(chromedp.SendKeys(`input[aria-label="`+label+`"]`, value+"\r"))
}

// colourfulness is how far apart a picture's channels are, on average.
func colourfulness(m image.Image) float64 {
	b := bare(m)
	sum := 0
	for i := 0; i < len(b.Pix); i += 4 {
		low, high := min(b.Pix[i], b.Pix[i+1], b.Pix[i+2]), max(b.Pix[i], b.Pix[i+1], b.Pix[i+2])
		sum += int(high - low)
	}
	return float64(sum) / float64(len(b.Pix)/4)
}

// The outline of what is selected is drawn over the picture, and not in its place. Fog makes the picture so slow
// here that it is drawn piece by piece. The picture before stays until another one is ready, also where the view
// gets another size or has been turned.
func TestASelectionLeavesThePictureInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	fog := level.Default[level.FogVolume]()
	fog.ID, fog.Size, fog.Density, fog.Luminance = "fog", level.Vec{20, 10, 20}, 0.05, 5
	apply(t, maren, l.ID, level.Add("fog_volumes", &fog))
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := openWithAir(t, g)
	p.do(chromedp.EmulateViewport(1280, 801)) // all pixels: few are drawn at once
	p.onBench("maren", l.ID)
	bare := brightness(p.view(), 0.1, 0.2, 0.9, 0.9)
	require.Greater(t, bare, 20.0)
	p.clickAt(640, 430)
	p.do(chromedp.WaitVisible(`//h3[normalize-space()="Surface"]|//section//button[contains(., "Surface")]`, chromedp.BySearch), chromedp.Sleep(time.Second))
	p.view()
	p.do(chromedp.Sleep(2 * time.Second)) // what the page shows now stays
	assert.InDelta(t, bare, brightness(p.view(), 0.1, 0.2, 0.9, 0.9), bare/4)
	stays := func(what string) {
		t.Helper()
		for n := range 8 {
			assert.Greater(t, brightness(p.viewNow(), 0.1, 0.2, 0.9, 0.9), bare/3, "%s, picture %d", what, n)
			p.do(chromedp.Sleep(250 * time.Millisecond))
		}
	}
	p.do(chromedp.EmulateViewport(1240, 780))
	stays("another size")
	p.do(chromedp.MouseEvent(input.MousePressed, 640, 430, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseMoved, 660, 430, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.MouseReleased, 660, 430, chromedp.ButtonLeft))
	stays("turned")
}

// A glow shows where it would be placed, and while its luminance is dragged, before anything is saved.
func TestGlowsShowBeforeTheyAreSavedInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := openWithAir(t, g)
	p.onBench("maren", l.ID)
	p.key("m") // markers are no light
	middle := func() float64 { return brightness(p.view(), 0.35, 0.35, 0.65, 0.75) }
	before, revision := middle(), current(t, maren, l.ID)
	p.key("G", input.ModifierShift)
	for x := 600.0; x <= 640; x += 20 {
		p.do(chromedp.MouseEvent(input.MouseMoved, x, 330))
	}
	p.do(chromedp.WaitVisible(`[data-testid=view][data-tried]`))
	p.eval(`document.querySelector("[data-testid=view] canvas").addEventListener("pointerleave", (e) => e.stopImmediatePropagation(), true), ""`)
	assert.Greater(t, middle(), before+0.5, "it glows under the pointer")
	assert.Equal(t, revision, current(t, maren, l.ID), "nothing is saved")
	p.clickAt(640, 330)
	p.do(chromedp.KeyEvent(kb.Escape))
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Glows) == 1 })
	p.do(chromedp.WaitNotPresent(`[data-testid=view][data-tried]`))
	assert.Greater(t, middle(), before+0.5, "it stays")
}

// While a fader is dragged so is its light in the fog, with the service asked once
// for that share; and what sways moves as time goes on.
func TestDraggedLightAndSwayInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	fog := level.Default[level.FogVolume]()
	fog.ID, fog.Size, fog.Density, fog.Luminance = "fog", level.Vec{20, 10, 20}, 0.2, 0
	reed := level.Default[level.Mesh]()
	reed.ID, reed.Name = "reed", "Reed"
	reed.Positions = []float64{-0.4, 0, 0, 0.4, 0, 0, 0.4, 2, 0, -0.4, 2, 0}
	reed.Indices = []uint32{0, 1, 2, 0, 2, 3}
	apply(t, maren, l.ID, level.Operation{Op: level.OpBatch, Steps: []level.Operation{
		level.Set("", map[string]any{"environment.wind.speed_mps": 10.0}),
		level.Set("lamp", map[string]any{"fog_share": 4.0}),
		level.Add("fog_volumes", &fog),
		level.Add("meshes", &reed),
	}})
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := openWithAir(t, g)
	p.signIn("maren")
	p.do(network.Enable(), chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"), chromedp.WaitVisible("[data-testid=view][data-air]"))
	all := func() float64 { return brightness(p.view(), 0, 0, 1, 1) }
	foggy := all()
	p.press("Air")
	bare := all()
	p.press("Air")
	require.Greater(t, foggy, bare+5, "the lamp shows in the fog")

	p.sent = nil
	p.slide("lamp", 0)
	p.do(chromedp.Poll(`performance.getEntriesByType("resource").some((r) => r.name.includes("/fog?source=lamp"))`, nil))
	dragged := all()
	assert.Less(t, dragged, foggy-5)
	p.letGo("lamp")
	p.see("revision 3")
	p.do(chromedp.WaitVisible(`[data-testid=view][data-air="3"]`))
	assert.InDelta(t, all(), dragged, 0.5, "it looks when saved as it did when dragged")
	p.click("Undo")
	p.see("revision 4")
	assert.InDelta(t, foggy, all(), 1)
	asked := 0
	for _, s := range p.sent {
		if strings.Contains(s, "/fog?source=") {
			asked++
		}
	}
	assert.Equal(t, 1, asked)

	p.do(chromedp.KeyEvent("\x1b"))
	p.tab("air")
	p.choose("Let a mesh sway", "reed")
	p.see("revision 5")
	p.typed("Reach", "3")
	p.see("revision 6")
	d, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, &level.Sway{ReachM: 3, PeriodS: 2.5}, d.Document.Meshes[0].Sways)
	p.do(chromedp.WaitVisible(`[data-testid=view][data-air="6"]`))
	p.click("Unlit")
	rest := p.view()
	p.press("Play")
	time.Sleep(1200 * time.Millisecond) // about half a swing
	p.press("Play")
	assert.Greater(t, difference(rest, p.view()), 0.3, "the reed has moved")
	p.click("Keep Reed still")
	p.see("revision 7")
}
