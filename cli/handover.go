package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

// This file hands lights over to other editors and takes them back.

func (a *app) handOverCommand() *cobra.Command {
	var want api.NewHandOver
	var file, out string
	var strict, watch bool
	cmd := &cobra.Command{
		Use: "hand-over LEVEL --to NAME", Short: "Write what lights a level as text of another editor", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long:    "Write the lights, sun, sky, fog, glows, zones and viewpoints of a level in the words, units and axes of\nanother editor, as a hand-over file says. Without --out the text is printed, and what it leaves out or\nchanges is said on standard error. \"grotta hand-back\" takes such text into a level.",
		Example: "  grotta hand-over \"Saltmarsh Light\" --to baked-arena --out lights.lit\n  grotta hand-over list",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			if (want.To == "") == (file == "") {
				return usageError{errors.New(`either --to NAME or --file FILE is needed; "grotta hand-over list" lists the names`)}
			}
			if watch && out == "" {
				return usageError{errors.New("--watch needs --out FILE")}
			}
			if file != "" {
				text, err := a.readFile(file)
				if err != nil {
					return err
				}
				want.File = string(text)
			}
			if err := a.handOver(ctx, c, l, want, out, strict); err != nil || !watch {
				return err
			}
			return a.watchHandOver(ctx, c, l, want, out, strict)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&want.To, "to", "", "name of the hand-over")
	f.StringVar(&file, "file", "", "a hand-over file on disk, in place of --to")
	f.StringSliceVar(&want.Only, "only", nil, "only the things with these ids")
	f.StringVarP(&out, "out", "o", "", "file to write (default: print the text)")
	f.BoolVar(&strict, "strict", false, "write nothing where anything would be left out")
	f.BoolVar(&watch, "watch", false, "with --out: write again whenever the level changes, until Ctrl-C")
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("to", a.completeHandOvers))
	cmd.AddCommand(a.handOverList(), a.handOverShow())
	return cmd
}

// handOver writes the text once.
func (a *app) handOver(ctx context.Context, c *client.Client, l api.LevelInfo, want api.NewHandOver, out string, strict bool) error {
	got, err := c.HandOver(ctx, l.ID, want)
	if err != nil {
		return err
	}
	if strict && len(got.Left) > 0 {
		return fmt.Errorf("the hand-over leaves out:\n  %s", strings.Join(got.Left, "\n  "))
	}
	if out == "" && !a.json {
		describeExchange(a.err, got.ExchangeReport)
		return a.writeFile("-", []byte(got.Text))
	}
	if out != "" {
		if err := a.writeFile(out, []byte(got.Text)); err != nil || out == "-" {
			return err
		}
	}
	return a.show(got, func(w io.Writer) {
		fmt.Fprintf(w, "%s: %d things, %d bytes\n", out, got.Things, len(got.Text))
		describeExchange(w, got.ExchangeReport)
	})
}

// watchHandOver writes the text again after each revision.
func (a *app) watchHandOver(ctx context.Context, c *client.Client, l api.LevelInfo, want api.NewHandOver, out string, strict bool) error {
	changed := make(chan struct{}, 1)
	lost := make(chan error, 1)
	go func() {
		lost <- c.Watch(ctx, l.ID, nil, func(e client.Event) {
			if e.Kind == "revision" {
				select {
				case changed <- struct{}{}:
				default: // one is waiting
				}
			}
		})
	}()
	for {
		select {
		case <-ctx.Done():
			return nil
		case err := <-lost:
			if ctx.Err() != nil {
				return nil
			}
			return err
		case <-changed:
			if err := a.handOver(ctx, c, l, want, out, strict); err != nil && ctx.Err() == nil {
				fmt.Fprintln(a.err, "grotta:", err)
			}
		}
	}
}

