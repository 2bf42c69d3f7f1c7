package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"grotta/api"
	"grotta/client"
)

var qualities = []string{"draft", "good", "final"}

func (a *app) bakeCommand() *cobra.Command {
	var quality string
	var detach, explain, foresee, measure bool
	var cmd *cobra.Command
	cmd = &cobra.Command{
		Use: "bake LEVEL", Short: "Bake what is stale and wait for it; Ctrl-C cancels", Args: args(1), ValidArgsFunction: a.completeLevels,
		PreRunE: func(*cobra.Command, []string) error { return oneOf("--quality", quality, qualities) },
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if explain {
				return a.explainBake(ctx, c, l, quality)
			}
			if foresee {
				e, err := c.BakeTime(ctx, l.ID, quality)
				if err != nil {
					return err
				}
				return a.show(e, func(w io.Writer) {
					fmt.Fprintf(w, "about %s of work for %s at %s quality, all layers, without storing them; foreseen from %d of them in %.1f s\n", seconds(e.Seconds), count(e.Texels, "texel"), e.Quality, e.Sampled, e.Took)
				})
			}
			b, err := c.StartBake(ctx, l.ID, quality)
			if err != nil {
				return err
			}
			if !detach {
				if b, err = a.follow(ctx, c, b); err != nil {
					return err
				}
			}
			var off *api.Accuracy
			if b.State == "done" && (measure || quality != "draft" && !cmd.Flags().Changed("measure")) {
				found, err := c.Accuracy(ctx, l.ID)
				switch {
				case err == nil:
					off = &found
				case measure: // else the bake is what was asked for, and it is done
					return err
				}
			}
			if err := a.show(bakeShown{b, off}, func(w io.Writer) {
				describeBake(w, b)
				if off != nil {
					describeAccuracy(w, off)
				}
			}); err != nil {
				return err
			}
			if b.State == "failed" || b.State == "cancelled" {
				return exit(exitFailed)
			}
			return nil
		}),
	}
	cmd.Flags().StringVar(&quality, "quality", "good", "draft, good or final; with --measure or --explain it is told how far the light is off")
	cmd.Flags().BoolVar(&detach, "detach", false, "start it and do not wait")
	cmd.Flags().BoolVar(&explain, "explain", false, "bake nothing; tell which layers are stale, and why, and how far the light is off where all of it is there")
	cmd.Flags().BoolVar(&measure, "measure", false, "hold some texels against path tracing then, and tell how far the light is off; done by itself but at draft")
	cmd.Flags().BoolVar(&foresee, "foresee", false, "bake nothing; tell how long a bake of all layers would take here")
	return cmd
}

// seconds is a length of time in words.
func seconds(s float64) string {
	if s < 100 {
		return fmt.Sprintf("%.2g seconds", s)
	}
	return fmt.Sprintf("%.2g minutes", s/60)
}

func (a *app) explainBake(ctx context.Context, c *client.Client, l api.LevelInfo, quality string) error {
	plan, err := c.PlanBake(ctx, l.ID, quality)
	if err != nil {
		return err
	}
	state, err := c.Lightmap(ctx, l.ID, false)
	if err != nil {
		return err
	}
	var off *api.Accuracy
	if state.Stale == 0 { // else measuring would bake what is missing
		found, err := c.Accuracy(ctx, l.ID)
		if err != nil {
			return err
		}
		off = &found
	}
	return a.show(planShown{plan, off}, func(w io.Writer) {
		if off != nil {
			describeAccuracy(w, off)
		}
		fmt.Fprintf(w, "%d of %d layers need a bake at %s quality\n", len(plan.Stale), plan.Layers, plan.Quality)
		var rows [][]string
		for _, s := range plan.Stale {
			rows = append(rows, []string{s.ID, s.Name, strings.Join(s.Why, "; ")})
		}
		if len(rows) > 0 {
			table(w, "SOURCE|NAME|WHY", rows)
		}
		if len(plan.Kept) > 0 {
			var names []string
			for _, k := range plan.Kept {
				names = append(names, k.Name)
			}
			fmt.Fprintf(w, "%d stay, because almost no light of theirs reaches what changed: %s\n", len(names), strings.Join(names, "; ")) // a name may have a comma
		}
	})
}

// follow waits for a bake, shows a bar on a terminal, and cancels it when asked
// to stop.
func (a *app) follow(ctx context.Context, c *client.Client, b api.Bake) (api.Bake, error) {
	bar := a.bar()
	for !b.Over() {
		select {
		case <-ctx.Done():
			stop, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			_, err := c.CancelBake(stop, b.ID)
			return b, errors.Join(ctx.Err(), err)
		case <-time.After(150 * time.Millisecond):
		}
		var err error
		if b, err = c.Bake(ctx, b.ID); err != nil && ctx.Err() == nil {
			return b, err
		}
		if bar != nil {
			bar.Describe(b.Now)
			bar.Set(int(b.Done * 1000))
		}
	}
	if bar != nil {
		bar.Clear()
	}
	return b, nil
}

func (a *app) bar() *progressbar.ProgressBar {
	f, ok := a.err.(*os.File)
	if !ok || a.json || !term.IsTerminal(int(f.Fd())) {
		return nil
	}
	return progressbar.NewOptions(1000, progressbar.OptionSetWriter(f), progressbar.OptionSetWidth(30),
		progressbar.OptionSetPredictTime(true), progressbar.OptionSetElapsedTime(true), progressbar.OptionThrottle(100*time.Millisecond))
}

