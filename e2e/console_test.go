package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"math"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/network"
	browserpage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/client"
	"grotta/e2e/harness"
)

// page is a browser on the console.
type page struct {
	t    *testing.T
	ctx  context.Context
	url  string
	sent []string // "METHOD path" of every request
}

// patience is how long a page may take for anything; less than a test has, so that the page can be shown after it.
const patience = 75 * time.Second

// until waits for something as long as for a page.
func until(t *testing.T, is func() bool, why ...any) {
	t.Helper()
	for end := time.Now().Add(patience); !is(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) {
			require.Fail(t, "it did not come about", why...)
		}
	}
}

// open opens the console without the air in the view, which the processor draws here.
func open(t *testing.T, g *harness.Grotta) *page {
	t.Helper()
	p := openWithAir(t, g)
	p.onEveryPage(`try { if (!localStorage.getItem("grotta-bench")) localStorage.setItem("grotta-bench", '{"state":{"airOn":false,"mirrorsOn":false},"version":0}') } catch {}`)
	return p
}

// onEveryPage runs a script before those of each page that is opened from now on.
func (p *page) onEveryPage(script string) {
	p.t.Helper()
	p.do(chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := browserpage.AddScriptToEvaluateOnNewDocument(script).Do(ctx)
		return err
	}))
}

func openWithAir(t *testing.T, g *harness.Grotta) *page {
	t.Helper()
	limit, cancel := context.WithTimeout(ctx, 5*time.Minute)
	browser, stop, err := harness.Browser(limit, 1280, 800)
	require.NoError(t, err)
	t.Cleanup(func() { stop(); cancel() })
	p := &page{t: t, ctx: browser, url: g.URL}
	chromedp.ListenTarget(browser, func(event any) {
		switch e := event.(type) {
		case *runtime.EventExceptionThrown:
			t.Errorf("the console threw: %s %v", e.ExceptionDetails.Text, e.ExceptionDetails.Exception)
		case *runtime.EventConsoleAPICalled:
			for _, a := range e.Args {
				if e.Type == runtime.APITypeError {
					t.Errorf("the console complained: %s", a.Value)
				}
			}
		case *network.EventRequestWillBeSent:
			p.sent = append(p.sent, e.Request.Method+" "+strings.TrimPrefix(e.Request.URL, g.URL))
		}
	})
	p.do(chromedp.EmulateViewport(1280, 801, chromedp.EmulateScale(0.25))) // few pixels: the processor draws them here
	p.onEveryPage(listen)
	return p
}

func (p *page) do(actions ...chromedp.Action) {
	p.t.Helper()
	limited, done := context.WithTimeout(p.ctx, patience)
	defer done()
	for _, a := range actions {
		err := chromedp.Run(limited, a)
		for err != nil && strings.Contains(err.Error(), "Could not find node") {
			err = chromedp.Run(limited, a) // the page put another in place of what was found, before anything was done to it
		}
		if err == nil {
			continue
		}
		var shot []byte
		if chromedp.Run(p.ctx, chromedp.CaptureScreenshot(&shot)) == nil {
			file := fmt.Sprintf("%s/grotta-%s.png", os.TempDir(), p.t.Name())
			_ = os.WriteFile(file, shot, 0o600)
			p.t.Logf("the page as it stood: %s", file)
		}
		require.NoError(p.t, err)
	}
}

// click finds a button, tab or link by its words or its label.
func (p *page) click(text string) {
	p.t.Helper()
	p.do(chromedp.Click(fmt.Sprintf(`//*[self::button or self::a][(normalize-space()=%q or @aria-label=%q or starts-with(normalize-space(), %q)) and not(@disabled)]`, text, text, text), chromedp.BySearch, chromedp.NodeVisible))
}

func (p *page) see(text string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(fmt.Sprintf(`//*[contains(normalize-space(), %q)]`, text), chromedp.BySearch))
}

// hear waits for a message that the page gives for a few seconds, which may be gone already. Each is heard once.
func (p *page) hear(text string) {
	p.t.Helper()
	p.do(chromedp.Poll(fmt.Sprintf(`(() => {
		const at = told.findIndex((m) => m.includes(%q));
		return told.splice(0, at + 1).length > 0;
	})()`, text), nil))
}

