package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"regexp"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/handover"
	"grotta/core/intake"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/preset"
)

func (a *app) presetCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "preset", Short: "Save, find, apply and share pieces of levels"}
	cmd.AddCommand(a.presetList(), a.presetShow(), a.presetVersions(), a.presetSave(), a.presetAdd(), a.presetApply(), a.presetShare(), a.presetFork(), a.presetRename(), a.presetDelete(),
		a.presetPack(), a.presetUnpack(), a.presetPicture())
	return cmd
}

func presetRow(p api.PresetInfo) []string {
	with := append(append([]string{}, p.Shared...), p.Teams...)
	return []string{p.Owner + "/" + p.Name, p.Kind, "@" + strconv.Itoa(p.Version), strings.Join(p.Tags, ","), strings.Join(with, ","), p.Note}
}

const presetHead = "PRESET|KIND|VERSION|TAGS|SHARED WITH|NOTE"

func (a *app) presetList() *cobra.Command {
	var want api.PresetSearch
	limit := 0
	cmd := &cobra.Command{
		Use: "list [WORDS...]", Short: "Find presets that are yours or shared with you", Args: args(0, -1),
		Example: "  grotta preset list fog coast\n  grotta preset list --kind rig --colour warm --brightness dim\n  grotta preset list --tag dusk --tag coast --sort taken",
		RunE: func(cmd *cobra.Command, in []string) error {
			want.Words = strings.Join(in, " ")
			page := api.PresetPage{}
			var err error
			if limit > 0 {
				want.Limit = limit
				page, err = a.client().FindPresets(cmd.Context(), want)
			} else if page.Items, err = a.client().AllPresets(cmd.Context(), want); err == nil && len(page.Items) == 0 {
				page, err = a.client().FindPresets(cmd.Context(), want)
			}
			if err != nil {
				return err
			}
			return a.show(page.Items, func(w io.Writer) {
				if len(page.Items) == 0 {
					fmt.Fprintln(w, "No preset is like that.")
					if len(page.Try) > 0 {
						fmt.Fprintf(w, "Presets have tags such as %s.\n", strings.Join(page.Try, ", "))
					}
					return
				}
				var rows [][]string
				for _, p := range page.Items {
					rows = append(rows, presetRow(p))
				}
				table(w, presetHead, rows)
				if page.Total > len(page.Items) {
					fmt.Fprintf(w, "%d of %d\n", len(page.Items), page.Total)
				}
			})
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&want.Kinds, "kind", nil, "any of these kinds: "+strings.Join(preset.Kinds, ", "))
	f.StringSliceVar(&want.Tags, "tag", nil, "all of these tags")
	f.StringVar(&want.Colour, "colour", "", "of its light: "+strings.Join(preset.ColourWords, ", "))
	f.StringVar(&want.Brightness, "brightness", "", "of its light: "+strings.Join(preset.Brightness, ", "))
	f.StringVar(&want.Owner, "owner", "", "whose")
	f.StringVar(&want.Platform, "platform", "", "saved from a level without errors for this platform")
	f.StringVar(&want.Team, "team", "", "shared with this team")
	f.StringVar(&want.Sort, "sort", "name", "best, newest, taken, name")
	f.IntVar(&limit, "limit", 0, "how many; 0 for all")
	return cmd
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

// completePresets offers presets as OWNER/NAME.
func (a *app) completePresets(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.names(cmd, func(ctx context.Context, c *client.Client) (names []string, err error) {
		presets, err := c.Presets(ctx)
		for _, p := range presets {
			names = append(names, p.Owner+"/"+p.Name)
		}
		return names, err
	})
}

func (a *app) presetShow() *cobra.Command {
	return &cobra.Command{
		Use: "show [OWNER/]NAME[@VERSION]", Short: "Show a preset; with --json, its content too", Args: args(1), ValidArgsFunction: a.completePresets,
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, version, err := a.presetRef(cmd, in[0])
			if err != nil {
				return err
			}
			info, content, err := a.client().Preset(cmd.Context(), owner, name, version)
			if err != nil {
				return err
			}
			return a.show(map[string]any{"preset": info, "content": content}, func(w io.Writer) { describePreset(w, &info, content) })
		},
	}
}

func describePreset(w io.Writer, p *api.PresetInfo, content *preset.Preset) {
	fmt.Fprintf(w, "%s/%s, %s, version %d of %d, taken %d times\n", p.Owner, p.Name, p.Kind, p.Version, p.Versions, p.Taken)
	line := func(name, text string) {
		if text != "" {
			fmt.Fprintf(w, "%-10s %s\n", name, text)
		}
	}
	brightness, colours := content.Tint()
	line("note", p.Note)
	line("tags", strings.Join(p.Tags, ", "))
	line("light", strings.Trim(brightness+", "+strings.Join(colours, ", "), ", "))
	line("changes", p.Changes)
	line("credit", p.Credit)
	line("by", p.Author+", "+ago(p.Created))
	line("made by", p.MadeBy)
	line("began as", p.Forked)
	for _, c := range preset.Credits(content.Parts) {
		line(c.What, fmt.Sprintf("%s: %s, %s", c.Name, cmp.Or(c.Credit, "nobody is named"), cmp.Or(c.Licence, "no licence")))
	}
	line("shared", strings.Join(append(append([]string{}, p.Shared...), p.Teams...), ", "))
	line("hash", p.Hash)
}

func (a *app) presetVersions() *cobra.Command {
	return &cobra.Command{
		Use: "versions [OWNER/]NAME", Short: "List the versions of a preset, the newest first", Args: args(1), ValidArgsFunction: a.completePresets,
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, _, err := a.presetRef(cmd, in[0])
			if err != nil {
				return err
			}
			versions, err := a.client().PresetVersions(cmd.Context(), owner, name)
			if err != nil {
				return err
			}
			return a.show(versions, func(w io.Writer) {
				var rows [][]string
				for _, v := range versions {
					rows = append(rows, []string{"@" + strconv.Itoa(v.Version), v.Author, ago(v.Created), v.Hash[:12], cmp.Or(v.Changes, v.Note)})
				}
				table(w, "VERSION|BY|WHEN|HASH|WHAT CHANGED", rows)
			})
		},
	}
}

