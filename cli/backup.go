package cli

import (
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"
)

func (a *app) backupCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "backup [FILE]", Short: "Copy all data into one file, also while the service runs", Args: args(0, 1),
		Long: `Copies the database and all baked layers of a data folder into one compressed file, on
the service's own machine. The service may run meanwhile. The file appears once it is
whole.`,
		RunE: func(_ *cobra.Command, in []string) error {
			file := "grotta-" + time.Now().UTC().Format("20060102-150405") + ".backup"
			if len(in) > 0 {
				file = in[0]
			}
			b, err := a.host.Backup(a.settings.text("data"), file)
			if err != nil {
				return err
			}
			return a.show(map[string]any{"file": file, "bytes": b.Bytes, "blobs": b.Blobs, "lost": b.Lost}, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %.1f MB with %s\n", file, float64(b.Bytes)/1e6, count(b.Blobs, "baked layer"))
				if b.Lost > 0 {
					fmt.Fprintf(w, "%s were missing on disk; they are baked again when they are wanted\n", count(b.Lost, "layer"))
				}
			})
		},
	}
	cmd.Flags().String("data", "", "folder of the data (default grotta-data)")
	return cmd
}

func (a *app) restoreCommand() *cobra.Command {
	var at string
	cmd := &cobra.Command{
		Use: "restore [FROM]", Short: "Make a data folder from a backup or a copy of the records", Args: args(0, 1),
		Long: `Makes a data folder from a backup, or from the copy of records that a service keeps up
(serve --replica). The folder must be new or empty. It appears once everything in it is
verified; a restore that is cut off leaves nothing behind but a folder named
.grotta-restore, which can be deleted.

FROM is the file of a backup, the folder of a copy, or the address of a copy in an S3 store
such as https://s3.example/bucket/records. With --nats and no FROM it is the copy in that
cluster. --at takes an earlier state of a copy: of the last three days at least, to the
second within ten minutes, to the minute before. Baked layers are not in a copy; they are
baked again when they are wanted.`,
		Example: `  grotta restore grotta-20261129-140000.backup
  grotta restore /mnt/other/records --at 2026-11-29T14:05:00Z`,
		RunE: func(_ *cobra.Command, in []string) error {
			o := RestoreOptions{Data: a.settings.text("data")}
			var err error
			if o.Cluster, err = a.clusterOptions(); err != nil {
				return err
			}
			switch {
			case len(in) > 0:
				o.From = in[0]
			case o.Cluster.URL == "":
				return usageError{errors.New("restore needs FROM, or --nats with the address of a NATS cluster")}
			}
			if at != "" {
				if o.At, err = time.Parse(time.RFC3339, at); err != nil {
					return usageError{fmt.Errorf("at is %q; a time such as 2026-11-29T14:05:00Z or 2026-11-29T15:05:00+01:00 is needed", at)}
				}
			}
			b, err := a.host.Restore(o)
			if err != nil {
				return err
			}
			shown := map[string]any{"data": o.Data, "bytes": b.Bytes, "blobs": b.Blobs}
			if !b.State.IsZero() {
				shown["state"] = b.State
			}
			return a.show(shown, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %.1f MB with %s\n", o.Data, float64(b.Bytes)/1e6, count(b.Blobs, "baked layer"))
				if !b.State.IsZero() {
					fmt.Fprintf(w, "as it was copied at %s\n", b.State.Format(time.RFC3339))
				}
			})
		},
	}
	cmd.Flags().String("data", "", "folder to make (default grotta-data)")
	cmd.Flags().StringVar(&at, "at", "", "the state of this time, such as 2026-11-29T14:05:00Z (default the newest)")
	clusterFlags(cmd)
	return cmd
}

func (a *app) verifyCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "verify", Short: "Read all data and tell what is damaged", Args: args(0),
		Long: `Reads the database, every document and every baked layer of a data folder and tells what
is damaged. It changes nothing, and the service may run meanwhile. It ends with 1 where
something is damaged.`,
		RunE: func(*cobra.Command, []string) error {
			v, err := a.host.Verify(a.settings.text("data"))
			if err != nil {
				return err
			}
			if err := a.show(v, func(w io.Writer) {
				fmt.Fprintf(w, "%s and %s read\n", count(v.Documents, "document"), count(v.Layers, "layer"))
				for _, f := range v.Faults {
					fmt.Fprintln(w, f)
				}
				if v.Sound() {
					fmt.Fprintln(w, "all is sound")
				}
			}); err != nil {
				return err
			}
			if !v.Sound() {
				return exit(exitFailed)
			}
			return nil
		},
	}
	cmd.Flags().String("data", "", "folder of the data (default grotta-data)")
	return cmd
}
