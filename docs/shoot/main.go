// Command shoot takes the pictures of docs/screenshots anew: the console's pages
// in a headless browser, and shots from the demo's viewpoints.
package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/chromedp"

	"grotta/api"
	"grotta/client"
	"grotta/e2e/harness"
)

const folder = "docs/screenshots"

func main() {
	if err := run(); err != nil {
		log.Fatal(err)
	}
}

func run() error {
	ctx, cancel := context.WithTimeout(context.Background(), 4*time.Minute)
	defer cancel()
	dir, err := os.MkdirTemp("", "grotta-shoot-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	g, err := harness.Start(dir)
	if err != nil {
		return err
	}
	defer g.Stop()
	maren, l, err := g.Demo(ctx)
	if err != nil {
		return err
	}
	if _, err := harness.BakeAndWait(ctx, maren, l.ID, "good"); err != nil {
		return err
	}
	if err := shots(ctx, maren, l.ID); err != nil {
		return err
	}
	browser, stop, err := harness.Browser(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer stop()
	return pages(browser, g.URL, l.ID)
}

func shots(ctx context.Context, c *client.Client, id string) error {
	for _, v := range []string{"pier-dusk", "kitchen-table", "boathouse-bench"} {
		data, _, err := c.Shot(ctx, id, api.NewShot{Viewpoint: v, Width: 1280, Height: 720, Samples: 2})
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(folder, "shot-"+v+".png"), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}

func pages(browser context.Context, url, id string) error {
	tab := func(name string) chromedp.Action {
		return chromedp.Click(fmt.Sprintf(`//button[@role="tab" and starts-with(normalize-space(), %q)]`, name), chromedp.BySearch)
	}
	outliner := func(name string) chromedp.Action {
		return chromedp.Click(fmt.Sprintf(`//aside[@aria-label="Outliner"]//button[contains(., %q)]`, name), chromedp.BySearch)
	}
	steps := []struct {
		name string
		do   []chromedp.Action
	}{
		{"sign-in", []chromedp.Action{chromedp.Navigate(url), chromedp.WaitVisible("input[name=name]")}},
		{"levels", []chromedp.Action{
			chromedp.SendKeys("input[name=name]", "maren"), chromedp.SendKeys("input[name=password]", harness.Password+"\r"),
			chromedp.WaitVisible("li img"), chromedp.Sleep(time.Second),
		}},
		{"bench", []chromedp.Action{chromedp.Navigate(url + "/levels/" + id), chromedp.WaitVisible("[data-strip]"), chromedp.Sleep(2 * time.Second), outliner("Table shade")}},
		{"findings", []chromedp.Action{tab("Findings"), chromedp.Click(`[data-rule="limits.shadow-overlap"] button:nth-of-type(1)`)}},
		{"ledger", []chromedp.Action{tab("Ledger"), chromedp.MouseClickXY(640, 470)}},
		{"brightness", []chromedp.Action{chromedp.Click(`//button[@role="radio" and normalize-space()="Brightness"]`, chromedp.BySearch)}},
		{"presets-panel", []chromedp.Action{chromedp.Click(`//button[@role="radio" and normalize-space()="Lit"]`, chromedp.BySearch), tab("Presets")}},
		{"platforms", []chromedp.Action{chromedp.Navigate(url + "/platforms"), chromedp.WaitVisible("table")}},
	}
	for _, s := range steps {
		var data []byte
		actions := append(s.do, chromedp.Sleep(1200*time.Millisecond), chromedp.CaptureScreenshot(&data))
		if err := chromedp.Run(browser, actions...); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(folder, s.name+".png"), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
