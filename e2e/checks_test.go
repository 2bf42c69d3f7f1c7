package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

// Checks for several platforms, in every form, of a level and of a file without a service; waivers; and
// the plan that makes a level fit.
func TestChecksByCommandLine(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	dir := t.TempDir()
	file := filepath.Join(dir, "saltmarsh.json")
	s.ok("level", "export", saltmarsh, "--format", "json", "-o", file)

	cut := filepath.Join(dir, "cut.json")
	require.NoError(t, os.WriteFile(cut, []byte(`{"format":"grotta-level/1"`), 0o600))

	// A file says the same as the level, and needs no service.
	alone := newShell(t, "http://127.0.0.1:1")
	out, errOut, code := alone.run("", "check", file, "--json")
	assert.Equal(t, 4, code, errOut)
	fromFile := decode[api.Report](t, out)
	out, _, _ = s.run("", "check", saltmarsh, "--json")
	fromLevel := decode[api.Report](t, out)
	assert.Equal(t, fromLevel.Findings, fromFile.Findings)
	assert.NotEmpty(t, fromLevel.Budget)

	out, _, code = s.run("", "check", saltmarsh, "--platform", "baked-arena", "--platform", "pocket", "--json", "--fail-on", "never")
	assert.Zero(t, code)
	both := decode[[]api.Report](t, out)
	require.Len(t, both, 2)
	assert.Equal(t, "pocket", both[1].Platform)
	out, _, code = s.run("", "check", saltmarsh, "--family", "play")
	assert.Equal(t, 3, code)
	assert.NotContains(t, out, "shadow-overlap")
	out, _, _ = s.run("", "check", saltmarsh, "--units", "platform")
	assert.Contains(t, out, "48.14, -2.935, 7.137 units of the platform", "feet, z up")

	// Forms for pipelines and for paper.
	_, _, code = s.run("", "check", saltmarsh, "--format", "sarif", "--out", filepath.Join(dir, "s.sarif"))
	assert.Equal(t, 4, code)
	text, err := os.ReadFile(filepath.Join(dir, "s.sarif"))
	require.NoError(t, err)
	var log struct{ Runs []struct{ Results []any } }
	require.NoError(t, json.Unmarshal(text, &log))
	assert.Len(t, log.Runs[0].Results, 3)
	out, _, _ = s.run("", "check", saltmarsh, "--format", "junit")
	assert.Contains(t, out, `failures="3"`)
	out, _, _ = s.run("", "check", saltmarsh, "--format", "html", "--pictures=false")
	assert.Contains(t, out, "<!doctype html>")

	// What is meant no longer fails.
	assert.Contains(t, s.ok("waive", saltmarsh, "limits.shadow-overlap", "--reason", "the boathouse is a show"), "Waive limits.shadow-overlap")
	out, _, code = s.run("", "check", saltmarsh, "--waived")
	assert.Equal(t, 3, code)
	assert.Contains(t, out, "waived: the boathouse is a show")
	s.ok("waive", saltmarsh, "limits.shadow-overlap", "--take-back")
	_, _, code = s.run("", "check", saltmarsh)
	assert.Equal(t, 4, code)
	assert.Contains(t, s.ok("rules"), "closure.gap")
	assert.Contains(t, s.ok("rules", "closure.gap"), "fix   adds an unseen blocker")

	// Fit plans without changing anything; applied, the platform takes the level, and one undo takes it back.
	plan := decode[api.FitPlan](t, s.ok("fit", saltmarsh, "--platform", "baked-arena", "--json"))
	require.NotNil(t, plan.Operation)
	assert.True(t, plan.Exact)
	assert.Positive(t, plan.Spots)
	out = s.ok("fit", saltmarsh, "--platform", "baked-arena", "--platform", "pocket", "--apply")
	assert.Contains(t, out, "all together")
	assert.Contains(t, out, "applied to Saltmarsh Light")
	for _, name := range []string{"baked-arena", "pocket"} {
		out, _, _ = s.run("", "check", saltmarsh, "--platform", name, "--json")
		assert.Zero(t, decode[api.Report](t, out).Counts["error"], name)
	}
	s.ok("level", "undo", saltmarsh)
	out, _, _ = s.run("", "check", saltmarsh, "--json")
	assert.Equal(t, fromLevel.Findings, decode[api.Report](t, out).Findings)
	s.ok("fit", saltmarsh, "--platform", "pocket", "--copy", "Pocket marsh")
	out, _, _ = s.run("", "check", "Pocket marsh", "--platform", "pocket", "--json")
	assert.Zero(t, decode[api.Report](t, out).Counts["error"])
	out, _, code = s.run("", "fit", saltmarsh, "--platform", "pocket", "--keep", "great-lens,table-light,door-lamp,work-lamp-1,work-lamp-2,work-lamp-3,work-lamp-4")
	assert.Equal(t, 4, code)
	assert.Contains(t, out, "still over:")

	assert.Contains(t, s.ok("bake", saltmarsh, "--foresee", "--quality", "draft"), "164894 texels at draft quality")

	for name, c := range map[string]struct {
		args []string
		code int
		says string
	}{
		"no such form":     {[]string{"check", saltmarsh, "--format", "pdf"}, 2, `--format is "pdf"; there are table, json`},
		"no such family":   {[]string{"check", saltmarsh, "--family", "taste"}, 2, "limits, closure, links, look, play"},
		"no such file":     {[]string{"check", "nowhere.glb"}, 1, "there is no file nowhere.glb"},
		"no such folder":   {[]string{"check", file, "--out", filepath.Join(dir, "no", "x.txt")}, 1, "x.txt cannot be written: no such file or directory"},
		"cut file":         {[]string{"check", cut}, 1, "cut.json: is not JSON"},
		"fix of a file":    {[]string{"check", file, "--fix"}, 2, "bring the file in first"},
		"no reason":        {[]string{"waive", saltmarsh, "limits.lights"}, 2, "--reason is missing"},
		"no such rule":     {[]string{"waive", saltmarsh, "limits.taste", "--reason", "x"}, 2, "grotta rules lists them"},
		"nothing to waive": {[]string{"waive", saltmarsh, "limits.probes", "--reason", "x"}, 1, "no finding of limits.probes"},
		"kept and unknown": {[]string{"fit", saltmarsh, "--keep", "moon"}, 1, `"moon"; the level has no such light`},
		"step 99":          {[]string{"fit", saltmarsh, "--only", "99", "--apply"}, 2, "the plan has steps 1 to"},
		"no such platform": {[]string{"fit", saltmarsh, "--platform", "moon"}, 1, "baked-arena"},
	} {
		_, errOut, code := s.run("", c.args...)
		assert.Equal(t, c.code, code, name)
		assert.Contains(t, errOut, c.says, name)
	}
}

