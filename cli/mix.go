package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
)

func (a *app) mixCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "mix", Short: "Keep states of a level's lights, and go back to them"}
	cmd.AddCommand(a.mixList(), a.mixSave(), a.mixApply())
	return cmd
}

func (a *app) mixList() *cobra.Command {
	return &cobra.Command{
		Use: "list LEVEL", Short: "List a level's mixes", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(doc.Document.Mixes, func(w io.Writer) {
				if len(doc.Document.Mixes) == 0 {
					fmt.Fprintln(w, `No mixes yet. "grotta level mix save LEVEL NAME" keeps the lights as they are.`)
					return
				}
				var rows [][]string
				for _, m := range doc.Document.Mixes {
					rows = append(rows, []string{m.ID, m.Name, strconv.Itoa(len(m.Settings)), strconv.Itoa(len(m.Operation(doc.Document).Steps))})
				}
				table(w, "ID|NAME|LIGHTS|OTHER NOW", rows)
			})
		}),
	}
}

func (a *app) mixSave() *cobra.Command {
	return &cobra.Command{
		Use: "save LEVEL NAME", Short: "Keep the lights as they are, under a name", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			op := level.Add("mixes", doc.Document.MixNow(doc.Document.FreshID("mix"), in[1]))
			op.Label = "Keep the mix " + in[1]
			rev, err := c.Apply(ctx, l.ID, op, doc.Level.Revision)
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		}),
	}
}

func (a *app) mixApply() *cobra.Command {
	return &cobra.Command{
		Use: "apply LEVEL MIX", Short: "Set the lights as they are in a mix, by its name or id", Args: args(2), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			for _, m := range doc.Document.Mixes {
				if m.ID != in[1] && m.Name != in[1] {
					continue
				}
				op := m.Operation(doc.Document)
				if len(op.Steps) == 0 {
					return a.show(doc.Level, func(w io.Writer) { fmt.Fprintln(w, "The lights are as in that mix.") })
				}
				rev, err := c.Apply(ctx, l.ID, op, doc.Level.Revision)
				if err != nil {
					return err
				}
				return a.showRevision(rev)
			}
			return fmt.Errorf("the level has no mix %q; \"grotta level mix list\" lists them", in[1])
		}),
	}
}
