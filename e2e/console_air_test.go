package e2e

import (
	"image"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/e2e/harness"
)

// Air and look by hand: fog is switched on and seen, turned off and on in the
// view, given to a zone; a glow is added and shaped; the look is graded; and the
// shot is compared with how it was.
func TestAirAndLookInTheBrowser(t *testing.T) {
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
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
	p.press("Look")

	p.click("Shots")
	p.typed("Revision to compare with", "1")
	p.do(chromedp.Click(`section[aria-label="Panels"] ul button`, chromedp.NodeVisible))
	p.do(chromedp.WaitVisible(`[data-testid=difference]`), chromedp.WaitVisible(`img[alt="Before"]`))
	p.click("Leave the comparison")
	p.do(chromedp.WaitNotPresent(`section[aria-label="Comparison"]`))
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
