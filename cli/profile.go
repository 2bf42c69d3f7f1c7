package cli

import (
	"context"
	"fmt"
	"io"
	"math"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/core/photometry"
)

// This file gives lights the profile of a luminaire.

func (a *app) lightProfile() *cobra.Command {
	var keep bool
	var credit, licence string
	cmd := &cobra.Command{
		Use: "profile LEVEL LIGHT FILE", Short: "Let a point or spot shine by an IES file, or evenly again (none)", Args: args(3), ValidArgsFunction: a.completeLights,
		Long: "Read an IES LM-63 file (photometry of type C) into the level and let a light shine by it, as strong as it was\nmeasured. FILE may be the id of a profile that the level has, or none.",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			doc, err := c.Level(ctx, l.ID)
			if err != nil {
				return err
			}
			if doc.Document.Light(in[1]) == nil {
				return fmt.Errorf("the level has no light %q", in[1])
			}
			op := level.Batch("", level.Set(in[1], map[string]any{"profile": nil}))
			said := "evenly"
			if in[2] != "none" {
				steps, p, err := a.profileSteps(doc.Document, in[1], in[2], credit, licence)
				if err != nil {
					return err
				}
				last := steps[len(steps)-1].Fields
				if own := doc.Document.Light(in[1]); own.Kind == level.Point && own.Transform.Rotation == [4]float64{0, 0, 0, 1} {
					last["transform.rotation"] = hanging // one that was never turned
				}
				if !keep {
					last["strength"] = p.Peak
				}
				op = level.Batch(fmt.Sprintf("Let %s shine by %s", in[1], filepath.Base(in[2])), steps...)
				said = fmt.Sprintf("by %s: %.4g cd at its brightest, %.4g lm as measured", filepath.Base(in[2]), p.Peak, p.Lumens())
			}
			rev, err := c.Apply(ctx, l.ID, op, 0)
			if err != nil {
				return err
			}
			return a.show(rev, func(w io.Writer) { fmt.Fprintf(w, "revision %d: %s shines %s\n", rev.Number, in[1], said) })
		}),
	}
	f := cmd.Flags()
	f.BoolVar(&keep, "keep-strength", false, "keep the light's own strength; the profile gives the shape alone")
	f.StringVar(&credit, "credit", "", "whom to name when the profile is used")
	f.StringVar(&licence, "licence", "", "licence of the profile")
	return cmd
}

// hanging is the rotation of a light whose axis points down.
var hanging = [4]float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2}

// profileSteps are the edits that let a light shine by a profile of the level, or by a file that comes
// in with it.
func (a *app) profileSteps(doc *level.Level, light, file, credit, licence string) ([]level.Operation, *photometry.Profile, error) {
	if v := doc.Profile(file); v != nil {
		return []level.Operation{level.Set(light, map[string]any{"profile": v.ID})}, v.Shape(), nil
	}
	data, err := a.readFile(file)
	if err != nil {
		return nil, nil, err
	}
	p, err := photometry.Parse(data)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", file, err)
	}
	name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
	v := &level.LightProfile{ID: doc.FreshID(name), Name: name, Data: data, Credit: credit, Licence: licence}
	return []level.Operation{level.Add("profiles", v), level.Set(light, map[string]any{"profile": v.ID})}, p, nil
}