// listen keeps the messages that a page gives.
const listen = `window.told = [];
new MutationObserver((changes) => {
	for (const added of changes.flatMap((c) => [...c.addedNodes]))
		if (added.matches?.("[role=status], [role=alert]")) told.push(added.textContent);
}).observe(document, { childList: true, subtree: true });`

func (p *page) eval(script string) string {
	p.t.Helper()
	var out string
	p.do(chromedp.Evaluate(script, &out, func(e *runtime.EvaluateParams) *runtime.EvaluateParams { return e.WithAwaitPromise(true) }))
	return out
}

func (p *page) signIn(name string) {
	p.t.Helper()
	p.do(chromedp.Navigate(p.url), chromedp.WaitVisible("input[name=name]"), chromedp.SendKeys("input[name=name]", name), chromedp.SendKeys("input[name=password]", harness.Password))
	p.click("Sign in")
	p.do(chromedp.WaitVisible(`//h1[text()="Levels"]`, chromedp.BySearch))
}

// goTo flies to a viewpoint.
func (p *page) goTo(viewpoint string) {
	p.t.Helper()
	p.choose("Go to a viewpoint", viewpoint)
}

// view is the picture of the level, once it is drawn whole and has come to rest.
func (p *page) view() image.Image {
	p.t.Helper()
	p.do(chromedp.WaitVisible("[data-testid=view][data-frames]"))
	p.eval(`(async () => {
		const { dataset } = document.querySelector("[data-testid=view]");
		for (let frames = ""; dataset.whole !== "" || dataset.frames !== frames;) {
			frames = dataset.whole === "" ? dataset.frames : "";
			await new Promise((done) => setTimeout(done, 150));
		}
		return "";
	})()`)
	return p.viewNow()
}

// viewNow is what the view shows, whatever is drawn meanwhile.
func (p *page) viewNow() image.Image {
	p.t.Helper()
	var data []byte
	p.do(chromedp.Screenshot("[data-testid=view]", &data, chromedp.NodeVisible))
	img, err := png.Decode(bytes.NewReader(data))
	require.NoError(p.t, err)
	return img
}

// brightness is the mean of a part of a picture, given as shares of its sides.
func brightness(img image.Image, x0, y0, x1, y1 float64) float64 {
	b := img.Bounds()
	sum, n := 0.0, 0
	for y := int(y0 * float64(b.Dy())); y < int(y1*float64(b.Dy())); y++ {
		for x := int(x0 * float64(b.Dx())); x < int(x1*float64(b.Dx())); x++ {
			r, g, bl, _ := img.At(x, y).RGBA()
			sum += float64(r+g+bl) / 3 / 257
			n++
		}
	}
	return sum / float64(n)
}

// slide moves a strip's fader as a hand on the keyboard does, and lets it go.
func (p *page) slide(source string, to float64) {
	p.t.Helper()
	p.eval(fmt.Sprintf(`(() => {
		const f = document.querySelector('[data-strip=%q] input[type=range]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, %g);
		f.dispatchEvent(new Event("input", { bubbles: true }));
		return "";
	})()`, source, to))
}

func (p *page) letGo(source string) {
	p.t.Helper()
	p.eval(fmt.Sprintf(`(() => { document.querySelector('[data-strip=%q] input[type=range]').dispatchEvent(new PointerEvent("pointerup", { bubbles: true })); return ""; })()`, source))
}

