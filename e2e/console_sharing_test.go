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
)

// Presets, people and together, with mouse and keys.

// clickOn clicks what an XPath finds.
func (p *page) clickOn(xpath string) {
	p.t.Helper()
	p.do(chromedp.Click(xpath, chromedp.BySearch, chromedp.NodeVisible))
}

// The library: found, compared, shared, forked, renamed, deleted.
func TestLibraryInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "dusk", Level: l.ID, Tags: []string{"coast"}})
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL + "/presets"))
	p.see("58 presets")
	p.do(chromedp.SendKeys(`input[aria-label="Words"]`, "candl"))
	p.see("2 presets")
	p.do(chromedp.WaitVisible(`img[alt="candle on the stage"]`))
	p.do(chromedp.SendKeys(`input[aria-label="Words"]`, "zzz"))
	p.see("No preset has all of that.")
	p.click("coast") // a tag to try
	p.clickOn(`//ul[@aria-label="Presets"]//button[contains(., "dusk")]`)
	p.see("not taken yet")
	p.click("Share…")
	p.clickOn(`//*[@role="dialog"]//label[contains(., "everybody")]/input`)
	ivo := as(t, g, "ivo")
	until(t, func() bool { return sees(ivo, "dusk") })
	p.click("Done")
	p.click("Link…")
	p.click("Make the link")
	p.do(chromedp.WaitVisible(`[data-testid=link]`))
	p.click("Done")
	p.click("Rename…")
	p.do(chromedp.SendKeys(`input[aria-label="Name"]`, "late-dusk\r"))
	p.hear("It is called late-dusk now.")
	p.click("Use in a level…")
	p.do(chromedp.WaitVisible(`img[alt*="with late-dusk"]`))
	before := current(t, maren, l.ID)
	p.click("Take it")
	p.do(chromedp.WaitVisible("[data-strip]"))
	assert.Equal(t, before+1, current(t, maren, l.ID))
	p.do(chromedp.Navigate(g.URL + "/presets"))
	p.clickOn(`//ul[@aria-label="Presets"]//button[contains(., "late-dusk")]`)
	p.click("Delete…")
	p.see("Used by Saltmarsh Light.")
	p.click("Delete it")
	p.hear("Deleted late-dusk.")
	assert.False(t, sees(maren, "late-dusk"))
	_, err = maren.Origins(ctx, l.ID)
	require.NoError(t, err)
}

// A rig is placed by clicking surfaces, again and again until Esc.
func TestRigsArePlacedAgainAndAgain(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.stage("Lights")
	p.do(chromedp.SendKeys(`input[aria-label="Search the rigs"]`, "candle"))
	p.clickOn(`//ul[@aria-label="Rigs"]//button[contains(., "candle") and not(contains(., "ring"))]`)
	for i, spot := range [][2]float64{{450, 520}, {560, 500}, {640, 540}} {
		p.see("Click where candle goes. Esc leaves.")
		p.clickAt(spot[0], spot[1])
		eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Rigs) == i+1 })
	}
	p.key(kb.Escape)
	p.clickAt(500, 450)
	p.do(chromedp.Sleep(300 * time.Millisecond))
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Len(t, doc.Document.Rigs, 3)
}

// One lantern is the original of four: what is typed for one is given to the others, and a copy follows, too.
func TestLinkedRigsInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.do(chromedp.SendKeys(`input[aria-label="Find"]`, "lantern 3"))
	p.clickOn(`//aside[@aria-label="Outliner"]//button[@title="Lantern 3"]`)
	p.click("Link with 3 rigs made alike…")
	p.do(chromedp.SendKeys(`[role=dialog] input[aria-label="Name"]`, "pier-lamp\r"))
	p.hear("4 rigs follow pier-lamp.")
	p.see("from maren/pier-lamp, version 1")
	p.typed("Strength", "80")
	p.click("Give this to the other 3")
	p.hear("3 others brought to maren/pier-lamp, version 2.")
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	for _, id := range []string{"lantern-1-light", "lantern-2-light", "lantern-3-light", "lantern-4-light"} {
		assert.Equal(t, 80.0, doc.Document.Light(id).Strength, id)
	}
}

