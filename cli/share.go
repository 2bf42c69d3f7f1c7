package cli

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/core/handover"
	"grotta/core/intake"
	"grotta/core/platform"
)

func (a *app) presetCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "preset", Short: "Save, apply and share pieces of levels"}
	cmd.AddCommand(a.presetList(), a.presetShow(), a.presetSave(), a.presetAdd(), a.presetApply(), a.presetShare(), a.presetDelete())
	return cmd
}

func presetRow(p api.PresetInfo) []string {
	return []string{p.Owner + "/" + p.Name, p.Kind, "@" + strconv.Itoa(p.Version), strings.Join(p.Tags, ","), strings.Join(p.Shared, ","), p.Note}
}

const presetHead = "PRESET|KIND|VERSION|TAGS|SHARED WITH|NOTE"

func (a *app) presetList() *cobra.Command {
	var tags []string
	cmd := &cobra.Command{
		Use: "list", Short: "List the presets that are yours or shared with you", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := a.client().Presets(cmd.Context())
			if err != nil {
				return err
			}
			presets := []api.PresetInfo{}
			var rows [][]string
			for _, p := range all {
				if hasAll(p.Tags, tags) {
					presets = append(presets, p)
					rows = append(rows, presetRow(p))
				}
			}
			return a.show(presets, func(w io.Writer) {
				if len(rows) == 0 {
					fmt.Fprintln(w, `No presets. Save one with "grotta preset save NAME --level LEVEL".`)
					return
				}
				table(w, presetHead, rows)
			})
		},
	}
	cmd.Flags().StringSliceVar(&tags, "tag", nil, "only those with all of these tags")
	return cmd
}

func hasAll(have, want []string) bool {
	for _, w := range want {
		found := false
		for _, h := range have {
			found = found || h == w
		}
		if !found {
			return false
		}
	}
	return true
}

// presetRef splits [OWNER/]NAME[@VERSION]; no owner is the asker.
func (a *app) presetRef(cmd *cobra.Command, ref string) (owner, name string, version int, err error) {
	owner, name, version, err = api.ParsePreset(ref, "")
	if err != nil {
		return "", "", 0, usageError{err}
	}
	if owner == "" {
		me, err := a.client().Session(cmd.Context())
		return me.User, name, version, err
	}
	return owner, name, version, nil
}

func (a *app) presetShow() *cobra.Command {
	return &cobra.Command{
		Use: "show [OWNER/]NAME[@VERSION]", Short: "Show a preset; with --json, its content too", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, version, err := a.presetRef(cmd, in[0])
			if err != nil {
				return err
			}
			info, content, err := a.client().Preset(cmd.Context(), owner, name, version)
			if err != nil {
				return err
			}
			return a.show(map[string]any{"preset": info, "content": content}, func(w io.Writer) {
				fmt.Fprintf(w, "%s/%s, %s, version %d of %d\n%s\ntags: %s\ncredit: %s\nby %s, %s\n%s\n", info.Owner, info.Name, info.Kind,
					info.Version, info.Versions, info.Note, strings.Join(info.Tags, ", "), info.Credit, info.Author, ago(info.Created), info.Hash)
			})
		},
	}
}

func (a *app) presetSave() *cobra.Command {
	var want api.NewPreset
	cmd := &cobra.Command{
		Use: "save NAME", Short: "Save a rig, or the mood of a level, as a version of a preset", Args: args(1),
		Example: "  grotta preset save pier-lamp --level \"Saltmarsh Light\" --rig lantern-1 --tag lantern\n  grotta preset save dusk --level \"Saltmarsh Light\" --note \"After sunset\"",
		RunE: func(cmd *cobra.Command, in []string) error {
			c, l, err := a.level(cmd.Context(), want.Level)
			if err != nil {
				return err
			}
			want.Name, want.Level = in[0], l.ID
			p, err := c.SavePreset(cmd.Context(), want)
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s/%s@%d, a %s\n", p.Owner, p.Name, p.Version, p.Kind) })
		},
	}
	f := cmd.Flags()
	f.StringVar(&want.Level, "level", "", "level to take it from")
	f.StringVar(&want.Rig, "rig", "", "rig to save (default: the level's mood: ambient, sky, stars, wind, fog and look)")
	f.BoolVar(&want.Look, "look", false, "save the level's look alone")
	f.StringVar(&want.Note, "note", "", "what it is for")
	f.StringSliceVar(&want.Tags, "tag", nil, "tags")
	f.StringVar(&want.Credit, "credit", "", "whom to name when it is used")
	cobra.CheckErr(cmd.MarkFlagRequired("level"))
	return cmd
}