// The tour by hand: sign in, open the demo, move a fader and see it, mend the
// three faults, bake, check clean, save and share a preset, undo.
func TestTourInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	p := open(t, g)
	p.do(network.Enable(), chromedp.Navigate(g.URL), chromedp.WaitVisible("input[name=name]"),
		chromedp.SendKeys("input[name=name]", "maren"), chromedp.SendKeys("input[name=password]", "no such password"))
	p.click("Sign in")
	p.see("the name or the password is wrong")
	p.signIn("maren")
	p.see("159 shapes, 18 lights")
	// It may be shown for a moment only, so it is watched for from before.
	p.do(chromedp.Evaluate(`new MutationObserver(() => { if (document.body.innerText.includes("No light is baked yet: shown unlit.")) window.saidUnlit = true; }).observe(document.body, { childList: true, subtree: true, characterData: true }); ""`, nil))
	p.do(chromedp.Click(`a[href="/levels/` + l.ID + `"]`))

	// Nothing is baked: the view says so, shows unlit, and a draft comes by itself. Without the
	// air, for whose light a drag asks the service once.
	p.do(chromedp.Poll(`window.saidUnlit === true`, nil))
	p.click("Markers")
	p.do(chromedp.WaitVisible(`//button[normalize-space()="Bake at good quality"]`, chromedp.BySearch))
	p.do(chromedp.WaitNotPresent(`//p[contains(., "No light is baked yet")]`, chromedp.BySearch))
	lit := p.view()
	pier := func(img image.Image) float64 { return brightness(img, 0.55, 0.7, 0.9, 0.92) }
	p.click("Light alone")
	p.click("Lit")
	assert.Greater(t, pier(lit), 20.0, "the lanterns light the pier")

	// A fader acts on the view with no rebake, and saves when it is let go.
	p.sent = nil
	p.slide("lantern-3-light", 0)
	p.slide("lantern-4-light", 0)
	dimmed := p.view()
	assert.Less(t, pier(dimmed), pier(lit)-5)
	p.sent = slices.DeleteFunc(p.sent, func(r string) bool { return strings.HasSuffix(r, "/notices") }) // asked for now and then
	assert.Empty(t, p.sent, "dragging asks the service for nothing")
	p.letGo("lantern-3-light")
	p.see("revision 2")
	p.do(chromedp.Poll(`document.querySelector('[data-strip="lantern-3-light"]').innerText.includes("0 cd")`, nil))
	for _, s := range p.sent {
		assert.NotContains(t, s, "/bakes")
		assert.NotContains(t, s, "/layers/")
	}
	p.letGo("lantern-4-light")
	p.see("revision 3")
	p.click("Undo")
	p.see("revision 4")
	p.click("Undo")
	p.see("revision 5")
	until(t, func() bool { return math.Abs(pier(p.view())-pier(lit)) <= 1 }, "undo brings the light back") // the revision shows before the light of it

	// Mute is for the eye alone.
	p.click("Mute Lantern 3")
	assert.Less(t, pier(p.view()), pier(lit)-3)
	p.click("1 muted or solo")

	// Exact typing: the inspector.
	p.do(chromedp.Click(`//aside[@aria-label="Outliner"]//button[contains(., "Door lamp") and not(contains(., "halo"))]`, chromedp.BySearch),
		chromedp.WaitVisible(`input[aria-label="Strength"]`))
	p.do(chromedp.SendKeys(`input[aria-label="Strength"]`, "55.5\r")) // all is selected on focus
	p.see("revision 6")
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, 55.5, doc.Document.Light("door-lamp").Strength)

	// The findings fly to their place and settle themselves.
	p.click("Findings")
	before := p.view()
	p.do(chromedp.Click(`[data-rule="play.too-dark"] button:nth-of-type(1)`))
	assert.Greater(t, difference(before, p.view()), 4.0, "the view went there")
	for _, rule := range []string{"play.too-dark", "links.glow-without-light", "limits.shadow-overlap"} {
		p.do(chromedp.Click(`[data-rule="`+rule+`"] button:nth-of-type(2)`), chromedp.WaitNotPresent(`[data-rule="`+rule+`"]`))
	}
	p.see("Nothing to mend: baked-arena takes this level.")
	report, err := maren.Check(ctx, l.ID, "")
	require.NoError(t, err)
	assert.True(t, report.Clean)

	// "follow" bakes at draft what the fixes made stale; then all at good.
	p.do(chromedp.WaitVisible(`//button[normalize-space()="Bake at good quality"]`, chromedp.BySearch))
	p.click("Bake at good quality")
	p.do(chromedp.WaitVisible(`//button[normalize-space()="Baked"]`, chromedp.BySearch))
	m, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Zero(t, m.Stale)

	// Save the mood, share it, apply another's.
	p.click("Presets")
	p.do(chromedp.SendKeys(`input[aria-label="Name of the preset"]`, "station-dusk"), chromedp.SendKeys(`input[aria-label="Tags"]`, "dusk coast"))
	p.click("Save")
	p.hear("Saved station-dusk, version 1.")
	revision := current(t, maren, l.ID)
	p.do(chromedp.Navigate(g.URL+"/presets"), chromedp.SendKeys(`input[aria-label="Words"]`, "station"))
	p.do(chromedp.Click(`//ul[@aria-label="Presets"]//button[contains(., "station-dusk")]`, chromedp.BySearch))
	p.click("Share…")
	p.do(chromedp.Click(`//*[@role="dialog"]//label[contains(., "ivo")]/input`, chromedp.BySearch))
	ivo := as(t, g, "ivo")
	until(t, func() bool { return sees(ivo, "station-dusk") })
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	p.click("Mood")
	p.do(chromedp.Click(`//button[@aria-expanded][contains(., "morning-fog")]`, chromedp.BySearch))
	p.click("Take it")
	p.see(fmt.Sprintf("revision %d", revision+1))
	p.see("from ivo/morning-fog@1")
	p.click("History")
	p.see("Apply ivo/morning-fog@1")
}

