package main

import (
	"context"
	"errors"
	"fmt"
	"html"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"

	"github.com/chromedp/chromedp"

	"grotta/e2e/harness"
)

// byCommand is the tour again, by the built program, on a level of its own. Each
// picture is what a terminal would show.
func byCommand(browser context.Context, server, dir string) error {
	env := append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(dir, "cli.yaml"), "GROTTA_SERVER="+server)
	run := func(stdin string, args ...string) (string, error) {
		cmd := exec.Command("bin/grotta", args...)
		cmd.Env, cmd.Stdin = env, strings.NewReader(stdin)
		out, err := cmd.CombinedOutput()
		if e, exited := errors.AsType[*exec.ExitError](err); exited && args[0] == "check" && e.ExitCode() >= 3 {
			err = nil // it tells its findings by the exit code
		}
		return string(out), err
	}
	if _, err := run(harness.Password+"\n", "login", "maren", "--password-stdin"); err != nil {
		return err
	}
	if _, err := run("", "level", "create", "Station", "--from", "demo"); err != nil {
		return err
	}
	screens := []struct {
		name  string
		lines [][]string
	}{
		{"cli-check", [][]string{
			{"check", "Station"},
			{"light", "set", "Station", "bunk-bulb", "enabled=true"},
			{"check", "Station", "--fix"},
			{"air", "Station"},
		}},
		{"cli-light", [][]string{
			{"bake", "Station"},
			{"light", "set", "Station", "table-light", "strength=60", "inner_deg=30"},
			{"bake", "Station"},
			{"level", "set", "Station", "--id", "crate-b", "transform.position=[16.8,1.2,4.6]"},
			{"bake", "Station", "--explain"},
			{"level", "undo", "Station"},
			{"shot", "Station", "--view", "pier-dusk", "-o", filepath.Join(dir, "pier-dusk.png")},
			{"compare", "Station,look=off,air=off", "Station", "--view", "pier-dusk"},
		}},
		{"cli-share", [][]string{
			{"preset", "list", "fog"},
			{"preset", "apply", "ivo/morning-fog", "--to", "Station", "--only", "sky", "--dry-run"},
			{"preset", "apply", "ivo/morning-fog", "--to", "Station", "--only", "fog"},
			{"preset", "apply", "recipes/candle", "--to", "Station", "--at", "2.6,0.81,-5.6", "--on", "0,1,0"},
			{"level", "origins", "Station"},
			{"team", "create", "keepers"},
			{"team", "member", "keepers", "ivo", "--as", "commenter"},
			{"level", "share", "Station", "--team", "keepers", "--as", "editor"},
			{"variant", "create", "Station", "pocket", "--platform", "pocket", "--follows"},
			{"comment", "add", "Station", "Too dark at the bench, @ivo", "--at", "14.7,1.2,0.9"},
			{"comment", "list", "Station"},
		}},
	}
	for _, s := range screens {
		var text strings.Builder
		for _, args := range s.lines {
			out, err := run("", args...)
			if err != nil {
				return fmt.Errorf("grotta %s: %w\n%s", strings.Join(args, " "), err, out)
			}
			shown := strings.ReplaceAll(strings.Join(args, " "), dir+"/", "")
			fmt.Fprintf(&text, "<b>$ grotta %s</b>\n%s\n", html.EscapeString(shown), html.EscapeString(head(strings.ReplaceAll(out, dir+"/", ""))))
		}
		if err := take(browser, []picture{{s.name, []chromedp.Action{chromedp.Navigate(terminal(text.String()))}}}); err != nil {
			return err
		}
	}
	return nil
}

// mostLines is how many lines of one command's output a picture has room for.
const mostLines = 18

// head cuts a long output and says so.
func head(out string) string {
	lines := strings.SplitAfter(out, "\n")
	if len(lines) <= mostLines {
		return out
	}
	return strings.Join(lines[:mostLines-2], "") + fmt.Sprintf("(and %d more lines)\n", len(lines)-mostLines+1)
}

func terminal(text string) string {
	page := `<!doctype html><meta charset="utf-8"><body style="margin:0;background:#161616;color:#c8c8c8">` +
		`<pre style="margin:16px;font:12.5px/1.4 'DejaVu Sans Mono',monospace;white-space:pre-wrap">` + text + `</pre>`
	return "data:text/html;charset=utf-8," + url.PathEscape(page)
}