// Two people on one level: one says something about a spot, the other hears of it, answers and
// settles it; a newer version of a preset is taken, and the clash is chosen.
func TestTwoPeopleInTwoBrowsers(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "commenter"))
	ivo := as(t, g, "ivo")
	look, err := ivo.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	save := func(ev, saturation float64) {
		_, err := ivo.Apply(ctx, look.ID, level.Set("", map[string]any{"look.exposure_ev": ev, "look.grade.saturation": saturation}), 0)
		require.NoError(t, err)
		_, err = ivo.SavePreset(ctx, api.NewPreset{Name: "calm", Level: look.ID, Kind: "look"})
		require.NoError(t, err)
	}
	save(5, 0.8)
	require.NoError(t, ivo.SharePreset(ctx, "calm", api.Share{With: []string{"maren"}}))
	_, err = maren.ApplyPreset(ctx, l.ID, api.ApplyPreset{Owner: "ivo", Name: "calm"})
	require.NoError(t, err)
	_, err = maren.Apply(ctx, l.ID, level.Set("", map[string]any{"look.exposure_ev": 4.5}), 0)
	require.NoError(t, err)
	save(6, 0.5)

	his := open(t, g)
	his.onBench("ivo", l.ID)
	his.do(chromedp.KeyEvent("1"), chromedp.KeyEvent("f")) // unlit and without air: quick to draw
	his.see("you are commenter")
	his.do(chromedp.Evaluate(`document.activeElement?.blur()`, nil))
	his.key("Y", input.ModifierShift)
	his.see("Click what you want to say something about.")
	x, y := his.middle(`document.querySelector("[data-testid=view]")`)
	his.clickAt(x, y+40)
	his.do(chromedp.SendKeys(`textarea[aria-label="Comment"]`, "Too dark here, @maren"), chromedp.KeyEvent("\r", chromedp.KeyModifiers(input.ModifierCtrl)))
	his.do(chromedp.WaitVisible(`[data-testid=comment-pins] button`))
	comments, err := maren.Comments(ctx, l.ID)
	require.NoError(t, err)
	require.Len(t, comments, 1)
	assert.NotNil(t, comments[0].At)
	assert.NotNil(t, comments[0].Camera)
	assert.NotEmpty(t, comments[0].Entity)

	her := open(t, g)
	her.onBench("maren", l.ID)
	her.do(chromedp.KeyEvent("1"), chromedp.KeyEvent("f"))
	her.clickOn(`//button[contains(@aria-label, "new notice")]`)
	her.do(chromedp.WaitVisible(`//button[contains(., "calls you: Too dark here, @maren")]`, chromedp.BySearch))
	her.do(chromedp.KeyEvent("\x1b"))
	her.clickOn(`//*[@data-testid="comment-pins"]//button`)
	her.do(chromedp.SendKeys(`textarea[aria-label="Answer"]`, "A lamp is coming"), chromedp.KeyEvent("\r", chromedp.KeyModifiers(input.ModifierCtrl)))
	his.see("A lamp is coming") // without a reload
	her.click("Settle")
	his.see("settled by maren")

	// The newer version: hers holds for the exposure, the saturation comes.
	her.clickOn(`//nav//button[normalize-space()="Look"]`)
	her.click("A newer version is there")
	her.see("Changed on both sides: choose")
	her.do(chromedp.WaitVisible(`input[aria-label="Level look exposure ev: this level"]:checked`))
	her.clickOn(`//*[@role="dialog"]//button[normalize-space()="Take it"]`)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Look.Grade.Saturation == 0.5 })
	assert.Equal(t, 4.5, doc.Document.Look.ExposureEV)

	// A review: asked on one side, given on the other.
	her.clickOn(`//button[@role="tab" and starts-with(normalize-space(), "Comments")]`)
	her.do(chromedp.SendKeys(`input[aria-label="Reviewer"]`, "ivo"))
	her.clickOn(`//section[@aria-label="Reviews"]//button[normalize-space()="Ask"]`)
	his.do(chromedp.WaitVisible(`//button[normalize-space()="Approve"]`, chromedp.BySearch))
	his.clickOn(`//button[normalize-space()="Approve"]`)
	her.do(chromedp.WaitVisible(`//section[@aria-label="Reviews"]//b[normalize-space()="approved"]`, chromedp.BySearch))
}

// A variant is made, changed, and merged with a choice.
func TestVariantsInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.do(chromedp.KeyEvent("1"), chromedp.KeyEvent("f"))
	p.click("New variant…")
	p.do(chromedp.SendKeys(`input[aria-label="Name of the variant"]`, "dim"))
	p.clickOn(`//*[@role="dialog"]//input[@type="checkbox"]`) // it does not follow by itself
	p.click("Make it")
	p.hear("Made the variant dim.")
	variants, err := maren.Variants(ctx, l.ID)
	require.NoError(t, err)
	require.Len(t, variants, 1)
	assert.False(t, variants[0].Follows)
	id := variants[0].Level.ID
	apply(t, maren, id, level.Set("lamp", map[string]any{"strength": 10.0}))
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"strength": 90.0, "kelvin": 4000.0}))
	p.do(chromedp.Navigate(fmt.Sprintf("%s/levels/%s", g.URL, id)), chromedp.WaitVisible("[data-strip]"))
	p.see("1 revision behind it")
	p.click("Take its changes")
	p.see("Changed on both sides: choose")
	p.clickOn(`//input[@aria-label="Lamp strength: the original"]`)
	p.clickOn(`//*[@role="dialog"]//button[normalize-space()="Merge"]`)
	doc := eventually(t, maren, id, func(d api.Document) bool { return d.Document.Light("lamp").Strength == 90 })
	assert.Equal(t, 4000.0, doc.Document.Light("lamp").Kelvin)
}

// An invitation and a link are followed in the browser; a team is made on the account page.
func TestJoinAndOpenInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	join, err := maren.NewShareLink(ctx, api.NewShareLink{Kind: "join"})
	require.NoError(t, err)
	link, err := maren.NewShareLink(ctx, api.NewShareLink{Kind: "level", Level: l.ID})
	require.NoError(t, err)
	p := open(t, g)
	p.do(chromedp.Navigate(g.URL+join.Path), chromedp.SendKeys("input[name=name]", "nora"), chromedp.SendKeys("input[type=password]", "a-long-password"))
	p.click("Join")
	p.do(chromedp.WaitVisible(`//h1[text()="Levels"]`, chromedp.BySearch))
	p.do(chromedp.Navigate(g.URL+link.Path), chromedp.WaitVisible("[data-strip]"))
	p.see("you are viewer")
	p.do(chromedp.Navigate(g.URL + "/account"))
	p.click("New team…")
	p.do(chromedp.SendKeys(`input[aria-label="Name"]`, "light\r"))
	p.do(chromedp.WaitVisible(`select[aria-label="Role of nora in light"]`))
	p.choose("Add somebody to light", "maren")
	p.do(chromedp.WaitVisible(`select[aria-label="Role of maren in light"]`))
	teams, err := maren.Teams(ctx)
	require.NoError(t, err)
	require.Len(t, teams, 1)
	assert.Equal(t, "editor", teams[0].Role)
}
