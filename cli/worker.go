package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
)

// ClusterOptions are how a NATS cluster is reached on which other machines bake.
type ClusterOptions struct {
	URL, Credentials, CA, Cert, Key, Name string
	Replicas                              int
	Blobs                                 string // address of an S3 store for what machines send each other; "" is the cluster's own
}

// WorkOptions are the settings of a worker.
type WorkOptions struct {
	Cluster  ClusterOptions
	Name     string
	Cache    string
	LogLevel slog.Level
	Traces   string // address of a collector of OpenTelemetry; "" is none
	Out, Err io.Writer
}

func clusterFlags(cmd *cobra.Command) {
	cmd.Flags().String("nats", "", "address of a NATS cluster, such as nats://one:4222,nats://two:4222")
	cmd.Flags().String("nats-creds", "", "file of credentials for it")
	cmd.Flags().String("nats-ca", "", "file of the certificate authority of its servers")
	cmd.Flags().String("nats-cert", "", "file of a client certificate")
	cmd.Flags().String("nats-key", "", "file of the key of that certificate")
	cmd.Flags().String("nats-name", "", "what the streams of this service begin with (default grotta)")
	cmd.Flags().String("nats-replicas", "", "copies of the queue and of objects: 1, 3 or 5 (default 1)")
	cmd.Flags().String("blobs", "", "S3 store for levels and layers on their way, such as https://s3.example/bucket/grotta; the same for service and workers (default the cluster itself)")
}

func (a *app) clusterOptions() (ClusterOptions, error) {
	o := ClusterOptions{
		URL: a.settings.text("nats"), Credentials: a.settings.text("nats-creds"), CA: a.settings.text("nats-ca"),
		Cert: a.settings.text("nats-cert"), Key: a.settings.text("nats-key"), Name: a.settings.text("nats-name"), Blobs: a.settings.text("blobs"),
	}
	var err error
	if o.Replicas, err = strconv.Atoi(a.settings.text("nats-replicas")); err != nil || o.Replicas != 1 && o.Replicas != 3 && o.Replicas != 5 {
		return o, usageError{fmt.Errorf("nats-replicas is %q; allowed is 1, 3 or 5", a.settings.text("nats-replicas"))}
	}
	if (o.Cert == "") != (o.Key == "") {
		return o, usageError{errors.New("nats-cert and nats-key go together")}
	}
	if o.Blobs != "" {
		if _, _, _, err := api.ParseS3(o.Blobs); err != nil {
			return o, usageError{fmt.Errorf("blobs: %w", err)}
		}
	}
	for what, file := range map[string]string{"nats-creds": o.Credentials, "nats-ca": o.CA, "nats-cert": o.Cert, "nats-key": o.Key} {
		if file == "" {
			continue
		}
		if _, err := os.Stat(file); err != nil {
			return o, usageError{fmt.Errorf("%s: %w", what, err)}
		}
	}
	return o, nil
}

func (a *app) workerCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "worker", Short: "Bake for a service on another machine", Args: args(0),
		Long: `Takes layers to bake from the queue of a NATS cluster, bakes them, and sends them
back. It needs nothing but the cluster's address. Ctrl-C or SIGTERM lets it finish
what it works on; a second one gives that back to the others and ends at once.`,
		Example: "  grotta worker --nats nats://queue.example:4222\n  grotta worker --nats nats://queue.example:4222 --name attic --cache /var/cache/grotta",
		RunE: func(cmd *cobra.Command, _ []string) error {
			o := WorkOptions{Out: a.out, Err: a.err, Name: a.settings.text("worker-name"), Cache: a.settings.text("cache")}
			var err error
			if o.Cluster, err = a.clusterOptions(); err != nil {
				return err
			}
			if o.Cluster.URL == "" {
				return usageError{errors.New("a worker needs --nats with the address of a NATS cluster")}
			}
			if o.Traces, err = a.tracesAddress(); err != nil {
				return err
			}
			if err := o.LogLevel.UnmarshalText([]byte(a.settings.text("log-level"))); err != nil {
				return usageError{fmt.Errorf("log-level is %q; allowed is debug, info, warn, error", a.settings.text("log-level"))}
			}
			if o.Name == "" {
				o.Name = workerName()
			}
			return a.host.Work(cmd.Context(), o)
		},
	}
	clusterFlags(cmd)
	tracesFlag(cmd)
	cmd.Flags().String("worker-name", "", "what it is called (default the machine's name and a number)")
	cmd.Flags().String("cache", "", "folder for levels that came; a temporary one if left out")
	cmd.Flags().String("log-level", "", "debug, info, warn or error (default info)")
	return cmd
}

