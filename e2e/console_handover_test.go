package e2e

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
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
