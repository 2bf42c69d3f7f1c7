package e2e

import (
	"fmt"
	"strconv"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

// stage goes to a stage of the job.
func (p *page) stage(name string) {
	p.t.Helper()
	p.do(chromedp.Click(fmt.Sprintf(`//nav[@aria-label="Stages"]//button[normalize-space()=%q]`, name), chromedp.BySearch))
}

// A mood is seen on one's own level before it is taken, and taken in parts.
func TestMoodsAreTriedAndTakenInPartsInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	mill, err := maren.CreateLevel(ctx, api.NewLevel{From: "mill"})
	require.NoError(t, err)
	apply(t, maren, mill.ID, level.Set("", map[string]any{"look.exposure_ev": -3, "fog.haze.density": 0.2}))
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "bright-mist", Level: mill.ID})
	require.NoError(t, err)
	before := eventually(t, maren, l.ID, func(api.Document) bool { return true })

	p := open(t, g)
	p.onBench("maren", l.ID)
	dark := p.view()
	p.stage("Mood")
	x, y := p.middle(`[...document.querySelectorAll("#left-panel button")].find((b) => b.innerText.includes("bright-mist"))`)
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.WaitVisible(`[data-testid=trying] img`))
	tried, err := strconv.ParseFloat(p.eval(`(() => {
		const c = document.createElement("canvas").getContext("2d");
		c.drawImage(document.querySelector("[data-testid=trying] img"), 0, 0, 16, 16);
		const d = c.getImageData(4, 4, 8, 8).data;
		return String(d.reduce((sum, v, i) => sum + (i % 4 < 3 ? v : 0), 0) / 64 / 3);
	})()`), 64)
	require.NoError(t, err)
	assert.Greater(t, tried, brightness(dark, 0.25, 0.25, 0.75, 0.75)+20, "the picture over the view shows the level with it")
	p.do(chromedp.MouseEvent(input.MouseMoved, 700, 300), chromedp.WaitNotPresent(`[data-testid=trying]`))
	assert.Equal(t, before.Level.Revision, current(t, maren, l.ID), "trying changes nothing")

	p.clickAt(x, y)
	p.do(chromedp.WaitVisible(`//label[normalize-space()="look"]`, chromedp.BySearch))
	assert.Equal(t, "true", p.eval(`(() => {
		const take = [...document.querySelectorAll("button")].find((b) => b.textContent.trim() === "Take it");
		const r = take.getBoundingClientRect();
		return String(take.contains(document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2)));
	})()`), "Take is in sight without scrolling")
	p.do(chromedp.Click(`//label[normalize-space()="look"]`, chromedp.BySearch))
	p.do(chromedp.Click(`//button[starts-with(normalize-space(), "Take ") and contains(., "fog")]`, chromedp.BySearch))
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > before.Level.Revision })
	assert.Equal(t, 0.2, doc.Document.Fog.Haze.Density)
	assert.Equal(t, before.Document.Look, doc.Document.Look, "the look was left out")
	p.click("Undo")
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Fog.Haze.Density == before.Document.Fog.Haze.Density })
}

// The history says what has changed since, and brings back one thing of it, or all.
func TestHistoryGoesBackInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	was := eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp")
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"strength": 7}))
	apply(t, maren, l.ID, level.Set("", map[string]any{"look.exposure_ev": 3}))
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.click("History")
	p.do(chromedp.Click(`ol[aria-label="Revisions"] li:last-child button`), chromedp.WaitVisible(`section[aria-label="Revision 1"]`))
	p.see("strength: 60 → 7")
	p.click("Restore Lamp")
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == 4 })
	assert.Equal(t, was.Strength, doc.Document.Light("lamp").Strength)
	assert.Equal(t, 3.0, doc.Document.Look.ExposureEV, "the other change stays")
	p.see("Restore Lamp from revision 1")
	p.click("Restore all")
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == 5 })
	assert.NotEqual(t, 3.0, doc.Document.Look.ExposureEV)
	p.see("The level is as it was then.")
}

// A mix is kept and brought back; the mixer finds strips by words.
func TestMixesInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.do(chromedp.SendKeys(`input[aria-label="Name of a new mix"]`, "Evening\r"))
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Mixes) == 1 })
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"strength": 5, "enabled": false}))
	p.do(chromedp.WaitEnabled(`//section[@aria-label="Mixes"]//button[starts-with(normalize-space(), "Evening")]`, chromedp.BySearch))
	p.click("Evening")
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").Enabled })
	assert.Equal(t, 60.0, doc.Document.Light("lamp").Strength)
	p.do(chromedp.SendKeys(`input[aria-label="Search the strips"]`, "amb"), chromedp.WaitNotPresent(`[data-strip="lamp"]`), chromedp.WaitVisible(`[data-strip="ambient:level"]`))
}