// workerName is the machine's name, as far as a worker's may be it, and the process.
func workerName() string {
	host, err := os.Hostname()
	if err != nil {
		host = "worker"
	}
	name := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' || r == '_' {
			return r
		}
		return '-'
	}, host)
	return name[:min(len(name), 20)] + "-" + strconv.Itoa(os.Getpid())
}

func (a *app) workersCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "workers", Short: "List the workers that bake for the service, and what waits", Args: args(0),
		Long: `Lists the workers of the service's cluster that were heard of in the last ten
minutes, and how many tasks of whom are on the queue.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			w, err := a.client().Workers(cmd.Context())
			if err != nil {
				return err
			}
			return a.show(w, func(out io.Writer) { describeWorkers(out, w) })
		},
	}
	cmd.AddCommand(&cobra.Command{
		Use: "drain WORKER", Short: "Have a worker end after what it works on", Args: args(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.client().DrainWorker(cmd.Context(), args[0]); err != nil {
				return err
			}
			return a.show(map[string]string{"worker": args[0], "state": "draining"}, func(out io.Writer) {
				fmt.Fprintf(out, "%s takes nothing new and ends after what it works on\n", args[0])
			})
		},
	})
	return cmd
}

func (a *app) bakesCommand() *cobra.Command {
	var limit int
	cmd := &cobra.Command{
		Use: "bakes", Short: "List your bakes, with how they went and what they took", Args: args(0),
		RunE: func(cmd *cobra.Command, _ []string) error {
			bakes, err := a.client().OwnBakes(cmd.Context(), limit)
			if err != nil {
				return err
			}
			return a.show(bakes, func(out io.Writer) {
				var rows [][]string
				for _, b := range bakes {
					took := "-"
					if b.TookS > 0 {
						took = fmt.Sprintf("%.1f s", b.TookS)
					}
					rows = append(rows, []string{b.ID, b.LevelName, strconv.Itoa(b.Revision), b.Quality, b.State, fmt.Sprintf("%d of %d", b.Layers-b.Reused, b.Layers), took, b.Author, ago(b.Created), cmp.Or(b.Error, b.Now)})
				}
				table(out, "BAKE|LEVEL|REVISION|QUALITY|STATE|LAYERS BAKED|TOOK|BY|WHEN|NOTE", rows)
			})
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 50, "how many, 1 to 200")
	cmd.AddCommand(a.bakesOne("first", "Do a bake before all others; for admins", (*client.Client).MoveBakeUp), a.bakesOne("cancel", "Stop a bake; layers that are finished stay", (*client.Client).CancelBake))
	return cmd
}

// bakesOne is a command that does something to one bake.
func (a *app) bakesOne(name, short string, do func(*client.Client, context.Context, string) (api.Bake, error)) *cobra.Command {
	return &cobra.Command{
		Use: name + " BAKE", Short: short, Args: args(1),
		RunE: func(cmd *cobra.Command, in []string) error {
			b, err := do(a.client(), cmd.Context(), in[0])
			if err != nil {
				return err
			}
			return a.show(b, func(out io.Writer) { fmt.Fprintf(out, "%s: %s, %.0f %%\n", b.ID, b.State, 100*b.Done) })
		},
	}
}

func describeWorkers(out io.Writer, w api.Workers) {
	if !w.Cluster {
		fmt.Fprintln(out, "the service bakes by itself; it has no cluster of workers")
	}
	if w.Cluster && len(w.Items) == 0 {
		fmt.Fprintln(out, "no worker was heard of; bakes wait for the first")
	}
	if len(w.Items) > 0 {
		var rows [][]string
		for _, x := range w.Items {
			rows = append(rows, []string{x.ID, x.Host, strconv.Itoa(x.Threads), x.State, cmp.Or(x.Now, "-"), strconv.Itoa(x.Layers), fmt.Sprintf("%.1f MB", float64(x.SentBytes)/1e6), strconv.Itoa(x.Failed), fmt.Sprintf("%.0f s", x.BusyS), ago(x.Seen)})
		}
		table(out, "WORKER|HOST|THREADS|STATE|NOW|LAYERS|SENT|FAILED|BUSY|HEARD", rows)
	}
	for _, q := range w.Queue {
		fmt.Fprintf(out, "%s: %s that somebody waits for, %s that can wait\n", q.User, count(q.Now, "task"), count(q.Later, "task"))
	}
}
