package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/exchange"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/report"
)

// checking is what the check command was asked for.
type checking struct {
	platforms []string
	fix       bool
	failOn    string
	format    string
	file      string
	families  []string
	units     string
	waived    bool
	pictures  bool
	version   string
}

var checkFormats = []string{"table", "json", "sarif", "junit", "html"}

func (a *app) checkCommand() *cobra.Command {
	var o checking
	cmd := &cobra.Command{
		Use: "check LEVEL|FILE", Short: "Check a level against platforms", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: "Checks a level against the platforms that it is for, or those that are named. A file is checked by itself,\n" +
			"without a service: a level document, glTF or another file that can be brought in.\n\n" +
			"Ends with 0 when nothing is as grave as --fail-on, 3 when there are warnings, 4 when there are errors.",
		Example: "  grotta check \"Saltmarsh Light\" --platform baked-arena --platform pocket\n" +
			"  grotta check level.glb --format sarif --out level.sarif\n" +
			"  grotta check \"Paper Mill\" --format html --out checks.html",
		PreRunE: func(*cobra.Command, []string) error {
			o.version = a.host.Version
			return o.valid()
		},
		RunE: func(cmd *cobra.Command, in []string) error {
			if isFile(in[0]) {
				return a.checkFile(in[0], &o)
			}
			if exchange.IsLevelFile(in[0]) {
				return fmt.Errorf("there is no file %s", in[0])
			}
			return a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
				return a.checkLevel(ctx, c, l, &o)
			})(cmd, in)
		},
	}
	f := cmd.Flags()
	f.StringArrayVar(&o.platforms, "platform", nil, "platform to check against, or the file of a profile; may be given again (default: those of the level)")
	f.BoolVar(&o.fix, "fix", false, "apply the fix of every finding that has one, as one change, and check again")
	f.StringVar(&o.failOn, "fail-on", "warning", "the mildest finding that fails: error, warning, advice or never")
	f.StringVar(&o.format, "format", "table", "how the findings are written: "+strings.Join(checkFormats, ", "))
	f.StringVarP(&o.file, "out", "o", "", "write to a file")
	f.StringSliceVar(&o.families, "family", nil, "only these: "+strings.Join(check.Families, ", "))
	f.StringVar(&o.units, "units", "metres", "places in metres, or in the platform's own terms: metres or platform")
	f.BoolVar(&o.waived, "waived", false, "show what is waived, too")
	f.BoolVar(&o.pictures, "pictures", true, "html: with a picture of each viewpoint")
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("platform", a.completePlatforms))
	for name, words := range map[string][]string{"format": checkFormats, "fail-on": append(slices.Clone(report.Severities), "never"), "family": check.Families, "units": {"metres", "platform"}} {
		cobra.CheckErr(cmd.RegisterFlagCompletionFunc(name, cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp)))
	}
	return cmd
}

func (o *checking) valid() error {
	for _, err := range []error{
		oneOf("--format", o.format, checkFormats), oneOf("--fail-on", o.failOn, append(slices.Clone(report.Severities), "never")), oneOf("--units", o.units, []string{"metres", "platform"}),
	} {
		if err != nil {
			return err
		}
	}
	for _, f := range o.families {
		if err := oneOf("--family", f, check.Families); err != nil {
			return err
		}
	}
	return nil
}

// isFile tells whether an argument names a file, and not a level.
func isFile(name string) bool {
	info, err := os.Stat(name)
	return err == nil && info.Mode().IsRegular() && filepath.Ext(name) != ""
}

func (a *app) checkLevel(ctx context.Context, c *client.Client, l api.LevelInfo, o *checking) error {
	reports, err := c.Checks(ctx, l.ID, o.platforms)
	if err != nil {
		return err
	}
	if o.fix {
		if err := a.fix(ctx, c, l, reports); err != nil {
			return err
		}
		if reports, err = c.Checks(ctx, l.ID, o.platforms); err != nil {
			return err
		}
	}
	spaces := map[string]*platform.Space{}
	if o.units == "platform" {
		all, err := c.Platforms(ctx)
		if err != nil {
			return err
		}
		for _, p := range all {
			spaces[p.Ref] = &p.Profile.Space
		}
	}
	var pictures []report.Picture
	if o.format == "html" && o.pictures {
		if pictures, err = a.shots(ctx, c, l); err != nil {
			return err
		}
	}
	return a.tell(reports, o, l.Name, "level:"+l.ID, spaces, pictures)
}

