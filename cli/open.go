package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"runtime"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/exchange"
)

// Personal is a service of one person on their own machine.
type Personal struct {
	URL   string
	Token string                      // with all scopes
	Wait  func(context.Context) error // serves until the context ends, and stops
}

// running is what the one that serves leaves for others to find it.
type running struct {
	URL   string `json:"url"`
	Token string `json:"token"`
}

// personalData is the folder of one's own data.
func personalData() (string, error) {
	if dir := os.Getenv("XDG_DATA_HOME"); dir != "" {
		return filepath.Join(dir, "grotta"), nil
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "", err
	}
	switch runtime.GOOS {
	case "windows":
		if dir := os.Getenv("LOCALAPPDATA"); dir != "" {
			return filepath.Join(dir, "Grotta"), nil
		}
	case "darwin":
		return filepath.Join(home, "Library", "Application Support", "Grotta"), nil
	}
	return filepath.Join(home, ".local", "share", "grotta"), nil
}

func (a *app) openCommand() *cobra.Command {
	var o api.ImportOptions
	var data string
	var watch, quiet bool
	var settle func() error
	cmd := &cobra.Command{
		Use: "open [FILE]", Short: "Open a file in the console: starts what is needed, brings the file in, and signs the browser in", Args: argsBetween(0, 1),
		Long:    "Opens a file from your editor in the console. A service for you alone runs on this machine, with its data in\nyour own folder; it is started if none runs, and stops with Ctrl-C. A file whose level is still called\nas the file is taken into it again: its geometry is replaced, and your lights stay. With --watch that happens whenever the file is saved.",
		Example: "  grotta open hall.glb --watch\n  grotta open",
		RunE: func(cmd *cobra.Command, in []string) error {
			if err := settle(); err != nil {
				return err
			}
			if watch && len(in) == 0 {
				return usageError{fmt.Errorf("--watch needs a FILE")}
			}
			if watch {
				if err := watchable(in[0]); err != nil {
					return err
				}
			}
			return a.open(cmd.Context(), in, data, o, watch, quiet)
		},
	}
	f := cmd.Flags()
	f.StringVar(&data, "data", "", "folder of the data (default: your own)")
	settle = a.addReading(cmd, &o)
	f.BoolVar(&watch, "watch", false, "take the file in again whenever it is saved")
	f.BoolVar(&quiet, "no-browser", false, "print the address, and open no browser")
	return cmd
}

func argsBetween(least, most int) cobra.PositionalArgs {
	return func(_ *cobra.Command, in []string) error {
		if len(in) < least || len(in) > most {
			return usageError{fmt.Errorf("takes %d to %d arguments, and got %d", least, most, len(in))}
		}
		return nil
	}
}

func (a *app) open(ctx context.Context, files []string, data string, o api.ImportOptions, watch, quiet bool) error {
	if data == "" {
		var err error
		if data, err = personalData(); err != nil {
			return err
		}
	}
	mine, err := a.personal(ctx, data)
	if err != nil {
		return err
	}
	served := make(chan error, 1)
	if mine.Wait != nil {
		ctx, stop := context.WithCancel(ctx)
		defer stop()
		go func() { served <- mine.Wait(ctx) }()
	} else {
		close(served)
	}
	c := &client.Client{URL: mine.URL, Token: mine.Token}
	to, err := a.bringHere(ctx, c, files, o)
	if err != nil {
		return err
	}
	link, err := c.SignInLink(ctx, to)
	if err != nil {
		return err
	}
	fmt.Fprintf(a.out, "Grotta is at %s. This opens it, once, within two minutes:\n  %s\n", mine.URL, link)
	if !quiet {
		if err := openBrowser(link); err != nil {
			fmt.Fprintln(a.err, "grotta: no browser could be opened; open the address yourself")
		}
	}
	if watch {
		if err := a.whenSaved(ctx, files[0], func() error { return a.takeInto(ctx, c, files[0], strings.TrimPrefix(to, "/levels/"), o, false) }); err != nil {
			return err
		}
	}
	return <-served
}

// personal is the service that runs on a folder of data, or one that is started on it.
func (a *app) personal(ctx context.Context, data string) (Personal, error) {
	note := filepath.Join(data, "open.json")
	var r running
	if text, err := os.ReadFile(note); err == nil && json.Unmarshal(text, &r) == nil {
		if _, err := (&client.Client{URL: r.URL, Token: r.Token}).Session(ctx); err == nil {
			return Personal{URL: r.URL, Token: r.Token}, nil
		}
	}
	mine, err := a.host.Personal(RunOptions{Data: data, Listen: "127.0.0.1:0", Out: a.out, Err: a.err})
	if err != nil {
		return mine, err
	}
	text, err := json.Marshal(running{mine.URL, mine.Token})
	if err == nil {
		err = os.WriteFile(note, text, 0o600)
	}
	serve := mine.Wait
	mine.Wait = func(ctx context.Context) error { return errors.Join(serve(ctx), os.Remove(note)) }
	return mine, err
}

// bringHere brings the file in, or takes it into the level that it was brought into before, and
// says where that is in the console.
func (a *app) bringHere(ctx context.Context, c *client.Client, files []string, o api.ImportOptions) (string, error) {
	if len(files) == 0 {
		return "/", nil
	}
	data, left, err := a.packFile(files[0], &o)
	if err != nil {
		return "", err
	}
	read, err := exchange.OpenFiles(data, o.File, o.Main)
	if err != nil {
		return "", err
	}
	name := strings.TrimSuffix(path.Base(read.Name), path.Ext(read.Name))
	levels, err := c.Levels(ctx)
	if err != nil {
		return "", err
	}
	for _, l := range levels {
		if l.Name != name || l.Role != "owner" {
			continue
		}
		doc, err := c.Level(ctx, l.ID)
		if err != nil {
			return "", err
		}
		if !exchange.CameFrom(doc.Document, read.Name) {
			continue // it is only called the same
		}
		got, err := c.ImportAgain(ctx, l.ID, data, o, false)
		if err != nil {
			return "", err
		}
		got.Left = append(got.Left, left...)
		fmt.Fprintf(a.out, "%s: %s\n", l.Name, strings.Join(got.Words, "; "))
		describeExchange(a.out, got.ExchangeReport)
		return "/levels/" + l.ID, nil
	}
	o.Name = name
	got, err := c.ImportLevel(ctx, data, o)
	if err != nil {
		return "", err
	}
	got.Left = append(got.Left, left...)
	fmt.Fprintf(a.out, "%s, %d shapes, %d lights\n", got.Level.Name, got.Level.Solids+got.Level.Meshes, got.Level.Lights)
	describeExchange(a.out, got.ExchangeReport)
	return "/levels/" + got.Level.ID, nil
}

// openBrowser opens an address in the person's browser.
func openBrowser(address string) error {
	switch runtime.GOOS {
	case "windows":
		return exec.Command("rundll32", "url.dll,FileProtocolHandler", address).Start()
	case "darwin":
		return exec.Command("open", address).Start()
	}
	return exec.Command("xdg-open", address).Start()
}
