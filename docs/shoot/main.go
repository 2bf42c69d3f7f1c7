// Command shoot takes the pictures of docs/screenshots again: the tour by hand in
// a headless browser, the same tour by the built command line, and shots.
package main

import (
	"context"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/chromedp"

	"grotta/e2e/harness"
)

const folder = "docs/screenshots"

func main() {
	if err := run(); err != nil {
		log.Fatal(err)
	}
}

func run() error {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Minute)
	defer cancel()
	dir, err := os.MkdirTemp("", "grotta-shoot-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	// "core", "tour" or "command" asks for a part.
	part := ""
	if len(os.Args) > 1 {
		part = os.Args[1]
	}
	if part == "" || part == "core" {
		if err := byCore(ctx); err != nil {
			return err
		}
	}
	if part == "core" {
		return nil
	}
	g, err := harness.Start(dir)
	if err != nil {
		return err
	}
	defer g.Stop()
	_, l, err := g.Demo(ctx)
	if err != nil {
		return err
	}
	defer harness.CloseBrowser()
	browser, stop, err := harness.Browser(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer stop()
	if part != "command" {
		if err := byHand(browser, g.URL, l.ID); err != nil {
			return err
		}
	}
	return byCommand(browser, g.URL, dir)
}

// picture is what is done in the browser before one is taken.
type picture struct {
	name string
	do   []chromedp.Action
}

func take(browser context.Context, pictures []picture) error {
	for _, p := range pictures {
		var data []byte
		actions := append(p.do, chromedp.Sleep(1200*time.Millisecond), chromedp.CaptureScreenshot(&data))
		ctx, cancel := context.WithTimeout(browser, 8*time.Minute)
		err := chromedp.Run(ctx, actions...)
		cancel()
		if err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		if err := os.WriteFile(filepath.Join(folder, p.name+".png"), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
