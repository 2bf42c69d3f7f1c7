package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
)

func (a *app) levelHistory() *cobra.Command {
	var before, limit int
	cmd := &cobra.Command{
		Use: "history LEVEL", Short: "List a level's revisions, newest first", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			revs, err := c.History(ctx, l.ID, before, limit)
			if err != nil {
				return err
			}
			return a.show(revs, func(w io.Writer) {
				var rows [][]string
				for _, r := range revs {
					rows = append(rows, []string{strconv.Itoa(r.Number), r.Author, ago(r.Time), r.Label})
				}
				table(w, "REVISION|BY|WHEN|WHAT", rows)
			})
		}),
	}
	cmd.Flags().IntVar(&before, "before", 0, "only revisions before this one")
	cmd.Flags().IntVar(&limit, "limit", 20, "how many")
	return cmd
}

func (a *app) levelChanges() *cobra.Command {
	return &cobra.Command{
		Use: "changes LEVEL REVISION", Short: "List what differs between a level at a revision and now", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			number, err := revisionNumber(in[1])
			if err != nil {
				return err
			}
			changes, err := c.Changes(ctx, l.ID, number)
			if err != nil {
				return err
			}
			return a.show(changes, func(w io.Writer) {
				if len(changes) == 0 {
					fmt.Fprintln(w, "Nothing differs.")
					return
				}
				var rows [][]string
				for _, ch := range changes {
					rows = append(rows, []string{ch.ID, ch.Name, changeWords(ch)})
				}
				table(w, "ID|NAME|SINCE THEN", rows)
			})
		}),
	}
}

// changeWords is what became of a thing, in a line.
func changeWords(ch level.Change) string {
	switch ch.Kind {
	case level.OpAdd:
		return "added"
	case level.OpRemove:
		return "removed"
	}
	var words []string
	for _, f := range ch.Fields {
		words = append(words, fmt.Sprintf("%s: %s, now %s", f.Path, valueWords(f.From), valueWords(f.To)))
	}
	return strings.Join(words, "; ")
}

// mostValueLength is how much of a value stands in a line.
const mostValueLength = 40

func valueWords(v any) string {
	text, err := level.Encode(v)
	switch {
	case v == nil:
		return "none"
	case err != nil || len(text) > mostValueLength:
		return "(long)"
	}
	return string(text)
}

func revisionNumber(text string) (int, error) {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 {
		return 0, usageError{fmt.Errorf("the revision is %q; it is a number from 1, as \"grotta level history\" lists them", text)}
	}
	return n, nil
}

func (a *app) levelRestore() *cobra.Command {
	var only []string
	cmd := &cobra.Command{
		Use: "restore LEVEL REVISION", Short: "Make a level, or some things of it, what it was at a revision", Args: args(2), ValidArgsFunction: a.completeLevels,
		Long: "Make a level what it was at a revision. The outcome is a new revision, which can be undone. With --only just these things become what they were: one that was removed comes back, one that was added goes.",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			number, err := revisionNumber(in[1])
			if err != nil {
				return err
			}
			rev, err := c.Restore(ctx, l.ID, api.Restore{Revision: number, Only: only})
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		}),
	}
	cmd.Flags().StringSliceVar(&only, "only", nil, "ids of the things to restore (default: everything)")
	return cmd
}