// shots are small pictures of a level's first viewpoints.
func (a *app) shots(ctx context.Context, c *client.Client, l api.LevelInfo) ([]report.Picture, error) {
	got, err := c.Level(ctx, l.ID)
	if err != nil {
		return nil, err
	}
	doc := got.Document
	var out []report.Picture
	for _, v := range doc.Viewpoints[:min(4, len(doc.Viewpoints))] {
		data, _, err := c.Shot(ctx, l.ID, api.NewShot{Viewpoint: v.ID, Width: 640, Height: 360})
		if err != nil {
			return nil, err
		}
		out = append(out, report.Picture{Name: cmp.Or(v.Name, v.ID), PNG: data})
	}
	return out, nil
}

// checkFile checks a file by itself.
func (a *app) checkFile(path string, o *checking) error {
	if o.fix {
		return usageError{errors.New("--fix changes levels of a service; bring the file in first: grotta level import " + path)}
	}
	doc, err := a.readLevel(path)
	if err != nil {
		return err
	}
	names := o.platforms
	if len(names) == 0 {
		names = append([]string{cmp.Or(doc.Platform, "baked-arena")}, doc.AlsoFor...)
	}
	p, err := bake.Prepare(doc)
	if err != nil {
		return err
	}
	subject := check.Of(p)
	var reports []api.Report
	spaces := map[string]*platform.Space{}
	for _, name := range names {
		profile, err := profileNamed(name)
		if err != nil {
			return err
		}
		reports = append(reports, report.Of("", 0, subject.Against(profile)))
		spaces[profile.Name] = &profile.Space
	}
	return a.tell(reports, o, cmp.Or(doc.Name, filepath.Base(path)), filepath.ToSlash(path), spaces, nil)
}

// readLevel reads a level document, or makes a level of another file and those beside it that it names.
func (a *app) readLevel(path string) (*level.Level, error) {
	var o api.ImportOptions
	data, _, err := a.packFile(path, &o)
	if err != nil {
		return nil, err
	}
	files, err := exchange.OpenFiles(data, o.File, o.Main)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	l, _, err := exchange.Read(files, exchange.Options{})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	return l, nil
}

