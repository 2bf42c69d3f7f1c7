package e2e

import (
	"fmt"
	"math"
	"slices"
	"strings"
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

// Light from outside by hand: a sky that shows, a sun that is put where one clicks,
// a light of another kind with its own fields.
func TestSkyAndSunInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	_, err = harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	p.click("Markers")
	doc := func() *level.Level {
		d, err := maren.Level(ctx, l.ID)
		require.NoError(t, err)
		return d.Document
	}

	// A brighter sky is seen at once, from its own map.
	above := func() float64 { return brightness(p.view(), 0.4, 0.1, 0.9, 0.3) }
	dusk := above()
	p.do(chromedp.SendKeys(`input[aria-label="Luminance"]`, "60\r"))
	p.see("revision 2")
	assert.Greater(t, above(), dusk+30)
	p.choose("Kind", "overcast")
	p.see("revision 3")
	assert.Equal(t, level.SkyOvercast, doc().Environment.Sky.Kind)

	// A sun, put where the sky is clicked.
	p.do(chromedp.Click(`//h3[normalize-space()="Sun"]/following-sibling::button`, chromedp.BySearch))
	p.see("revision 4")
	require.NotNil(t, doc().Environment.Sun)
	p.click("Stand there…")
	p.see("Click where in the sky")
	p.do(chromedp.MouseClickXY(700, 130))
	p.see("revision 5")
	stood := doc().Environment.Sun.Toward()
	assert.Greater(t, stood[1], 0.1, "above the horizon")
	p.do(chromedp.WaitVisible(`[data-strip="sun"]`))

	// Dragged through the sky, and taken back by Esc.
	p.stage("Mood")
	x, y := p.middle(`document.querySelector('button[aria-label="Sun"]')`)
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.MouseEvent(input.MousePressed, x, y, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseMoved, x-80, y+30, chromedp.ButtonLeft))
	p.do(chromedp.Poll(fmt.Sprintf(`document.querySelector('button[aria-label="Sun"]').getBoundingClientRect().x < %f`, x-60), nil))
	p.key(kb.Escape)
	p.do(chromedp.MouseEvent(input.MouseMoved, x-120, y+30, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseReleased, x-120, y+30, chromedp.ButtonLeft))
	p.do(chromedp.Poll(fmt.Sprintf(`Math.abs(document.querySelector('button[aria-label="Sun"]').getBoundingClientRect().x + 16 - %f) < 2`, x), nil))
	p.see("revision 5")
	assert.Equal(t, stood, doc().Environment.Sun.Toward())
	p.stage("Level")

	// From where one stands onto the pier.
	p.click("Strike that…")
	p.do(chromedp.MouseClickXY(640, 480))
	p.see("revision 6")
	struck := doc().Environment.Sun.Toward()
	assert.NotEqual(t, stood, struck)

	// A rect light has a width and a height, and its strength in nits.
	p.do(chromedp.KeyEvent("R", chromedp.KeyModifiers(input.ModifierShift)))
	p.see("Click where the rect light goes")
	p.do(chromedp.MouseClickXY(640, 480), chromedp.KeyEvent("\x1b"))
	p.see("revision 7")
	p.do(chromedp.WaitVisible(`input[aria-label="Width"]`))
	p.do(chromedp.SendKeys(`input[aria-label="Width"]`, "2.5\r"))
	p.see("revision 8")
	added := doc().Lights[len(doc().Lights)-1]
	assert.Equal(t, level.Rect, added.Kind)
	assert.Equal(t, 2.5, added.WidthM)

	// A moon is put into the sky as the sun was, and dragged there.
	p.key(kb.Escape)
	p.stage("Mood")
	p.click("Moon there…")
	p.see("Click where in the sky the moon should stand")
	p.do(chromedp.MouseClickXY(500, 120))
	p.see("revision 9")
	require.NotNil(t, doc().Environment.Moon)
	assert.Equal(t, 0.2, doc().Environment.Moon.Lux)
	stood = doc().Environment.Moon.Toward()
	assert.Greater(t, stood[1], 0.1, "above the horizon")
	x, y = p.middle(`document.querySelector('button[aria-label="Moon"]')`)
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.MouseEvent(input.MousePressed, x, y, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseMoved, x+90, y+10, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseReleased, x+90, y+10, chromedp.ButtonLeft))
	p.see("revision 10")
	assert.NotEqual(t, stood, doc().Environment.Moon.Toward())
}

// choose picks an entry of a list, once it is there.
func (p *page) choose(label, value string) {
	p.t.Helper()
	p.do(chromedp.Poll(fmt.Sprintf(`[...(document.querySelector('select[aria-label=%q]:enabled')?.options ?? [])].some((o) => o.value === %q)`, label, value), nil))
	p.eval(fmt.Sprintf(`(() => {
		const s = document.querySelector('select[aria-label=%q]');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, %q);
		s.dispatchEvent(new Event("change", { bubbles: true }));
		return "";
	})()`, label, value))
}

