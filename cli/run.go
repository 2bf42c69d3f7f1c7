package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/url"
	"os"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"grotta/api"
	"grotta/core/level"
)

// Host is what the program gives the command line beside calls to a service:
// running one, and describing it.
type Host struct {
	Version     string
	Serve       func(context.Context, RunOptions) error
	Work        func(context.Context, WorkOptions) error
	Demo        func(ctx context.Context, o RunOptions, keep bool) error
	Personal    func(RunOptions) (Personal, error)
	People      func(data string, mayMake bool) (People, error) // of a data folder, which it may make
	Clean       func(data string) (api.Cleaned, error)
	Backup      func(data, file string) (api.Backup, error)
	Restore     func(RestoreOptions) (api.Backup, error)
	Verify      func(data string) (api.Verified, error)
	Schema      func(document string) ([]byte, error)
	SchemaNames func() []string
	OpenAPI     func() ([]byte, error)
}

// RestoreOptions say what a data folder is made from.
type RestoreOptions struct {
	From    string         // a backup, or a copy of records: a folder or the address of an S3 store; "" is the cluster's
	Cluster ClusterOptions // that keeps a copy of records
	At      time.Time      // the state of a copy; zero is the newest
	Data    string         // the folder to make
}

// RunOptions are the settings of a service.
type RunOptions struct {
	Data, Listen string
	LogLevel     slog.Level
	Out, Err     io.Writer
	Hosts        []string
	MetricsToken string
	PrivateHooks bool
	QuotaLevels  int
	QuotaMB      int
	QuotaBakes   int
	Cluster      ClusterOptions
	BakeHere     bool // with a cluster: the service is a worker too
	Replica      string
	ReplicaEvery time.Duration
	Traces       string // address of a collector of OpenTelemetry; "" is none
}

func (a *app) runOptions() (RunOptions, error) {
	o := RunOptions{Data: a.settings.text("data"), Listen: a.settings.text("listen"), Out: a.out, Err: a.err}
	if err := o.LogLevel.UnmarshalText([]byte(a.settings.text("log-level"))); err != nil {
		return o, usageError{fmt.Errorf("log-level is %q; allowed is debug, info, warn, error", a.settings.text("log-level"))}
	}
	o.MetricsToken = a.settings.text("metrics-token")
	switch hooks := a.settings.text("webhooks"); hooks {
	case "public", "private":
		o.PrivateHooks = hooks == "private"
	default:
		return o, usageError{fmt.Errorf("webhooks is %q; allowed is %s", hooks, settingHelp["webhooks"])}
	}
	switch here := a.settings.text("bake-here"); here {
	case "yes", "no":
		o.BakeHere = here == "yes"
	default:
		return o, usageError{fmt.Errorf("bake-here is %q; allowed is yes or no", here)}
	}
	var err error
	if o.Cluster, err = a.clusterOptions(); err != nil {
		return o, err
	}
	if o.Traces, err = a.tracesAddress(); err != nil {
		return o, err
	}
	o.Replica = a.settings.text("replica")
	if strings.Contains(o.Replica, "://") {
		if _, _, _, err := api.ParseS3(o.Replica); err != nil {
			return o, usageError{fmt.Errorf("replica: %w", err)}
		}
	}
	if o.Replica == "nats" && o.Cluster.URL == "" {
		return o, usageError{errors.New("replica is nats; then --nats with the address of a NATS cluster is needed")}
	}
	seconds, err := strconv.ParseFloat(a.settings.text("replica-every"), 64)
	if err != nil || !(seconds >= 0.1 && seconds <= 86400) {
		return o, usageError{fmt.Errorf("replica-every is %q; seconds from 0.1 to 86400 are allowed", a.settings.text("replica-every"))}
	}
	o.ReplicaEvery = time.Duration(seconds * float64(time.Second))
	for _, host := range strings.Split(a.settings.text("hosts"), ",") {
		if host = strings.TrimSpace(host); host != "" {
			o.Hosts = append(o.Hosts, host)
		}
	}
	for key, to := range map[string]*int{"quota-levels": &o.QuotaLevels, "quota-mb": &o.QuotaMB, "quota-bakes": &o.QuotaBakes} {
		n, err := strconv.Atoi(a.settings.text(key))
		if err != nil || n < 0 {
			return o, usageError{fmt.Errorf("%s is %q; a whole number from 0 is needed: %s", key, a.settings.text(key), settingHelp[key])}
		}
		*to = n
	}
	return o, nil
}

// tracesAddress is the collector that spans are sent to, or "".
func (a *app) tracesAddress() (string, error) {
	address := a.settings.text("traces")
	u, err := url.Parse(address)
	if address != "" && (err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "") {
		return "", usageError{fmt.Errorf("traces is %q; the address of a collector is needed, such as http://collector.example:4318", address)}
	}
	return address, nil
}

