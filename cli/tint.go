package cli

import (
	"errors"

	"github.com/spf13/cobra"
)

func (a *app) levelTint() *cobra.Command {
	var materials []string
	var toward string
	var share float64
	cmd := &cobra.Command{
		Use: "tint LEVEL", Short: "Bring the colours of several materials toward one", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: `Brings the colours of materials toward one colour, all in one step that can be undone,
such as foliage and ground for autumn. Each keeps its luminance.`,
		Example: `  grotta level tint "Saltmarsh Light" --materials turf,reed --toward "#b0762e" --share 0.4`,
		RunE: func(cmd *cobra.Command, in []string) error {
			if len(materials) == 0 || toward == "" {
				return usageError{errors.New("tint needs --materials and --toward")}
			}
			c, l, err := a.level(cmd.Context(), in[0])
			if err != nil {
				return err
			}
			doc, err := c.Level(cmd.Context(), l.ID)
			if err != nil {
				return err
			}
			op, err := doc.Document.TintMaterials(materials, toward, share)
			if err != nil {
				return usageError{err}
			}
			rev, err := c.Apply(cmd.Context(), l.ID, op, doc.Level.Revision) // the colours are those of this revision
			if err != nil {
				return err
			}
			return a.showRevision(rev)
		},
	}
	f := cmd.Flags()
	f.StringSliceVar(&materials, "materials", nil, "ids of materials, with commas between")
	f.StringVar(&toward, "toward", "", "colour, such as #b0762e")
	f.Float64Var(&share, "share", 0.3, "how far, 0 to 1")
	return cmd
}