// profileNamed is a platform that comes with Grotta, or the profile in a file.
func profileNamed(name string) (*platform.Profile, error) {
	if !isFile(name) {
		return platform.Named(name)
	}
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	p, err := platform.Parse(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return p, nil
}

// tell writes reports in the form that was asked for, and ends with the code that they deserve.
func (a *app) tell(reports []api.Report, o *checking, name, artifact string, spaces map[string]*platform.Space, pictures []report.Picture) error {
	for i := range reports {
		reports[i].Findings = slices.DeleteFunc(reports[i].Findings, func(f api.Finding) bool {
			return len(o.families) > 0 && !slices.Contains(o.families, f.Family)
		})
	}
	text, err := o.text(reports, name, artifact, spaces, pictures)
	switch {
	case err != nil:
		return err
	case a.json && o.format == "table":
		err = a.show(plainly(reports), nil)
	case o.file != "":
		err = a.saved(o.file, text, nil, nil)
	default:
		_, err = a.out.Write(text)
	}
	if err != nil {
		return err
	}
	return o.exit(reports)
}

func (o *checking) text(reports []api.Report, name, artifact string, spaces map[string]*platform.Space, pictures []report.Picture) ([]byte, error) {
	switch o.format {
	case "sarif":
		return report.SARIF(o.version, artifact, reports)
	case "junit":
		failOn := o.failOn
		if failOn == "never" {
			failOn = ""
		}
		return report.JUnit(name, reports, failOn)
	case "html":
		return report.Page(name, time.Now().Format("2 January 2006, 15:04"), reports, pictures)
	case "json":
		text, err := level.Encode(plainly(reports))
		return append(text, '\n'), err
	}
	var b strings.Builder
	for i := range reports {
		if i > 0 {
			fmt.Fprintln(&b)
		}
		o.describe(&b, &reports[i], spaces[reports[i].Platform])
	}
	return []byte(b.String()), nil
}

// plainly is one report by itself, and several as a list.
func plainly(reports []api.Report) any {
	if len(reports) == 1 {
		return reports[0]
	}
	return reports
}

// exit is the code for the gravest finding, unless --fail-on lets it pass.
func (o *checking) exit(reports []api.Report) error {
	worst := ""
	for _, r := range reports {
		for _, f := range r.Findings {
			if f.Waived == "" && (worst == "" || report.Grave(f.Severity, worst)) {
				worst = f.Severity
			}
		}
	}
	switch {
	case worst == "" || o.failOn == "never" || !report.Grave(worst, o.failOn):
		return nil
	case worst == "error":
		return exit(exitErrors)
	}
	return exit(exitWarnings)
}

// describe writes a report as text.
func (o *checking) describe(w io.Writer, r *api.Report, space *platform.Space) {
	for _, f := range r.Findings {
		if f.Waived != "" && !o.waived {
			continue
		}
		fmt.Fprintf(w, "%-8s %s\n         %s\n", f.Severity, f.Rule, f.Message)
		if at := whereIs(&f, space); at != "" {
			fmt.Fprintf(w, "         at  %s\n", at)
		}
		if f.Waived != "" {
			fmt.Fprintf(w, "         waived: %s\n", f.Waived)
			continue
		}
		fmt.Fprintf(w, "         why %s\n", f.Why)
		if f.Fix != nil {
			fmt.Fprintf(w, "         fix %s\n", f.Fix.Describe())
		}
	}
	if len(r.Findings) > 0 {
		fmt.Fprintln(w)
	}
	m := r.Lightmap
	waived := ""
	if r.Waived > 0 {
		waived = fmt.Sprintf(", %d waived", r.Waived)
	}
	fmt.Fprintf(w, "%s: %s, %s, %s of advice%s; lightmap %s of %d, %s, %.1f MB\n",
		r.Platform, count(r.Counts["error"], "error"), count(r.Counts["warning"], "warning"), count(r.Counts["advice"], "piece"), waived,
		count(m.Pages, "page"), m.PageSize, count(m.Texels, "texel"), float64(m.Bytes)/1e6)
}

// whereIs is the place of a finding: entities, and a point, in the platform's terms where a space is given.
func whereIs(f *api.Finding, space *platform.Space) string {
	const most = 6
	names := f.Entities
	more := ""
	if len(names) > most {
		names, more = names[:most], fmt.Sprintf(" and %d more", len(f.Entities)-most)
	}
	at := strings.Join(names, ", ") + more
	if f.Point == nil || space == nil {
		return at
	}
	p := space.Point(*f.Point)
	if at != "" {
		at += "; "
	}
	return at + fmt.Sprintf("%.4g, %.4g, %.4g units of the platform", p[0], p[1], p[2])
}

// completePlatforms offers the names of platforms.
func (a *app) completePlatforms(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	return a.names(cmd, func(ctx context.Context, c *client.Client) (names []string, err error) {
		all, err := c.Platforms(ctx)
		for _, p := range all {
			names = append(names, p.Ref)
		}
		return names, err
	})
}

func (a *app) fix(ctx context.Context, c *client.Client, l api.LevelInfo, reports []api.Report) error {
	op := level.Batch("fix findings")
	var names []string
	seen := map[string]bool{}
	for _, r := range reports {
		names = append(names, r.Platform)
		for _, f := range r.Findings {
			if f.Fix == nil || f.Waived != "" || seen[f.Rule+f.Fix.Describe()] {
				continue
			}
			seen[f.Rule+f.Fix.Describe()] = true
			op.Steps = append(op.Steps, *f.Fix)
			fmt.Fprintln(a.err, "fix:", f.Fix.Describe())
		}
	}
	op.Label = "fix findings of " + strings.Join(names, ", ")
	if len(op.Steps) == 0 {
		return nil
	}
	_, err := c.Apply(ctx, l.ID, op, reports[0].Revision)
	return err
}

func (a *app) waiveCommand() *cobra.Command {
	var reason, only string
	var takeBack bool
	cmd := &cobra.Command{
		Use: "waive LEVEL RULE", Short: "Say that findings of a rule are meant, and why", Args: args(2), ValidArgsFunction: a.completeLevels,
		Long:    "Says that the present findings of a rule are known and meant. They stay in the level with the reason, and no\nlonger fail a check. A finding about anything more is a new one.",
		Example: "  grotta waive \"Tram Yard\" limits.shadow-overlap --reason \"the carried lamp is off here\"",
		PreRunE: func(*cobra.Command, []string) error {
			if reason == "" && !takeBack {
				return usageError{errors.New("--reason is missing; say why the findings are meant")}
			}
			return nil
		},
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			rule := in[1]
			if _, ok := check.RuleNamed(rule); !ok {
				return usageError{fmt.Errorf("no rule is called %q; grotta rules lists them", rule)}
			}
			op, n, err := a.waivers(ctx, c, l, rule, only, reason, takeBack)
			if err != nil {
				return err
			}
			if n == 0 {
				return fmt.Errorf("the level has no finding of %s that could be changed", rule)
			}
			rev, err := c.Apply(ctx, l.ID, op, 0)
			if err != nil {
				return err
			}
			return a.show(rev, func(w io.Writer) { fmt.Fprintf(w, "%s, revision %d\n", op.Label, rev.Number) })
		}),
	}
	cmd.Flags().StringVar(&reason, "reason", "", "why they are meant")
	cmd.Flags().StringVar(&only, "only", "", "only findings about this entity")
	cmd.Flags().BoolVar(&takeBack, "take-back", false, "take the waivers of the rule back")
	return cmd
}

