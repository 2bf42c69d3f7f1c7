package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

func (a *app) levelCopy() *cobra.Command {
	var want api.LevelCopy
	cmd := &cobra.Command{
		Use: "copy LEVEL", Short: "Copy a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			made, err := c.CopyLevel(ctx, l.ID, want)
			if err != nil {
				return err
			}
			return a.showLevel(made)
		}),
	}
	cmd.Flags().BoolVar(&want.History, "history", false, "with all its revisions")
	cmd.Flags().StringVar(&want.Name, "name", "", `name of the copy (default: the level's with ", copy")`)
	return cmd
}

func (a *app) levelDelete() *cobra.Command {
	var yes, forever bool
	cmd := &cobra.Command{
		Use: "delete LEVEL", Short: "Delete a level; it can be had back for 30 days", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if forever && !yes {
				return usageError{fmt.Errorf("this deletes %q and its %d revisions for good; say --yes", l.Name, l.Revision)}
			}
			if err := c.DeleteLevel(ctx, l.ID); err != nil {
				return err
			}
			if forever {
				if err := c.EraseLevel(ctx, l.ID); err != nil {
					return err
				}
				return a.show(l, func(w io.Writer) { fmt.Fprintf(w, "Deleted %q for good.\n", l.Name) })
			}
			return a.show(l, func(w io.Writer) {
				fmt.Fprintf(w, "Deleted %q. For 30 days \"grotta level recover %s\" has it back.\n", l.Name, l.ID)
			})
		}),
	}
	cmd.Flags().BoolVar(&forever, "forever", false, "delete it for good, with its history; needs --yes")
	cmd.Flags().BoolVar(&yes, "yes", false, "really")
	return cmd
}

func (a *app) levelRemoved() *cobra.Command {
	return &cobra.Command{
		Use: "removed", Short: "List your deleted levels that can be had back", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			levels, err := a.client().RemovedLevels(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(levels, func(w io.Writer) {
				if len(levels) == 0 {
					fmt.Fprintln(w, "No level was deleted in the last 30 days.")
					return
				}
				var rows [][]string
				for _, l := range levels {
					rows = append(rows, []string{l.ID, l.Name, ago(*l.Removed)})
				}
				table(w, "ID|NAME|DELETED", rows)
			})
		},
	}
}

func (a *app) levelRecover() *cobra.Command {
	return &cobra.Command{
		Use: "recover LEVEL", Short: "Have a deleted level back", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			c := a.client()
			levels, err := c.RemovedLevels(cmd.Context())
			if err != nil {
				return err
			}
			for _, l := range levels {
				if l.ID != in[0] && l.Name != in[0] {
					continue
				}
				if err := c.RecoverLevel(cmd.Context(), l.ID); err != nil {
					return err
				}
				return a.showLevel(l)
			}
			return fmt.Errorf("no deleted level of yours is called %q; \"grotta level removed\" lists them", in[0])
		},
	}
}