func (a *app) presetSave() *cobra.Command {
	var want api.NewPreset
	cmd := &cobra.Command{
		Use: "save [OWNER/]NAME", Short: "Save a piece of a level as a version of a preset", Args: args(1),
		Long: "The preset is yours, or one that is shared with a team in which you are an editor.",
		Example: "  grotta preset save pier-lamp --level \"Saltmarsh Light\" --rig lantern-1 --tag lantern\n" +
			"  grotta preset save dusk --level \"Saltmarsh Light\" --note \"After sunset\"\n  grotta preset save hall --level \"Paper Mill\" --zone hall",
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, version, err := api.ParsePreset(in[0], "")
			if err == nil && version != 0 {
				err = fmt.Errorf("%q: the next version is saved; leave @%d out", in[0], version)
			}
			if err != nil {
				return usageError{err}
			}
			c, l, err := a.level(cmd.Context(), want.Level)
			if err != nil {
				return err
			}
			want.Owner, want.Name, want.Level = owner, name, l.ID
			p, err := c.SavePreset(cmd.Context(), want)
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) {
				fmt.Fprintf(w, "%s/%s@%d, a %s\n", p.Owner, p.Name, p.Version, p.Kind)
				if len(p.Uncredited) > 0 {
					fmt.Fprintf(w, "It cannot be shared yet: %s has no credit or no licence.\n", strings.Join(p.Uncredited, ", "))
				}
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&want.Level, "level", "", "level to take it from")
	f.StringVar(&want.Kind, "kind", "", "mood, sky, look, density, environment; rig and zone follow from --rig and --zone (default mood)")
	f.StringVar(&want.Rig, "rig", "", "rig to save")
	f.StringVar(&want.Zone, "zone", "", "zone whose set-up is saved")
	f.BoolVar(&want.Look, "look", false, "save the level's look alone; the same as --kind look")
	f.StringVar(&want.Note, "note", "", "what it is for")
	f.StringSliceVar(&want.Tags, "tag", nil, "tags")
	f.StringVar(&want.Credit, "credit", "", "whom to name when it is used")
	f.StringVar(&want.Changes, "changes", "", "what is other than in the version before")
	cobra.CheckErr(cmd.MarkFlagRequired("level"))
	return cmd
}