// formatLine finds what a file says that it is.
var formatLine = regexp.MustCompile(`(?m)^[\s{,]*"?format"?\s*:\s*"?([a-z-]+/\d+)`)

func (a *app) presetAdd() *cobra.Command {
	return &cobra.Command{
		Use: "add FILE", Short: "Save a hand-over file or rules for imports as a preset, under the name that it has", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			text, err := a.readFile(in[0])
			if err != nil {
				return err
			}
			is := ""
			if m := formatLine.FindSubmatch(text); m != nil {
				is = string(m[1])
			}
			switch is {
			case handover.Format:
				h, err := a.client().AddHandOver(cmd.Context(), text)
				if err != nil {
					return err
				}
				return a.show(h, func(w io.Writer) {
					fmt.Fprintf(w, "%s: a hand-over for %s, %s\n", h.Name, h.Title, strings.Join(h.Kinds, ", "))
				})
			case intake.Format:
				p, err := a.client().AddImportRules(cmd.Context(), text)
				if err != nil {
					return err
				}
				return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s/%s@%d: rules for imports\n", p.Owner, p.Name, p.Version) })
			}
			return fmt.Errorf("%s has the format %q; %s or %s is needed", in[0], is, handover.Format, intake.Format)
		},
	}
}

func (a *app) presetApply() *cobra.Command {
	var to, at, on string
	var only []string
	cmd := &cobra.Command{
		Use: "apply [OWNER/]NAME[@VERSION] --to LEVEL", Short: "Put a preset into a level, as one change", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			c, l, err := a.level(cmd.Context(), to)
			if err != nil {
				return err
			}
			want := api.ApplyPreset{Only: only}
			if want.Owner, want.Name, want.Version, err = a.presetRef(cmd, in[0]); err != nil {
				return err
			}
			if at != "" {
				v, err := vector("--at", at)
				if err != nil {
					return err
				}
				want.At = &v
			}
			if on != "" {
				v, err := vector("--on", on)
				if err != nil {
					return err
				}
				want.Normal = &v
			}
			rev, err := c.ApplyPreset(cmd.Context(), l.ID, want)
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		},
	}
	cmd.Flags().StringVar(&to, "to", "", "level that takes it")
	cmd.Flags().StringVar(&at, "at", "", "for a rig: where it goes, x,y,z in metres")
	cmd.Flags().StringVar(&on, "on", "", "for a rig: --at is on a surface that faces x,y,z; the rig is set against it")
	cmd.Flags().StringSliceVar(&only, "only", nil, "for a mood: the parts to take, of ambient, sky, stars, wind, fog, look (default: all)")
	cobra.CheckErr(cmd.MarkFlagRequired("to"))
	return cmd
}

func (a *app) presetShare() *cobra.Command {
	var with []string
	cmd := &cobra.Command{
		Use: "share NAME --with USER,...", Short: "Say with whom a preset of yours is shared", Args: args(1),
		Long: "Replaces the list of those a preset is shared with. \"everybody\" opens it to all\nusers of the service; --with \"\" takes it back.",
		RunE: func(cmd *cobra.Command, in []string) error {
			names := []string{}
			for _, n := range with {
				if n != "" {
					names = append(names, n)
				}
			}
			if err := a.client().SharePreset(cmd.Context(), in[0], names); err != nil {
				return err
			}
			return a.show(map[string]any{"name": in[0], "shared_with": names}, func(w io.Writer) {
				fmt.Fprintf(w, "%s is shared with %s\n", in[0], cmp.Or(strings.Join(names, ", "), "nobody"))
			})
		},
	}
	cmd.Flags().StringSliceVar(&with, "with", nil, "names of users, or everybody")
	cobra.CheckErr(cmd.MarkFlagRequired("with"))
	return cmd
}

func (a *app) presetDelete() *cobra.Command {
	return &cobra.Command{
		Use: "delete NAME", Short: "Delete a preset of yours; levels keep what they took from it", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().DeletePreset(cmd.Context(), in[0]) },
	}
}