func (a *app) handOverList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the hand-overs that you may use", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := a.client().HandOvers(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(all, func(w io.Writer) {
				var rows [][]string
				for _, h := range all {
					rows = append(rows, []string{h.Name, h.Title, h.Shape, fmt.Sprintf("%g m", h.UnitM), strings.Join(h.Axes, " ") + ", " + h.Handed + "-handed", strings.Join(h.Kinds, ",")})
				}
				table(w, "HAND-OVER|TITLE|SHAPE|UNIT|AXES|KINDS", rows)
			})
		},
	}
}

func (a *app) handOverShow() *cobra.Command {
	return &cobra.Command{
		Use: "show NAME", Short: "Print a hand-over file; a copy is a beginning for your own, see grotta preset add", Args: args(1), ValidArgsFunction: a.completeHandOvers,
		RunE: func(cmd *cobra.Command, in []string) error {
			text, err := a.client().HandOverFile(cmd.Context(), in[0])
			if err != nil {
				return err
			}
			return a.writeFile("-", text)
		},
	}
}

func (a *app) handBackCommand() *cobra.Command {
	var from string
	var dry, watch bool
	cmd := &cobra.Command{
		Use: "hand-back LEVEL FILE --from NAME", Short: "Take text of another editor into a level", Args: args(2), ValidArgsFunction: a.completeLevels,
		Long: "Read text that another editor wrote, by the hand-over file that says how, and take it into a level as one\nchange. Things are known by their id, else by their name. Of those only what differs is taken; others are\nadded; nothing is removed.",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if watch {
				if err := watchable(in[1]); err != nil {
					return err
				}
			}
			take := func() error { return a.handBack(ctx, c, l, in[1], from, dry) }
			if err := take(); err != nil || !watch {
				return err
			}
			return a.whenSaved(ctx, in[1], take)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&from, "from", "", "name of the hand-over whose text it is")
	f.BoolVar(&dry, "dry-run", false, "only say what it would change")
	f.BoolVar(&watch, "watch", false, "again whenever the file is saved, until Ctrl-C")
	cobra.CheckErr(cmd.MarkFlagRequired("from"))
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("from", a.completeHandOvers))
	return cmd
}

func (a *app) handBack(ctx context.Context, c *client.Client, l api.LevelInfo, file, from string, dry bool) error {
	text, err := a.readFile(file)
	if err != nil {
		return err
	}
	got, err := c.HandBack(ctx, l.ID, from, text, dry)
	if err != nil {
		return err
	}
	return a.show(got, func(w io.Writer) {
		fmt.Fprintf(w, "revision %d: %d added, %d changed, %d as before\n", got.Revision, len(got.Added), len(got.Changed), got.Same)
		for _, name := range got.Added {
			fmt.Fprintln(w, "  added:", name)
		}
		for _, name := range got.Changed {
			fmt.Fprintln(w, "  changed:", name)
		}
		for _, why := range got.Passed {
			fmt.Fprintln(w, "  not read:", why)
		}
	})
}

// lookEvery is how often a watched file is looked at.
const lookEvery = 500 * time.Millisecond

// whenSaved does something whenever a file was saved, until the context ends. What fails is said, and
// the next save waited for.
func (a *app) whenSaved(ctx context.Context, file string, do func() error) error {
	was, err := os.Stat(file)
	if err != nil {
		return err
	}
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(lookEvery):
		}
		is, err := os.Stat(file)
		if err != nil || is.ModTime().Equal(was.ModTime()) && is.Size() == was.Size() {
			continue // an editor may be about to write it
		}
		was = is
		if err := do(); err != nil && ctx.Err() == nil {
			fmt.Fprintln(a.err, "grotta:", err)
		}
	}
}

func (a *app) completeHandOvers(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.names(cmd, func(ctx context.Context, c *client.Client) ([]string, error) {
		all, err := c.HandOvers(ctx)
		var names []string
		for _, h := range all {
			names = append(names, h.Name)
		}
		slices.Sort(names)
		return names, err
	})
}
