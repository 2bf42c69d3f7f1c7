package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

func (a *app) densityCommand() *cobra.Command {
	var b api.Budget
	var apply bool
	cmd := &cobra.Command{
		Use: "density LEVEL", Short: "Plan the density of every surface for a budget of texels", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long:    "Finds the density of each surface at which a budget of texels shows the level's\nlight best: fine where shadows are sharp, coarse where light is even. Without\n--apply nothing changes.",
		Example: "  grotta density \"Saltmarsh Light\" --texels 120000 --apply",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			plan, err := c.PlanDensity(ctx, l.ID, b)
			if err != nil {
				return err
			}
			if err := a.show(plan, func(w io.Writer) { describePlan(w, &plan) }); err != nil {
				return err
			}
			if !apply || plan.Operation == nil {
				return nil
			}
			rev, err := c.Apply(ctx, l.ID, *plan.Operation, l.Revision)
			if err != nil || a.json {
				return err
			}
			return a.showRevision(rev)
		}),
	}
	f := cmd.Flags()
	f.IntVar(&b.Texels, "texels", 0, "texels of all charts, with their padding")
	f.IntVar(&b.Pages, "pages", 0, "pages at the level's page size")
	f.Float64Var(&b.Least, "least", 0.5, "lowest density, texels a metre")
	f.Float64Var(&b.Most, "most", 32, "highest density")
	f.Float64SliceVar(&b.Steps, "steps", nil, "densities that the platform takes, such as 2,4,8,16")
	cmd.MarkFlagsOneRequired("texels", "pages")
	f.BoolVar(&apply, "apply", false, "change the level, as one operation")
	return cmd
}

func describePlan(w io.Writer, p *api.Plan) {
	row := func(name string, s api.Size) []string {
		return []string{name, strconv.Itoa(s.Texels), strconv.Itoa(s.Pages), fmt.Sprintf("%.2f", s.Error)}
	}
	table(w, "|TEXELS, PADDED|PAGES|LOST, DISPLAY STEPS", [][]string{row("now", p.Before), row("planned", p.After), row("one density, as many texels", p.Uniform)})
	fmt.Fprintln(w)
	var rows [][]string
	for i, c := range p.Surfaces {
		if i == 12 {
			rows = append(rows, []string{fmt.Sprintf("and %d more", len(p.Surfaces)-i), "", "", ""})
			break
		}
		face := strconv.Itoa(c.Face)
		if c.Face < 0 {
			face = ""
		}
		rows = append(rows, []string{c.Entity, face, number(c.Before), number(c.After)})
	}
	table(w, "SURFACE|FACE|NOW /m|PLANNED /m", rows)
}