func (a *app) platformCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "platform", Short: "List and show platforms, and add your own"}
	list := &cobra.Command{
		Use: "list", Short: "List platforms with their limits", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			all, err := a.client().Platforms(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(all, func(w io.Writer) {
				var rows [][]string
				for _, p := range all {
					l := p.Profile.Limits
					overlap := "-"
					if l.ShadowOverlap != nil {
						overlap = fmt.Sprintf("%d, %d kept", l.ShadowOverlap.Max, l.ShadowOverlap.Reserve)
					}
					rows = append(rows, []string{p.Profile.Name, p.Profile.Title, limit(l.Lights), limit(l.ZoneLights), overlap, limit(l.LightmapPages), strings.Join(p.Profile.Lights.Kinds, ",")})
				}
				table(w, "PLATFORM|TITLE|LIGHTS|IN A ZONE|SHADOWS AT A POINT|PAGES|KINDS", rows)
			})
		},
	}
	file := false
	show := &cobra.Command{
		Use: "show NAME", Short: "Show a platform and the reason of each limit", Args: args(1), ValidArgsFunction: a.completePlatforms,
		RunE: func(cmd *cobra.Command, in []string) error {
			all, err := a.client().Platforms(cmd.Context())
			if err != nil {
				return err
			}
			if file {
				text, err := a.client().PlatformFile(cmd.Context(), in[0])
				if err == nil {
					_, err = a.out.Write(text)
				}
				return err
			}
			for _, p := range all {
				if p.Profile.Name == in[0] {
					return a.show(p, func(w io.Writer) { describePlatform(w, p.Profile) })
				}
			}
			return fmt.Errorf("no platform is called %q", in[0])
		},
	}
	show.Flags().BoolVar(&file, "file", false, "the profile itself, as YAML: the beginning for one of your own")
	add := &cobra.Command{
		Use: "add FILE", Short: "Add a profile of your own, YAML or JSON", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			text, err := a.readFile(in[0])
			if err != nil {
				return err
			}
			p, err := a.client().AddPlatform(cmd.Context(), text)
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s: %s\n", p.Name, p.Title) })
		},
	}
	remove := &cobra.Command{
		Use: "remove NAME", Short: "Remove a profile of your own", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error { return a.client().RemovePlatform(cmd.Context(), in[0]) },
	}
	cmd.AddCommand(list, show, add, remove)
	return cmd
}

func limit(l *platform.Limit) string {
	if l == nil {
		return "-"
	}
	return fmt.Sprintf("%.0f", l.Max)
}

func describePlatform(w io.Writer, p *platform.Profile) {
	fmt.Fprintf(w, "%s  (%s)\n%s\n\nunit %g m, +%s up, %s-handed\nlights: %s\n", p.Title, p.Name, p.Note, p.Space.UnitM, p.Space.Up, p.Space.Handed, strings.Join(p.Lights.Kinds, ", "))
	for _, kind := range slices.Sorted(maps.Keys(p.Lights.Instead)) {
		fmt.Fprintf(w, "  for %s use %s\n", kind, p.Lights.Instead[kind])
	}
	var rows [][]string
	add := func(name string, l *platform.Limit) {
		if l != nil {
			rows = append(rows, []string{name, limit(l), l.Why})
		}
	}
	add("lights", p.Limits.Lights)
	add("lights in a zone", p.Limits.ZoneLights)
	if o := p.Limits.ShadowOverlap; o != nil {
		rows = append(rows, []string{"shadows at a point", fmt.Sprintf("%d, %d kept for carried lamps", o.Max, o.Reserve), o.Why})
	}
	add("lightmap pages", p.Limits.LightmapPages)
	add("lightmap bytes", p.Limits.LightmapBytes)
	add("page size", p.Limits.PageSize)
	add("lights on a surface", p.Limits.SurfaceLights)
	add("surfaces of a light", p.Limits.LightSurfaces)
	add("lights in a view", p.Limits.ViewLights)
	add("dynamic lights", p.Lights.Dynamic)
	add("glows", p.Limits.Glows)
	add("fog volumes", p.Limits.FogVolumes)
	add("motes at once", p.Limits.Motes)
	add("probes", p.Limits.Probes)
	add("reflections", p.Limits.Reflections)
	add("triangles", p.Limits.Triangles)
	add("build, minutes", p.Build.Minutes)
	fmt.Fprintln(w)
	table(w, "LIMIT|MOST|WHY", rows)
	for _, t := range p.Tiers {
		fmt.Fprintf(w, "\n%s, %.0f %% of the players: without %s\n", t.Name, t.Share*100, strings.Join(t.LeftOut, ", "))
	}
	fmt.Fprintf(w, "\nfloor light: %g lx for a story, %g lx to compete\n", p.Play.StoryLux, p.Play.CompeteLux)
}