// Texels are seen, planned and applied, and undone.
func TestTexelsInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	p.click("Markers")
	lit := p.view()
	p.choose("More view modes", "texels")
	before := p.view()
	assert.Greater(t, difference(lit, before), 10.0, "a board of texels, not light")
	for mode, legend := range map[string]string{
		"leaks": "Where light may get in or out", "shadows": "more than the 4 that the platform takes", "reflections": "How sharp surfaces mirror", "ground": "% under",
	} {
		p.choose("More view modes", mode)
		p.see(legend)
		assert.Greater(t, difference(before, p.view()), 5.0, mode)
	}
	p.choose("More view modes", "texels")
	p.click("Plan density")
	p.see("one density")
	p.click("Apply to")
	p.see("revision 2")
	p.do(chromedp.Sleep(1500 * time.Millisecond))
	assert.Greater(t, difference(before, p.view()), 2.0, "the board changed")
	m, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	p.click("Undo")
	p.see("revision 3")
	back, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Greater(t, back.Texels, m.Texels)
}

// Water on the ground is typed in, seen, and taken back; the bakes of it stand on their page, where a bake that
// was cancelled is started again.
func TestWetnessAndBakesInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Set("room", map[string]any{"mode": "outdoor"}))
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	p.click("Markers")
	dry := p.view()
	p.do(chromedp.Click(`//aside//button[@role="tab" and normalize-space()="air"]`, chromedp.BySearch), chromedp.WaitVisible(`input[aria-label="Wetness"]`),
		chromedp.SendKeys(`input[aria-label="Wetness"]`, "1\r"))
	p.see("revision 3")
	until(t, func() bool { return brightness(p.view(), 0, 0, 1, 1) < brightness(dry, 0, 0, 1, 1)-2 }, "porous surfaces are darker, in the view too")
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, 1.0, doc.Document.Environment.Wetness)
	p.click("Mirrors")
	p.do(chromedp.WaitVisible("[data-testid=view][data-mirrors]"))

	b, err := maren.StartBake(ctx, l.ID, "final")
	require.NoError(t, err)
	_, err = maren.CancelBake(ctx, b.ID)
	require.NoError(t, err)
	p.do(chromedp.Navigate(g.URL+"/bakes"), chromedp.WaitVisible(`table[aria-label="Bakes so far"]`))
	p.see("This service bakes by itself")
	p.see("cancelled")
	p.do(chromedp.Click(`//tr[contains(., "cancelled") and contains(., "final")]//button[contains(., "Again")]`, chromedp.BySearch))
	until(t, func() bool {
		bakes, err := maren.OwnBakes(ctx, 5)
		return err == nil && bakes[0].ID != b.ID && bakes[0].Quality == "final"
	})
}

// While the light of a baked level is on its way to the page, the level shows unlit and says so. It is never black.
func TestNoLightYetIsNotBlackInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.onEveryPage(`const own = window.fetch; window.lightComes = new Promise((done) => (window.letLightCome = done));
		window.fetch = async (...of) => { if (String(of[0].url ?? of[0]).endsWith("/layers")) await window.lightComes; return own(...of); }`)
	p.onBench("maren", l.ID)
	p.see("Its light is on its way: shown unlit.")
	p.key("m") // markers are no light
	floor := func() float64 { return brightness(p.view(), 0.3, 0.6, 0.7, 0.95) }
	unlit := floor()
	assert.Greater(t, unlit, 20.0)
	p.eval(`(window.letLightCome(), "")`)
	until(t, func() bool { return math.Abs(floor()-unlit) > 3 }, "its light shows")
	p.do(chromedp.WaitNotPresent(`//*[contains(text(), "Its light is on its way")]`, chromedp.BySearch))
}

// The sun follows while its clock is scrubbed: its light is asked for before anything is saved, and all of it is one change.
func TestTheClockIsScrubbedInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Set("", map[string]any{"environment.sun.lux": 20000, "environment.sun.place.at": "2026-06-01T06:00:00Z", "environment.sun.place.latitude_deg": 50}))
	p := open(t, g)
	p.onBench("maren", l.ID)
	was := current(t, maren, l.ID)
	clock := `document.querySelector('input[aria-label="Time of day"]')`
	p.do(chromedp.ScrollIntoView(`input[aria-label="Time of day"]`))
	x, y := p.middle(clock)
	asked := len(p.sent)
	p.do(chromedp.MouseEvent(input.MouseMoved, x-20, y), chromedp.MouseEvent(input.MousePressed, x-20, y, chromedp.ButtonLeft))
	for i := range 6 {
		p.do(chromedp.MouseEvent(input.MouseMoved, x+float64(i)*6, y, chromedp.ButtonLeft))
	}
	until(t, func() bool {
		return slices.ContainsFunc(p.sent[asked:], func(s string) bool { return strings.HasSuffix(s, l.ID+"/preview") })
	}, "its light is asked for")
	assert.Equal(t, was, current(t, maren, l.ID), "nothing is saved while it is held")
	p.do(chromedp.MouseEvent(input.MouseReleased, x+30, y, chromedp.ButtonLeft))
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > was })
	assert.Equal(t, was+1, doc.Level.Revision, "one change")
	assert.NotEqual(t, "2026-06-01T06:00:00Z", doc.Document.Environment.Sun.Place.At)
	assert.Equal(t, "2026-06-01", doc.Document.Environment.Sun.Place.At[:10])
}