// In the console: a column for each platform, a waiver with a reason, a plan with pictures, all by mouse.
func TestChecksInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	_, err = maren.Apply(ctx, l.ID, level.Set("", map[string]any{"also_for": []string{"pocket"}}), 0)
	require.NoError(t, err)
	p := open(t, g)
	p.signIn("maren")
	p.do(chromedp.Navigate(g.URL+"/levels/"+l.ID), chromedp.WaitVisible("[data-strip]"))
	p.click("Findings")
	p.do(chromedp.WaitVisible(`[aria-label="Findings for pocket"] [data-rule]`), chromedp.WaitVisible(`[aria-label="Findings for baked-arena"] [data-rule="limits.shadow-overlap"]`))

	p.do(chromedp.Click(`[aria-label="Findings for baked-arena"] [data-rule="limits.shadow-overlap"] button[title="Say that it is meant"]`))
	p.do(chromedp.SendKeys(`input[aria-label="Why it is meant"]`, "the boathouse is a show\r"))
	until(t, func() bool {
		doc, err := maren.Level(ctx, l.ID)
		return err == nil && len(doc.Document.Waivers) == 1 && doc.Document.Waivers[0].Reason == "the boathouse is a show" && doc.Document.Waivers[0].By == "maren"
	})
	p.do(chromedp.WaitNotPresent(`[aria-label="Findings for baked-arena"] [data-rule="limits.shadow-overlap"]`))

	p.click("Checks")
	p.do(chromedp.Click(`//button[starts-with(text(), "Fit to")]`, chromedp.BySearch), chromedp.WaitVisible(`[aria-label=Fit] li input[type=checkbox]`))
	until(t, func() bool {
		return strings.Contains(p.eval(`document.querySelector("[aria-label=Fit]").innerText`), "All together")
	})
	p.do(chromedp.Click(`//button[starts-with(normalize-space(.), "Apply ")]`, chromedp.BySearch))
	until(t, func() bool {
		reports, err := maren.Checks(ctx, l.ID, nil)
		return err == nil && reports[1].Counts["error"] == 0
	})

	// A platform of one's own: what is wrong names its line; mended, it is saved.
	p.do(chromedp.Navigate(g.URL+"/platforms"), chromedp.WaitVisible(`button[aria-label="Copy pocket"]`), chromedp.Click(`button[aria-label="Copy pocket"]`), chromedp.WaitVisible(`textarea[aria-label=Profile]`))
	until(t, func() bool { return strings.Contains(p.eval(`document.querySelector("textarea").value`), "max: 16") })
	swap := func(from, to string) {
		p.eval(`(() => { const t = document.querySelector("textarea"); Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, "value").set.call(t, t.value.replace("` + from + `", "` + to + `")); t.dispatchEvent(new Event("input", { bubbles: true })); return "" })()`)
	}
	swap("max: 16", "max: -3")
	p.click("Save")
	p.see("/limits/lights/max is -3; more than 0 is needed (line 15)")
	swap("max: -3", "max: 20")
	p.click("Save")
	p.see("my-pocket, yours, version 1")
	p.do(chromedp.Click(`button[aria-label="Versions and sharing of my-pocket"]`), chromedp.WaitVisible(`[aria-label="Preset my-pocket"] [aria-label="Versions"] li`))
	all, err := maren.Platforms(ctx)
	require.NoError(t, err)
	assert.Equal(t, 20.0, all[len(all)-1].Profile.Limits.Lights.Max)
}

// How light the ground is where players walk, by the platform's players; a stranger does not see it.
func TestTheGroundByTheAPI(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, ivo := as(t, g, "maren"), as(t, g, "ivo")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "demo"})
	require.NoError(t, err)
	ground, err := maren.Ground(ctx, l.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "baked-arena", ground.Platform)
	floors := map[string]api.GroundFloor{}
	for _, f := range ground.Floors {
		floors[f.Zone] = f
		assert.NotEmpty(t, f.Squares)
		assert.Positive(t, f.SideM)
	}
	require.Contains(t, floors, "boathouse")
	assert.Equal(t, "compete", floors["boathouse"].Play)
	assert.Equal(t, 5.0, floors["boathouse"].AskedLux)
	decor, err := maren.Ground(ctx, l.ID, "room-decor")
	require.NoError(t, err)
	for _, f := range decor.Floors {
		if f.Zone == "boathouse" {
			assert.Equal(t, 10.0, f.AskedLux, "by another platform")
		}
	}
	_, err = maren.Ground(ctx, l.ID, "nowhere")
	assert.ErrorContains(t, err, "nowhere")
	_, err = ivo.Ground(ctx, l.ID, "")
	assert.Equal(t, 404, problemOf(t, err, "a stranger").Status)
}
