package cli

import (
	"errors"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"grotta/api"
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
	cmd := &cobra.Command{
		Use: "restore [FILE]", Short: "Make a data folder from a backup", Args: args(0, 1),
		Long: `Makes a data folder from a backup. The folder must be new or empty. It appears once
every file in it is verified; a restore that is cut off leaves nothing behind but a folder
named .grotta-restore, which can be deleted. FILE may be the address of a copy in an S3
store (serve --replica https://s3.example/bucket/records). With --nats and no file it takes
the copy of records that a service keeps in that cluster (serve --replica nats). Baked layers
are not in a copy of records; they are baked again when they are wanted.`,
		RunE: func(_ *cobra.Command, in []string) error {
			from, err := a.clusterOptions()
			if err != nil {
				return err
			}
			var b api.Backup
			switch {
			case len(in) > 0:
				b, err = a.host.Restore(in[0], a.settings.text("data"))
			case from.URL != "":
				b, err = a.host.RestoreFrom(from, a.settings.text("data"))
			default:
				return usageError{errors.New("restore needs a FILE, or --nats with the address of a NATS cluster")}
			}
			if err != nil {
				return err
			}
			return a.show(map[string]any{"data": a.settings.text("data"), "bytes": b.Bytes, "blobs": b.Blobs}, func(w io.Writer) {
				fmt.Fprintf(w, "%s: %.1f MB with %s\n", a.settings.text("data"), float64(b.Bytes)/1e6, count(b.Blobs, "baked layer"))
			})
		},
	}
	cmd.Flags().String("data", "", "folder to make (default grotta-data)")
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