func sees(c *client.Client, name string) bool {
	presets, err := c.Presets(ctx)
	for _, p := range presets {
		if p.Name == name {
			return err == nil
		}
	}
	return false
}

func current(t *testing.T, c *client.Client, id string) int {
	t.Helper()
	doc, err := c.Level(ctx, id)
	require.NoError(t, err)
	return doc.Level.Revision
}

// difference is the mean distance of two pictures, in 8-bit steps.
func difference(a, b image.Image) float64 {
	sum, n := 0.0, 0
	for y := 40; y < a.Bounds().Dy()-45; y++ { // between what lies over the view
		for x := range a.Bounds().Dx() {
			r1, g1, b1, _ := a.At(x, y).RGBA()
			r2, g2, b2, _ := b.At(x, y).RGBA()
			sum += (math.Abs(float64(r1)-float64(r2)) + math.Abs(float64(g1)-float64(g2)) + math.Abs(float64(b1)-float64(b2))) / 3 / 257
			n++
		}
	}
	return sum / float64(n)
}

// Somebody else's edit shows without a reload.
func TestEditsOfOthersShow(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	_, err = maren.Undo(ctx, l.ID)
	require.Error(t, err)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "editor"))
	ivo := as(t, g, "ivo")
	_, err = ivo.Apply(ctx, l.ID, setStrength("great-lens", 31000), 0)
	require.NoError(t, err)
	p.see("revision 2")
	p.do(chromedp.WaitVisible(`//div[@data-strip="great-lens"]//span[contains(., "31 k")]`, chromedp.BySearch))
}

// Every page passes axe's rules, but for none.
func TestPagesPassAxe(t *testing.T) {
	t.Parallel()
	g := start(t)
	_, l, err := g.Demo(ctx)
	require.NoError(t, err)
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	p := open(t, g)
	p.do(chromedp.Navigate(g.URL), chromedp.WaitVisible("input[name=name]"))
	p.audit(string(axe), "sign-in")
	p.signIn("maren")
	p.audit(string(axe), "levels")
	for _, path := range []string{"/presets", "/platforms", "/bakes", "/account"} {
		p.do(chromedp.Navigate(g.URL+path), chromedp.WaitVisible("main h1"), chromedp.Sleep(400*time.Millisecond))
		p.audit(string(axe), path)
	}
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	for _, panel := range []string{"Mixer", "Findings", "Ledger", "History", "Presets", "Comments"} {
		p.click(panel)
		p.do(chromedp.Sleep(300 * time.Millisecond))
		p.audit(string(axe), panel)
	}
	p.do(chromedp.Click(`//aside[@aria-label="Outliner"]//button[contains(., "Door lamp") and not(contains(., "halo"))]`, chromedp.BySearch), chromedp.WaitVisible(`input[aria-label="Strength"]`))
	p.audit(string(axe), "inspector")
}

func (p *page) audit(axe, where string) {
	p.t.Helper()
	p.do(chromedp.Evaluate(axe, nil))
	var faults []struct {
		ID    string
		Nodes []struct{ HTML string }
	}
	text := p.eval(`axe.run(document, { runOnly: ["wcag2a", "wcag2aa"] }).then((r) => JSON.stringify(r.violations))`)
	require.NoError(p.t, json.Unmarshal([]byte(text), &faults))
	for _, f := range faults {
		p.t.Errorf("%s: %s, %d times, first %s", where, f.ID, len(f.Nodes), f.Nodes[0].HTML)
	}
}