func (a *app) serveCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "serve", Short: "Run the service and its console", Args: args(0),
		Long: `Runs the service on a folder of data. It listens on loopback only unless told
otherwise, and has no users until "grotta user add" makes one. With --nats bakes
go to the workers of a NATS cluster (grotta worker); the service is one of them
unless --bake-here no is given.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := a.runOptions()
			if err != nil {
				return err
			}
			return a.host.Serve(cmd.Context(), o)
		},
	}
	serveFlags(cmd)
	clusterFlags(cmd)
	cmd.Flags().String("replica", "", "keep a copy of all records up while it runs: a folder, an S3 store such as https://s3.example/bucket/records, or nats for the cluster")
	cmd.Flags().String("replica-every", "", "seconds until what changed is copied (default 1)")
	tracesFlag(cmd)
	cmd.Flags().String("bake-here", "", "yes or no: with --nats, whether the service bakes too (default yes)")
	return cmd
}

func serveFlags(cmd *cobra.Command) {
	cmd.Flags().String("data", "", "folder of the data (default grotta-data)")
	cmd.Flags().String("listen", "", "address to listen on (default 127.0.0.1:8460; port 0 takes a free one)")
	cmd.Flags().String("log-level", "", "debug, info, warn or error (default info)")
}

func tracesFlag(cmd *cobra.Command) {
	cmd.Flags().String("traces", "", "collector that spans of OpenTelemetry are sent to by OTLP over HTTP, such as http://collector.example:4318")
}

func (a *app) demoCommand() *cobra.Command {
	var keep bool
	cmd := &cobra.Command{
		Use: "demo", Short: "Run the service with the demo in a fresh folder", Args: args(0),
		Long: `Runs the service on a new folder with two users, the level Saltmarsh Light and
a few presets, and says how to sign in. The folder is removed at the end, unless
--keep is given or --data names it.`,
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := a.runOptions()
			if err != nil {
				return err
			}
			if !cmd.Flags().Changed("data") {
				o.Data = "" // the folder of the settings has real levels
			}
			return a.host.Demo(cmd.Context(), o, keep)
		},
	}
	serveFlags(cmd)
	cmd.Flags().Lookup("data").Usage = "empty or new folder for the data, which is kept (default a temporary one)"
	cmd.Flags().BoolVar(&keep, "keep", false, "keep the temporary folder")
	return cmd
}

func (a *app) cleanCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "clean", Short: "Delete layers that no level's newest bakes use, on the service's own machine", Args: args(0),
		Long: `Deletes baked layers that are not among those of any level's five newest bakes. A
layer that is wanted again is baked again. The service does this once a day by
itself, for layers older than a day.`,
		RunE: func(*cobra.Command, []string) error {
			c, err := a.host.Clean(a.settings.text("data"))
			if err != nil {
				return err
			}
			return a.show(c, func(w io.Writer) { fmt.Fprintf(w, "%d layers deleted, %.1f MB\n", c.Layers, float64(c.Bytes)/1e6) })
		},
	}
	cmd.Flags().String("data", "", "folder of the data (default grotta-data)")
	return cmd
}

// password asks on the terminal without echo, or reads a line of standard input.
func (a *app) password(prompt string, fromStdin bool) (string, error) {
	if f, ok := a.in.(*os.File); ok && !fromStdin && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.err, prompt)
		text, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		return string(text), err
	}
	if a.lines == nil {
		a.lines = bufio.NewReader(a.in) // kept, as a second password may follow
	}
	line, err := a.lines.ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", usageError{errors.New("no password came on standard input")}
	}
	return line, nil
}

func (a *app) schemaCommand() *cobra.Command {
	var of string
	cmd := a.printCommand("schema", "Print the JSON Schema of a document", func() ([]byte, error) {
		if names := a.host.SchemaNames(); !slices.Contains(names, of) {
			return nil, usageError{fmt.Errorf("--of is %q; %s is needed", of, strings.Join(names, ", "))}
		}
		return a.host.Schema(of)
	})
	cmd.Flags().StringVar(&of, "of", "level", "the document: hand-over, level or platform")
	return cmd
}

func (a *app) openapiCommand() *cobra.Command {
	return a.printCommand("openapi", "Print the OpenAPI 3.1 document of the service", a.host.OpenAPI)
}

func (a *app) printCommand(name, short string, make func() ([]byte, error)) *cobra.Command {
	var out string
	cmd := &cobra.Command{
		Use: name, Short: short, Args: args(0),
		RunE: func(*cobra.Command, []string) error {
			text, err := make()
			if err != nil {
				return err
			}
			return a.writeFile(out, text)
		},
	}
	cmd.Flags().StringVarP(&out, "out", "o", "-", "file to write")
	return cmd
}

func (a *app) versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Show the version", Args: args(0),
		RunE: func(*cobra.Command, []string) error {
			v := struct {
				Version string `json:"version"`
				Format  string `json:"format"`
				Go      string `json:"go"`
			}{a.host.Version, level.Format, ""}
			if info, ok := debug.ReadBuildInfo(); ok {
				v.Go = info.GoVersion
			}
			return a.show(v, func(w io.Writer) { fmt.Fprintf(w, "grotta %s, %s, %s\n", v.Version, v.Format, v.Go) })
		},
	}
}