// formatLine finds what a file says that it is.
var formatLine = regexp.MustCompile(`(?m)^[\s{,]*"?format"?\s*:\s*"?([a-z-]+/\d+)`)

func (a *app) presetAdd() *cobra.Command {
	var said api.PresetMeta
	name := ""
	cmd := &cobra.Command{
		Use: "add FILE", Short: "Save a file as a preset: a preset, a hand-over, a platform or rules for imports", Args: args(1),
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
			case preset.Format:
				if name == "" {
					return usageError{fmt.Errorf("a preset file has no name of its own; say --name")}
				}
				p, err := a.client().UploadPreset(cmd.Context(), name, text, said)
				if err != nil {
					return err
				}
				return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s/%s@%d, a %s\n", p.Owner, p.Name, p.Version, p.Kind) })
			case handover.Format:
				h, err := a.client().AddHandOver(cmd.Context(), text)
				if err != nil {
					return err
				}
				return a.show(h, func(w io.Writer) {
					fmt.Fprintf(w, "%s: a hand-over for %s, %s\n", h.Name, h.Title, strings.Join(h.Kinds, ", "))
				})
			case platform.Format:
				p, err := a.client().AddPlatform(cmd.Context(), text)
				if err != nil {
					return err
				}
				return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s: %s, a platform\n", p.Name, p.Title) })
			case intake.Format:
				p, err := a.client().AddImportRules(cmd.Context(), text)
				if err != nil {
					return err
				}
				return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s/%s@%d: rules for imports\n", p.Owner, p.Name, p.Version) })
			}
			return fmt.Errorf("%s has the format %q; %s, %s, %s or %s is needed", in[0], is, preset.Format, handover.Format, platform.Format, intake.Format)
		},
	}
	f := cmd.Flags()
	f.StringVar(&name, "name", "", "of a preset file: what the preset is called")
	f.StringVar(&said.Note, "note", "", "of a preset file: what it is for")
	f.StringSliceVar(&said.Tags, "tag", nil, "of a preset file: tags")
	f.StringVar(&said.Credit, "credit", "", "of a preset file: whom to name")
	f.StringVar(&said.Changes, "changes", "", "of a preset file: what is other than in the version before")
	return cmd
}

