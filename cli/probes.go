package cli

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/mirror"
	"grotta/core/probe"
)

func (a *app) probesCommand() *cobra.Command {
	var point string
	var auto bool
	spacing := 2.0
	cmd := &cobra.Command{
		Use: "probes LEVEL", Short: "Capture the light in a level's probe grids, for things that move", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long:    "Captures spherical harmonics of order 2 at every probe of a level's grids; --json\ngives all coefficients. --auto first adds a grid to each zone that has none.",
		Example: "  grotta probes \"Saltmarsh Light\" --auto --spacing 1.5\n  grotta probes \"Saltmarsh Light\" --point 2.6,1,-5",
		PreRunE: func(*cobra.Command, []string) error {
			if point == "" {
				return nil
			}
			_, err := vector("--point", point)
			return err
		},
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			if auto {
				if err := addProbes(ctx, c, l, spacing); err != nil {
					return err
				}
			}
			p, err := c.Probes(ctx, l.ID, point)
			if err != nil {
				return err
			}
			return a.show(p, func(w io.Writer) { describeProbes(w, &p) })
		}),
	}
	cmd.Flags().StringVar(&point, "point", "", "x,y,z: also tell which probes serve it")
	cmd.Flags().BoolVar(&auto, "auto", false, "add a grid and a reflection to each zone that has none")
	cmd.Flags().Float64Var(&spacing, "spacing", spacing, "auto: the most metres between two probes")
	return cmd
}

func addProbes(ctx context.Context, c *client.Client, l api.LevelInfo, spacing float64) error {
	doc, err := c.Level(ctx, l.ID)
	if err != nil {
		return err
	}
	op := level.Batch("Add probes and reflections")
	for _, g := range probe.Auto(doc.Document, spacing) {
		op.Steps = append(op.Steps, level.Add("probes", g))
	}
	for _, r := range mirror.AutoReflections(doc.Document) {
		op.Steps = append(op.Steps, level.Add("reflections", r))
	}
	if len(op.Steps) == 0 {
		return nil
	}
	_, err = c.Apply(ctx, l.ID, op, doc.Level.Revision)
	return err
}

func describeProbes(w io.Writer, p *api.Probes) {
	if len(p.Grids) == 0 {
		fmt.Fprintln(w, "The level has no probe grids; --auto adds one to each zone.")
		return
	}
	var rows [][]string
	for _, g := range p.Grids {
		used, lux := 0, 0.0
		for i := range g.Probes {
			if g.Probes[i].Inside == "" {
				used++
				sh := probe.SH(g.Probes[i].SH)
				lux += sh.Irradiance(geom.Vec3{0, 1, 0}).Luminance()
			}
		}
		rows = append(rows, []string{g.ID, fmt.Sprintf("%d x %d x %d", g.Count[0], g.Count[1], g.Count[2]), strconv.Itoa(used), strconv.Itoa(len(g.Probes) - used), number(lux / float64(max(used, 1)))})
	}
	table(w, "GRID|PROBES|USED|INSIDE SOLIDS|MEAN lx FACING UP", rows)
	if p.ServedBy != "" {
		fmt.Fprintf(w, "\nserved by %s\n", p.ServedBy)
		rows = nil
		for _, s := range p.Serving {
			rows = append(rows, []string{strconv.Itoa(s.Index), fmt.Sprintf("%.2f, %.2f, %.2f", s.Position[0], s.Position[1], s.Position[2]), fmt.Sprintf("%.0f %%", s.Weight*100)})
		}
		table(w, "PROBE|AT|SHARE", rows)
	}
	if p.Reflection != "" {
		fmt.Fprintf(w, "\nmirrors show %s\n", p.Reflection)
	}
}

func (a *app) reflectionCommand() *cobra.Command {
	var out string
	cmd := &cobra.Command{
		Use: "reflection LEVEL REFLECTION", Short: "Capture what is seen from a reflection's place, as a Radiance HDR image", Args: args(2), ValidArgsFunction: a.completeLevels,
		Long: `Writes the six faces of a cube side by side (+x, -x, +y, -y, +z, -z), and below
them the same for rougher and rougher mirrors, each of half the side.`,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			data, err := c.Reflection(ctx, l.ID, in[1])
			if err != nil {
				return err
			}
			return a.saved(cmp.Or(out, in[1]+".hdr"), data, nil, nil)
		}),
	}
	cmd.Flags().StringVarP(&out, "out", "o", "", "file to write (default: the reflection's id)")
	return cmd
}
