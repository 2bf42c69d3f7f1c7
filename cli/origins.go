package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/merge"
)

// This file has the commands about presets in levels.

func (a *app) levelOrigins() *cobra.Command {
	return &cobra.Command{
		Use: "origins LEVEL", Short: "Show which presets the parts of a level came from, and what is newer", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			origins, err := c.Origins(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(origins, func(w io.Writer) {
				if len(origins) == 0 {
					fmt.Fprintln(w, "No part of this level came from a preset.")
					return
				}
				var rows [][]string
				for _, o := range origins {
					what := cmp.Or(o.Rig, strings.Join(o.Only, ","), "all of it")
					if len(o.Zones) > 0 {
						what += " of " + strings.Join(o.Zones, ",")
					}
					rows = append(rows, []string{o.ID, what, fmt.Sprintf("%s@%d", o.Preset, o.Version), newerWords(&o), changedWords(&o)})
				}
				table(w, "ID|WHAT|FROM|NEWER|CHANGED SINCE", rows)
			})
		}),
	}
}

func newerWords(o *api.Origin) string {
	switch {
	case o.Newest == 0:
		return "not to be seen"
	case o.Newest > o.Version:
		return "@" + strconv.Itoa(o.Newest)
	}
	return "-"
}

func changedWords(o *api.Origin) string {
	if o.Lost {
		return "not known"
	}
	var names []string
	for _, c := range o.Changed {
		names = append(names, strings.TrimSpace(c.ID+" "+c.Path))
	}
	if len(names) > 4 {
		names = append(names[:4], fmt.Sprintf("and %d more", len(o.Changed)-4))
	}
	return cmp.Or(strings.Join(names, ", "), "-")
}

func (a *app) levelUpdate() *cobra.Command {
	var want api.UpdateOrigins
	cmd := &cobra.Command{
		Use: "update LEVEL [ORIGIN...]", Short: "Bring what was taken from presets to newer versions", Args: args(1, -1), ValidArgsFunction: a.completeLevels,
		Long: `Merges field by field: what you changed since stays. What both you and the preset
have changed is a clash; yours holds unless --take names it. One change, which undo
takes back. "grotta level origins" lists what was taken.`,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			want.IDs = in[1:]
			done, err := c.UpdateOrigins(ctx, l.ID, want)
			if err != nil {
				return err
			}
			return a.show(done, func(w io.Writer) {
				if want.Dry {
					writeChanges(w, done.Changes)
				} else {
					fmt.Fprintf(w, "revision %d: %d brought to another version\n", done.Revision, done.Origins)
				}
				writeClashes(w, done.Clashes)
			})
		}),
	}
	cmd.Flags().IntVar(&want.Version, "version", 0, "to this version (default: the newest)")
	cmd.Flags().StringSliceVar(&want.Take, "take", nil, "clashes settled by the preset, as they are listed; all for every one")
	cmd.Flags().BoolVar(&want.Dry, "dry-run", false, "only say what would change")
	return cmd
}

// writeClashes lists what both sides have changed.
func writeClashes(w io.Writer, clashes []merge.Clash) {
	if len(clashes) == 0 {
		return
	}
	var rows [][]string
	for _, c := range clashes {
		rows = append(rows, []string{c.Name(), shortValue(c.Base), shortValue(c.Mine), shortValue(c.Theirs)})
	}
	fmt.Fprintln(w)
	table(w, "CLASH|IT WAS|YOURS|THEIRS", rows)
}

func (a *app) levelLink() *cobra.Command {
	return &cobra.Command{
		Use: "link LEVEL PRESET [RIG...]", Short: "Have rigs of a level follow a preset", Args: args(2, -1), ValidArgsFunction: a.completeLevels,
		Long: `For rigs that were made in the level, and for copies. A rig must have as many lights,
blocks and other things of each kind as the preset. What it has of its own stays and is
listed as changed since. Without names all rigs that are like the preset and follow
nothing are linked.`,
		Example: "  grotta preset save pier-lamp --level \"Saltmarsh Light\" --rig lantern-1\n" +
			"  grotta level link \"Saltmarsh Light\" pier-lamp\n  grotta level give-others \"Saltmarsh Light\" lantern-1",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			owner, name, version, err := api.ParsePreset(in[1], "")
			if err != nil {
				return usageError{err}
			}
			done, err := c.LinkRigs(ctx, l.ID, api.LinkRigs{Owner: owner, Name: name, Version: version, Rigs: in[2:]})
			if err != nil {
				return err
			}
			return a.show(done, func(w io.Writer) {
				fmt.Fprintf(w, "revision %d: %s now follow %s\n", done.Revision, strings.Join(done.Rigs, ", "), in[1])
			})
		}),
	}
}

func (a *app) levelGiveOthers() *cobra.Command {
	var want api.GiveToOthers
	cmd := &cobra.Command{
		Use: "give-others LEVEL RIG", Short: "Give what a linked rig has to the others that follow its preset", Args: args(2), ValidArgsFunction: a.completeLevels,
		Long: `The rig becomes the next version of its preset, and the other rigs of the level that
follow the preset are brought to it. What each has of its own stays. Of somebody else's
preset you get one of your own first.`,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			origins, err := c.Origins(ctx, l.ID)
			if err != nil {
				return err
			}
			at := slices.IndexFunc(origins, func(o api.Origin) bool { return o.Rig == in[1] })
			if at < 0 {
				return fmt.Errorf("%q follows no preset; \"grotta level link\" links it to one", in[1])
			}
			done, err := c.GiveToOthers(ctx, l.ID, origins[at].ID, want)
			if err != nil {
				return err
			}
			return a.show(done, func(w io.Writer) {
				if done.Updated.Origins == 0 {
					fmt.Fprintf(w, "%s@%d: no other rig of the level has to be changed\n", done.Preset, done.Version)
					return
				}
				fmt.Fprintf(w, "revision %d: %d others brought to %s@%d\n", done.Updated.Revision, done.Updated.Origins, done.Preset, done.Version)
				writeClashes(w, done.Updated.Clashes)
			})
		}),
	}
	cmd.Flags().StringVar(&want.Changes, "changes", "", "what is other than before, in words")
	return cmd
}

func (a *app) levelUnlink() *cobra.Command {
	return &cobra.Command{
		Use: "unlink LEVEL ORIGIN...", Short: "Make what was taken from a preset the level's own", Args: args(2, -1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			for _, id := range in[1:] {
				if err := c.EndOrigin(ctx, l.ID, id); err != nil {
					return err
				}
			}
			return nil
		}),
	}
}

func (a *app) levelCredits() *cobra.Command {
	out := ""
	cmd := &cobra.Command{
		Use: "credits LEVEL", Short: "List whom to name for what a level shows", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			lines, text, err := c.Credits(ctx, l.ID)
			if err != nil {
				return err
			}
			if out != "" {
				return a.writeFile(out, []byte(text))
			}
			return a.show(lines, func(w io.Writer) { fmt.Fprint(w, cmp.Or(text, "Nothing in this level needs a credit.\n")) })
		}),
	}
	cmd.Flags().StringVar(&out, "out", "", "write it as a text file")
	return cmd
}
