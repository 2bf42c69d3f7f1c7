package cli

import (
	"context"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
)

func (a *app) fitCommand() *cobra.Command {
	var ask api.NewFit
	var apply bool
	var only []int
	var onto, variant string
	cmd := &cobra.Command{
		Use: "fit LEVEL", Short: "Find the least visible change after which platforms take a level", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: "Finds the least visible change after which every limit of the platforms holds: which lights lose their shadow,\n" +
			"end sooner, become another kind, are baked or go out, and what else has to give. What each step costs is measured\n" +
			"as a colour difference (CIEDE2000; about 1 is just seen side by side) over what the viewpoints see and where a\n" +
			"player walks. Nothing changes without --apply; then one undo takes all of it back.\n\n" +
			"Ends with 4 when something is still over a limit.",
		Example: "  grotta fit \"Saltmarsh Light\" --platform pocket\n" +
			"  grotta fit \"Saltmarsh Light\" --platform pocket --platform baked-arena --keep great-lens --apply\n" +
			"  grotta fit \"Saltmarsh Light\" --platform pocket --copy \"Saltmarsh Light, pocket\"\n" +
			"  grotta fit \"Saltmarsh Light\" --platform pocket --variant pocket",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			plan, err := c.Fit(ctx, l.ID, ask)
			if err != nil {
				return err
			}
			op, err := chosenSteps(&plan, only)
			if err != nil {
				return err
			}
			if op != nil && onto != "" {
				if l, err = c.CopyLevel(ctx, l.ID, api.LevelCopy{Name: onto}); err != nil {
					return err
				}
				plan.Revision = l.Revision
			}
			if op != nil && variant != "" {
				want := api.NewVariant{Name: variant, Follows: true}
				if len(ask.Platforms) > 0 {
					want.Platform = ask.Platforms[0]
				}
				made, err := c.NewVariant(ctx, l.ID, want)
				if err != nil {
					return err
				}
				l, plan.Revision = made.Level, made.Level.Revision
			}
			done := ""
			if op != nil && (apply || onto != "" || variant != "") {
				rev, err := c.Apply(ctx, l.ID, *op, plan.Revision)
				if err != nil {
					return err
				}
				done = fmt.Sprintf("applied to %s, revision %d", l.Name, rev.Number)
			}
			if err := a.show(plan, func(w io.Writer) { describeFit(w, &plan, done) }); err != nil {
				return err
			}
			if len(plan.Left) > 0 {
				return exit(exitErrors)
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringArrayVar(&ask.Platforms, "platform", nil, "platform to fit to; may be given again (default: those of the level)")
	f.StringSliceVar(&ask.Keep, "keep", nil, "ids of lights that stay as they are")
	f.BoolVar(&apply, "apply", false, "apply the steps, as one change")
	f.IntSliceVar(&only, "only", nil, "with --apply, --copy or --variant: only the steps with these numbers, such as 1,2,5")
	f.StringVar(&onto, "copy", "", "apply the steps to a copy of the level with this name")
	f.StringVar(&variant, "variant", "", "apply the steps to a new variant of the level with this name, which follows it from then on")
	cmd.MarkFlagsMutuallyExclusive("apply", "copy", "variant")
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("platform", a.completePlatforms))
	return cmd
}

// chosenSteps are the steps of a plan that are applied, as one change; nil where there are none.
func chosenSteps(plan *api.FitPlan, only []int) (*level.Operation, error) {
	if len(only) == 0 || plan.Operation == nil {
		return plan.Operation, nil
	}
	op := level.Batch("Fit " + strings.Join(plan.Platforms, ", "))
	for _, n := range only {
		if n < 1 || n > len(plan.Steps) {
			return nil, usageError{fmt.Errorf("--only is %d; the plan has steps 1 to %d", n, len(plan.Steps))}
		}
	}
	for i := range plan.Steps {
		if slices.Contains(only, i+1) {
			op.Steps = append(op.Steps, plan.Steps[i].Operation)
		}
	}
	return &op, nil
}

func describeFit(w io.Writer, plan *api.FitPlan, done string) {
	if len(plan.Steps) == 0 && len(plan.Left) == 0 {
		fmt.Fprintf(w, "%s: nothing has to change\n", strings.Join(plan.Platforms, ", "))
		return
	}
	var rows [][]string
	for i, s := range plan.Steps {
		mean, p95 := "not measured", ""
		if s.Measured {
			mean, p95 = fmt.Sprintf("%.2f", s.Mean), fmt.Sprintf("%.2f", s.P95)
		}
		rows = append(rows, []string{strconv.Itoa(i + 1), s.What, mean, p95, strings.Join(s.Platforms, ", ")})
	}
	table(w, "STEP|CHANGE|SEEN, MEAN|95 %|FOR", rows)
	how := "the smallest sum there is"
	if !plan.Exact {
		how = fmt.Sprintf("at most %.2f over the smallest sum there can be", plan.Sum-plan.Bound)
	}
	fmt.Fprintf(w, "\nall together: %.2f on average over %s, 95 %% under %.2f, at most %.2f; %s\n", plan.Mean, count(plan.Spots, "spot"), plan.P95, plan.Most, how)
	for _, left := range plan.Left {
		fmt.Fprintln(w, "still over:", left)
	}
	if done != "" {
		fmt.Fprintln(w, done)
	}
}