// waivers is the operation that waives the findings of a rule, or takes its waivers back, and how many.
func (a *app) waivers(ctx context.Context, c *client.Client, l api.LevelInfo, rule, only, reason string, takeBack bool) (level.Operation, int, error) {
	got, err := c.Level(ctx, l.ID)
	if err != nil {
		return level.Operation{}, 0, err
	}
	doc := got.Document
	var steps []level.Operation
	if takeBack {
		for _, w := range doc.Waivers {
			if w.Rule == rule && (only == "" || slices.Contains(w.About, only)) {
				steps = append(steps, level.Remove(w.ID))
			}
		}
		return level.Batch("Take back waivers of "+rule, steps...), len(steps), nil
	}
	reports, err := c.Checks(ctx, l.ID, nil)
	if err != nil {
		return level.Operation{}, 0, err
	}
	ids := doc.NewIDs()
	seen := map[string]bool{}
	for _, r := range reports {
		for _, f := range r.Findings {
			about := strings.Join(f.Entities, " ") + " " + f.Zone
			if f.Rule != rule || f.Waived != "" || seen[about] || only != "" && !slices.Contains(f.Entities, only) {
				continue
			}
			seen[about] = true
			steps = append(steps, level.Add("waivers", check.Waive(ids, rule, f.Entities, f.Zone, reason, "")))
		}
	}
	return level.Batch("Waive "+rule, steps...), len(steps), nil
}

func (a *app) rulesCommand() *cobra.Command {
	return &cobra.Command{
		Use: "rules [RULE]", Short: "List what the checks look for", Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, in []string) error {
			rules := report.Rules()
			if len(in) == 1 {
				i := slices.IndexFunc(rules, func(r api.CheckRule) bool { return r.ID == in[0] })
				if i < 0 {
					return usageError{fmt.Errorf("no rule is called %q; grotta rules lists them", in[0])}
				}
				rules = rules[i : i+1]
			}
			return a.show(rules, func(w io.Writer) {
				if len(in) == 1 {
					r := rules[0]
					fmt.Fprintf(w, "%s (%s, %s)\n%s\nwhy   %s\nneeds %s\n", r.ID, r.Family, strings.Join(r.Severities, " or "), r.Title, r.Why, r.Needs)
					if r.Fix != "" {
						fmt.Fprintf(w, "fix   %s\n", r.Fix)
					}
					return
				}
				var rows [][]string
				for _, r := range rules {
					rows = append(rows, []string{r.ID, r.Family, strings.Join(r.Severities, ", "), r.Title})
				}
				table(w, "RULE|FAMILY|SEVERITY|WHAT IT FINDS", rows)
			})
		},
	}
}
