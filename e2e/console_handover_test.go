package e2e

import (
	"math"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/color"
)

// The lights are read as text of another editor, and text of it is taken back, in the browser.
func TestHandOverInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.click("Hand over")
	p.click("Text for an editor")
	p.do(chromedp.WaitReady(`select[aria-label="Editor"] option[value="open-realtime"]`), chromedp.SetValue(`select[aria-label="Editor"]`, "open-realtime"))
	var text string
	p.do(chromedp.WaitVisible(`//pre[contains(., '"ref": "lamp"')]`, chromedp.BySearch), chromedp.Text(`pre[aria-label="Text for the editor"]`, &text))
	want, err := maren.HandOver(ctx, l.ID, api.NewHandOver{To: "open-realtime"})
	require.NoError(t, err)
	assert.Equal(t, strings.TrimSpace(want.Text), strings.TrimSpace(text))
	p.do(chromedp.SetValue(`select[aria-label="Editor"]`, "baked-arena"))
	p.click("Take text back")
	p.do(chromedp.SendKeys(`textarea[aria-label="Text of the editor"]`, "[lamp]\nlabel = Hut lamp\nat = 1, 2, 3\nlumens = lots\n"))
	p.see("a number is needed")
	p.do(chromedp.Evaluate(`document.querySelector("textarea").select(); ""`, nil),
		chromedp.SendKeys(`textarea[aria-label="Text of the editor"]`, "[lamp]\nlabel = Hut lamp\nat = 1, 2, 3\nlumens = 1256.637\n"))
	p.do(chromedp.WaitVisible(`//aside[@aria-label="What it would change"]//li[text()="Hut lamp"]`, chromedp.BySearch))
	assert.Equal(t, 1, current(t, maren, l.ID), "nothing is taken before it is asked for")
	p.do(chromedp.WaitEnabled(`//button[normalize-space()="Take it in"]`, chromedp.BySearch))
	p.click("Take it in")
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("hut-lamp") != nil })
	assert.InDelta(t, 100, doc.Document.Light("hut-lamp").Strength, 1e-3)
	p.see("1 added, 0 changed")
}

// A lamp's values are shown and typed in the terms of the level's platform: feet, lumens, colours to 255.
func TestTermsOfThePlatformInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.pick("Lamp")
	p.clickOn(`//button[contains(., "In the terms of baked-arena")]`)
	const words = `textarea[aria-label="In the terms of Baked arena"]`
	p.do(chromedp.WaitVisible(words))
	assert.Contains(t, p.eval(`document.querySelector('`+words+`').value`), "[lamp]\nkey = lamp\n")
	p.eval(`(() => { const t = document.querySelector('` + words + `'); Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set.call(t, t.value.replace(/lumens = .*/, "lumens = 1000").replace(/at = .*/, "at = 1, 2, 3")); t.dispatchEvent(new Event("input", { bubbles: true })); return "" })()`)
	p.do(chromedp.WaitEnabled(`//section//button[normalize-space()="Take it in"]`, chromedp.BySearch))
	p.clickOn(`//section//button[normalize-space()="Take it in"]`)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == 2 })
	lamp := doc.Document.Light("lamp")
	_, brighter := color.Kelvin(lamp.Kelvin).Swatch() // the text's colour has no channel over 1, and its lumens what that takes
	assert.InDelta(t, 1000/(4*math.Pi)/brighter, lamp.Strength, 1e-2)
	assert.InDeltaSlice(t, []float64{0.3048, 0.9144, -0.6096}, lamp.Transform.Position[:], 1e-6) // feet; z is up, y north
	p.click("Undo")
	eventually(t, maren, l.ID, func(d api.Document) bool {
		return d.Level.Revision == 3 && d.Document.Light("lamp").Strength != lamp.Strength
	})
}