// The player's eye keeps its height over the floor, and stays in a closed room.
func TestWalkingStaysInTheRoomInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	leaf := level.Default[level.Solid]() // the doorway is shut
	leaf.ID, leaf.Size = "leaf", level.Vec{1.2, 2.2, 0.1}
	leaf.Transform.Position = level.Vec{0, 1.05, 2.1}
	apply(t, maren, l.ID, level.Add("solids", &leaf))
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.do(chromedp.Focus("[data-testid=view] canvas"), chromedp.KeyEvent("z"))
	p.see("Walking")
	hold := func(key string, d time.Duration) {
		p.do(chromedp.Evaluate(fmt.Sprintf(`document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: %q, bubbles: true })); ""`, key), nil), chromedp.Sleep(d),
			chromedp.Evaluate(fmt.Sprintf(`document.activeElement.dispatchEvent(new KeyboardEvent("keyup", { key: %q, bubbles: true })); ""`, key), nil))
	}
	hold("w", 4*time.Second)
	hold("d", 3*time.Second)
	p.do(chromedp.KeyEvent("n")) // a viewpoint from here says where that is
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == 3 })
	here := doc.Document.Viewpoints[len(doc.Document.Viewpoints)-1].Transform.Position
	assert.InDelta(t, 1.65, here[1], 0.02, "the eye over the floor")
	for _, i := range []int{0, 2} {
		assert.Less(t, here[i], 3.0, "within the walls")
		assert.Greater(t, here[i], -3.0, "within the walls")
	}
	dark := brightness(p.view(), 0.4, 0.4, 0.6, 0.6)
	p.do(chromedp.Evaluate(`document.querySelector("[data-testid=view] canvas").focus()`, nil), chromedp.KeyEvent("Z", chromedp.KeyModifiers(input.ModifierShift)))
	p.do(chromedp.WaitVisible(`input[aria-label="Strength of the lamp in the hand, candela"]`), chromedp.Sleep(2*time.Second)) // a frame begins
	assert.Greater(t, brightness(p.view(), 0.4, 0.4, 0.6, 0.6), dark+10, "the lamp in the hand lights what is ahead")
}

// The page of levels finds, names, copies and deletes, with a way back.
func TestLevelsPageInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := maren.CreateLevel(ctx, api.NewLevel{From: "empty", Name: "Pump house"})
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.WaitVisible(`ul[aria-label="Levels"] img`)) // the list has come to rest
	menu := func(name, item string) {
		p.clickAt(p.middle(fmt.Sprintf(`document.querySelector('button[aria-label="More of %s"]')`, name)))
		p.clickAt(p.middle(fmt.Sprintf(`[...document.querySelectorAll('[role=menuitem]')].find((m) => m.innerText.trim() === %q)`, item)))
	}
	names := func() map[string]api.LevelInfo {
		levels, err := maren.Levels(ctx)
		require.NoError(t, err)
		out := map[string]api.LevelInfo{}
		for _, l := range levels {
			out[l.Name] = l
		}
		return out
	}
	// The level is there or gone, in the service and then on the page.
	has := func(name string, want bool) {
		t.Helper()
		until(t, func() bool { _, is := names()[name]; return is == want }, name)
		card := fmt.Sprintf(`button[aria-label="More of %s"]`, name)
		if want {
			p.do(chromedp.WaitVisible(card))
		} else {
			p.do(chromedp.WaitNotPresent(card))
		}
	}
	menu("Pump house", "Rename")
	p.do(chromedp.Sleep(300*time.Millisecond), chromedp.KeyEvent("Old pump house\r"))
	has("Old pump house", true)
	p.do(chromedp.WaitNotPresent(`input[aria-label="Name of the level"]`))
	menu("Old pump house", "Copy")
	has("Old pump house, copy", true)
	menu("Old pump house, copy", "Delete")
	has("Old pump house, copy", false)
	p.click("Undo")
	has("Old pump house, copy", true)
	p.do(chromedp.SendKeys(`input[type=search]`, "copy"), chromedp.WaitNotPresent(`//button[@aria-label="More of Old pump house"]`, chromedp.BySearch))
	menu("Old pump house, copy", "Delete")
	has("Old pump house, copy", false)
	p.click("1 deleted")
	p.click("Have it back")
	has("Old pump house, copy", true)
	_, err = maren.Level(ctx, l.ID)
	assert.NoError(t, err)
}