// bakeShown and planShown are what is shown of a bake, with how far the light is off where that was asked for.
type (
	bakeShown struct {
		api.Bake
		Accuracy *api.Accuracy `json:"accuracy,omitzero"`
	}
	planShown struct {
		api.BakePlan
		Accuracy *api.Accuracy `json:"accuracy,omitzero"`
	}
)

func describeAccuracy(w io.Writer, a *api.Accuracy) {
	off := fmt.Sprintf("%.1f %%", 100*a.RMS)
	if a.RMS < a.LeastRMS {
		off = fmt.Sprintf("less than %.1f %%", 100*a.LeastRMS)
	}
	fmt.Fprintf(w, "the light that is shown (%s quality) is off by %s (root mean square), and by %+.1f ± %.1f %% on average: %s held against path tracing\n",
		a.Quality, off, 100*a.Bias, 100*a.StandardError, count(a.Texels, "texel"))
}

func describeBake(w io.Writer, b api.Bake) {
	switch b.State {
	case "done":
		took := ""
		if b.Ended != nil {
			took = fmt.Sprintf(" in %.1f s", b.Ended.Sub(b.Created).Seconds())
		}
		fmt.Fprintf(w, "revision %d baked at %s quality%s: %d layers, %d of them were there already\nmix %s\n", b.Revision, b.Quality, took, b.Layers, b.Reused, b.Hash)
	case "failed":
		fmt.Fprintf(w, "the bake failed: %s\n", b.Error)
	default:
		fmt.Fprintf(w, "bake %s of revision %d is %s\n", b.ID, b.Revision, b.State)
	}
}

func (a *app) ledgerCommand() *cobra.Command {
	var point, to, normal string
	var places int
	cmd := &cobra.Command{
		Use: "ledger LEVEL --point X,Y,Z", Short: "Ask a point what lights it, and what stands in the way; with --to, the light along a line", Args: args(1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta ledger \"Saltmarsh Light\" --point 2.6,0.81,-5.6 --normal 0,1,0",
		PreRunE: func(*cobra.Command, []string) error {
			if _, err := vector("--point", point); err != nil {
				return err
			}
			if to != "" {
				if _, err := vector("--to", to); err != nil {
					return err
				}
			}
			_, err := vector("--normal", normal)
			return err
		},
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if to != "" {
				line, err := c.Line(ctx, l.ID, point, to, normal, places)
				if err != nil {
					return err
				}
				return a.show(line, func(w io.Writer) { describeLine(w, line) })
			}
			book, err := c.Ledger(ctx, l.ID, point, normal)
			if err != nil {
				return err
			}
			return a.show(book, func(w io.Writer) { describeLedger(w, book) })
		}),
	}
	cmd.Flags().StringVar(&point, "point", "", "x,y,z in metres")
	cmd.Flags().StringVar(&normal, "normal", "0,1,0", "direction that the surface faces")
	cmd.Flags().StringVar(&to, "to", "", "x,y,z: the light along the line from --point to here")
	cmd.Flags().IntVar(&places, "places", 24, "with --to: how many places of the line, 2 to 128")
	cobra.CheckErr(cmd.MarkFlagRequired("point"))
	return cmd
}

// mostBar is the length of the longest bar, in characters.
const mostBar = 32

func describeLine(w io.Writer, l api.LightLine) {
	most := 0.0
	for _, s := range l.Spots {
		most = max(most, s.Direct.Luminance+s.Bounced.Luminance)
	}
	var rows [][]string
	for _, s := range l.Spots {
		lux, bar := s.Direct.Luminance+s.Bounced.Luminance, 0
		if most > 0 {
			bar = int(math.Round(mostBar * lux / most))
		}
		rows = append(rows, []string{fmt.Sprintf("%.2f m", s.AtM), number(lux), number(s.Direct.Luminance), number(s.Bounced.Luminance), s.Most, strings.Repeat("▪", bar)})
	}
	table(w, "AT|LUX|DIRECT|BOUNCED|MOST FROM|", rows)
}

// withError is a number with its standard error, if it has one.
func withError(x, off float64) string {
	if off == 0 {
		return number(x)
	}
	return number(x) + " ± " + uncertainty(off)
}

func describeLedger(w io.Writer, b api.Ledger) {
	t := b.Total
	fmt.Fprintf(w, "%s lx  (r %s, g %s, b %s)", withError(t.Luminance, b.StandardError), number(t.R), number(t.G), number(t.B))
	if b.Surface != "" {
		fmt.Fprintf(w, "  on %s", b.Surface)
	}
	if b.Inside != "" {
		fmt.Fprintf(w, "  inside %s", b.Inside)
	}
	fmt.Fprintln(w)
	var rows [][]string
	for _, s := range b.Sources {
		note := s.Why
		if s.Blocked {
			var by []string
			for _, x := range s.BlockedBy {
				by = append(by, x.ID)
			}
			note = strings.TrimPrefix(note+"; ", "; ") + "blocked by " + strings.Join(by, ", ")
		}
		rows = append(rows, []string{s.ID, s.Kind, number(s.Direct.Luminance), withError(s.Bounced.Luminance, s.StandardError), fmt.Sprintf("%.1f %%", s.Share*100), fmt.Sprintf("%.0f %%", s.Visible*100), note})
	}
	table(w, "SOURCE|KIND|DIRECT lx|BOUNCED lx|SHARE|SEEN|NOTE", rows)
}