func (a *app) presetApply() *cobra.Command {
	var to, on string
	var at []string
	var want api.ApplyPreset
	dry := false
	cmd := &cobra.Command{
		Use: "apply [OWNER/]NAME[@VERSION] --to LEVEL", Short: "Put a preset into a level, as one change", Args: args(1), ValidArgsFunction: a.completePresets,
		Example: "  grotta preset apply ivo/morning-fog --to \"Saltmarsh Light\" --only fog,sky --dry-run\n  grotta preset apply recipes/candle --to \"Paper Mill\" --at 1,0.8,2 --at 3,0.8,2 --on 0,1,0",
		RunE: func(cmd *cobra.Command, in []string) error {
			c, l, err := a.level(cmd.Context(), to)
			if err != nil {
				return err
			}
			if want.Owner, want.Name, want.Version, err = a.presetRef(cmd, in[0]); err != nil {
				return err
			}
			var normal *level.Vec
			if on != "" {
				v, err := vector("--on", on)
				if err != nil {
					return err
				}
				normal = &v
			}
			for i, text := range at {
				v, err := vector("--at", text)
				if err != nil {
					return err
				}
				if i == 0 {
					want.At, want.Normal = &v, normal
					continue
				}
				want.Places = append(want.Places, preset.Spot{At: v, Normal: normal})
			}
			if dry {
				changes, err := c.WouldApply(cmd.Context(), l.ID, want)
				if err != nil {
					return err
				}
				return a.show(changes, func(w io.Writer) { writeChanges(w, changes) })
			}
			rev, err := c.ApplyPreset(cmd.Context(), l.ID, want)
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		},
	}
	f := cmd.Flags()
	f.StringVar(&to, "to", "", "level that takes it")
	f.StringArrayVar(&at, "at", nil, "for a rig: where it goes, x,y,z in metres; again for more places")
	f.StringVar(&on, "on", "", "for a rig: --at is on a surface that faces x,y,z; the rig is set against it")
	f.StringSliceVar(&want.Only, "only", nil, "the parts to take, such as sky, fog, sun, look (default: all)")
	f.StringSliceVar(&want.Zones, "zone", nil, "for a mood, look or zone: zones that take it in place of the level")
	f.BoolVar(&dry, "dry-run", false, "only say what it would change")
	cobra.CheckErr(cmd.MarkFlagRequired("to"))
	return cmd
}

// writeChanges lists changes of a level, a line for each field.
func writeChanges(w io.Writer, changes []level.Change) {
	if len(changes) == 0 {
		fmt.Fprintln(w, "Nothing would change.")
		return
	}
	var rows [][]string
	for _, ch := range changes {
		name := cmp.Or(ch.ID, "level")
		if len(ch.Fields) == 0 {
			rows = append(rows, []string{name, map[string]string{"add": "is added", "remove": "goes"}[ch.Kind], "", ""})
		}
		for _, f := range ch.Fields {
			rows = append(rows, []string{name, f.Path, shortValue(f.From), shortValue(f.To)})
		}
	}
	table(w, "WHAT|FIELD|FROM|TO", rows)
}

func shortValue(v any) string {
	if v == nil {
		return "default"
	}
	text, err := level.Encode(v)
	if err != nil || len(text) > 48 {
		return "…"
	}
	return string(text)
}

func (a *app) presetShare() *cobra.Command {
	var with, teams []string
	cmd := &cobra.Command{
		Use: "share NAME --with USER,... --team TEAM,...", Short: "Say with whom a preset of yours is shared", Args: args(1),
		Long: "Replaces the list of those a preset is shared with. \"everybody\" opens it to all\nusers of the service; --with \"\" takes it back. A preset is shared only if each image\nin it has a credit and a licence.",
		RunE: func(cmd *cobra.Command, in []string) error {
			names := []string{}
			for _, n := range with {
				if n != "" {
					names = append(names, n)
				}
			}
			if err := a.client().SharePreset(cmd.Context(), in[0], api.Share{With: names, Teams: teams}); err != nil {
				return err
			}
			return a.show(map[string]any{"name": in[0], "shared_with": names, "teams": append([]string{}, teams...)}, func(w io.Writer) {
				fmt.Fprintf(w, "%s is shared with %s\n", in[0], cmp.Or(strings.Join(append(names, teams...), ", "), "nobody"))
			})
		},
	}
	cmd.Flags().StringSliceVar(&with, "with", nil, "names of users, or everybody")
	cmd.Flags().StringSliceVar(&teams, "team", nil, "names of teams")
	cmd.MarkFlagsOneRequired("with", "team")
	return cmd
}

func (a *app) presetFork() *cobra.Command {
	return &cobra.Command{
		Use: "fork [OWNER/]NAME[@VERSION] NEWNAME", Short: "Make a preset of your own from another's", Args: args(2), ValidArgsFunction: a.completePresets,
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, version, err := a.presetRef(cmd, in[0])
			if err != nil {
				return err
			}
			p, err := a.client().ForkPreset(cmd.Context(), owner, name, version, in[1])
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s/%s@%d, from %s\n", p.Owner, p.Name, p.Version, p.Forked) })
		},
	}
}

func (a *app) presetRename() *cobra.Command {
	return &cobra.Command{
		Use: "rename NAME NEWNAME", Short: "Give a preset of yours another name", Args: args(2),
		RunE: func(cmd *cobra.Command, in []string) error {
			p, err := a.client().RenamePreset(cmd.Context(), in[0], in[1])
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { fmt.Fprintf(w, "%s is %s now\n", in[0], p.Name) })
		},
	}
}

func (a *app) presetDelete() *cobra.Command {
	yes := false
	cmd := &cobra.Command{
		Use: "delete NAME", Short: "Delete a preset of yours; levels keep what they took from it", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			uses, err := a.client().PresetUses(cmd.Context(), in[0])
			if err != nil {
				return err
			}
			if n := len(uses.Levels) + uses.Others; n > 0 && !yes {
				return usageError{fmt.Errorf("%s is used by %s; they keep what they took and are told of no newer version. Say --yes to delete it", in[0], usesWords(uses))}
			}
			return a.client().DeletePreset(cmd.Context(), in[0])
		},
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "also where levels use it")
	return cmd
}

// usesWords names the levels that use a preset.
func usesWords(u api.PresetUses) string {
	parts := append([]string{}, u.Levels...)
	if u.Others > 0 {
		parts = append(parts, fmt.Sprintf("%d levels of others", u.Others))
	}
	return strings.Join(parts, ", ")
}

func (a *app) presetPack() *cobra.Command {
	out := ""
	cmd := &cobra.Command{
		Use: "pack [OWNER/]NAME[@VERSION]... --out FILE", Short: "Write presets to one file that any Grotta reads", Args: args(1, -1), ValidArgsFunction: a.completePresets,
		RunE: func(cmd *cobra.Command, in []string) error {
			zip, err := a.client().WriteBundle(cmd.Context(), in)
			if err != nil {
				return err
			}
			if err := a.writeFile(out, zip); err != nil || out == "-" {
				return err
			}
			return a.show(map[string]any{"file": out, "bytes": len(zip), "presets": len(in)}, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %d presets, %d bytes\n", out, len(in), len(zip))
			})
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "file to write; - for standard output")
	cobra.CheckErr(cmd.MarkFlagRequired("out"))
	return cmd
}

func (a *app) presetUnpack() *cobra.Command {
	return &cobra.Command{
		Use: "unpack FILE", Short: "Take the presets of such a file; they become yours", Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			zip, err := a.readFile(in[0])
			if err != nil {
				return err
			}
			presets, err := a.client().ReadBundle(cmd.Context(), zip)
			if err != nil {
				return err
			}
			return a.show(presets, func(w io.Writer) {
				var rows [][]string
				for _, p := range presets {
					rows = append(rows, presetRow(p))
				}
				table(w, presetHead, rows)
			})
		},
	}
}

func (a *app) presetPicture() *cobra.Command {
	out := ""
	cmd := &cobra.Command{
		Use: "picture [OWNER/]NAME[@VERSION] --out FILE", Short: "A picture of a preset on a neutral stage, JPEG", Args: args(1), ValidArgsFunction: a.completePresets,
		RunE: func(cmd *cobra.Command, in []string) error {
			owner, name, version, err := a.presetRef(cmd, in[0])
			if err != nil {
				return err
			}
			jpeg, err := a.client().PresetPicture(cmd.Context(), owner, name, version)
			if err != nil {
				return err
			}
			return a.writeFile(out, jpeg)
		},
	}
	cmd.Flags().StringVar(&out, "out", "", "file to write; - for standard output")
	cobra.CheckErr(cmd.MarkFlagRequired("out"))
	return cmd
}
