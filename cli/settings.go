package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/knadh/koanf/providers/confmap"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"grotta/core/yaml"
)

// defaults of every setting. Flags win over the environment (GROTTA_ and the
// name), the environment over the file, the file over these.
var defaults = map[string]any{
	"server":    "http://127.0.0.1:8460",
	"token":     "",
	"listen":    "127.0.0.1:8460",
	"data":      "grotta-data",
	"log-level": "info",

	"hosts":         "",
	"metrics-token": "",
	"webhooks":      "public",
	"quota-levels":  "1000",
	"quota-mb":      "4096",
	"quota-bakes":   "8",

	"nats":          "",
	"nats-creds":    "",
	"nats-ca":       "",
	"nats-cert":     "",
	"nats-key":      "",
	"nats-name":     "grotta",
	"nats-replicas": "1",
	"blobs":         "",
	"bake-here":     "yes",
	"replica":       "",
	"replica-every": "1",
	"traces":        "",
	"worker-name":   "",
	"cache":         "",
}

// help says what the settings of a service that are no flags mean.
var settingHelp = map[string]string{
	"hosts":         "names the service may be called by, with commas between; any off loopback if empty",
	"metrics-token": "token that /metrics takes from other machines; none if empty",
	"webhooks":      "public, or private to let webhooks lie on this machine and in private networks",
	"quota-levels":  "levels that one person may own; 0 does not bind",
	"quota-mb":      "megabytes of documents that one person may own; 0 does not bind",
	"quota-bakes":   "bakes of one person that may be under way; 0 does not bind",
}

// settings is what is in force, and where each came from.
type settings struct {
	k    *koanf.Koanf
	from map[string]string
	path string
}

func configPath(flags *pflag.FlagSet) string {
	if f := flags.Lookup("config"); f != nil && f.Value.String() != "" {
		return f.Value.String()
	}
	if p := os.Getenv("GROTTA_CONFIG"); p != "" {
		return p
	}
	dir, err := os.UserConfigDir()
	if err != nil {
		dir = "."
	}
	return filepath.Join(dir, "grotta", "config.yaml")
}

func loadSettings(flags *pflag.FlagSet) (*settings, error) {
	s := &settings{k: koanf.New("/"), from: map[string]string{}, path: configPath(flags)}
	take := func(p koanf.Provider, parser koanf.Parser, source string) error {
		next := koanf.New("/")
		if err := next.Load(p, parser); err != nil {
			return err
		}
		for _, key := range next.Keys() {
			if _, known := defaults[key]; !known {
				return fmt.Errorf("%s: %q is no setting; there are %s", source, key, strings.Join(slices.Sorted(maps.Keys(defaults)), ", "))
			}
			s.from[key] = source
		}
		return s.k.Merge(next)
	}
	if err := take(confmap.Provider(defaults, "/"), nil, "default"); err != nil {
		return nil, err
	}
	inFile, err := readConfig(s.path)
	if err == nil {
		err = take(confmap.Provider(inFile, "/"), nil, s.path)
	}
	if err != nil {
		return nil, fmt.Errorf("configuration: %w", err)
	}
	fromEnv := env.Provider("/", env.Opt{Prefix: "GROTTA_", TransformFunc: func(key, value string) (string, any) {
		key = strings.ReplaceAll(strings.ToLower(strings.TrimPrefix(key, "GROTTA_")), "_", "-")
		if _, known := defaults[key]; !known {
			return "", nil
		}
		return key, value
	}})
	if err := take(fromEnv, nil, "environment"); err != nil {
		return nil, err
	}
	given := map[string]any{}
	flags.Visit(func(f *pflag.Flag) {
		if _, known := defaults[f.Name]; known {
			given[f.Name] = f.Value.String()
		}
	})
	return s, take(confmap.Provider(given, "/"), nil, "flag")
}

// readConfig reads the configuration file. One that is not there is empty.
func readConfig(path string) (map[string]any, error) {
	text, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) || err == nil && strings.TrimSpace(string(text)) == "" {
		return map[string]any{}, nil
	}
	if err != nil {
		return nil, err
	}
	asJSON, err := yaml.ToJSON(text)
	if err != nil {
		return nil, fmt.Errorf("%s %w", path, err)
	}
	have := map[string]any{}
	if err := json.Unmarshal(asJSON, &have); err != nil {
		return nil, fmt.Errorf("%s holds no settings: a name and a value a line are needed", path)
	}
	return have, nil
}

func (s *settings) text(key string) string { return s.k.String(key) }

// save writes keys into the configuration file and keeps the others; an empty
// value removes its key. Only the user can read the file, as it holds a token.
func (s *settings) save(values map[string]string) error {
	have, err := readConfig(s.path)
	if err != nil {
		return err
	}
	for key, value := range values {
		if have[key] = value; value == "" {
			delete(have, key)
		}
	}
	out, err := yaml.Marshal(have)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(s.path), 0o700); err != nil {
		return err
	}
	return os.WriteFile(s.path, out, 0o600)
}

func (a *app) configCommand() *cobra.Command {
	return &cobra.Command{
		Use: "config", Short: "Show the settings in force, and where each comes from", Args: args(0),
		RunE: func(*cobra.Command, []string) error {
			type line struct {
				Key   string `json:"key"`
				Value string `json:"value"`
				From  string `json:"from"`
			}
			var lines []line
			var rows [][]string
			for _, key := range slices.Sorted(maps.Keys(defaults)) {
				value := a.settings.text(key)
				if (key == "token" || key == "metrics-token") && value != "" {
					value = "(set)"
				}
				lines = append(lines, line{key, value, a.settings.from[key]})
				rows = append(rows, []string{key, value, a.settings.from[key]})
			}
			return a.show(lines, func(w io.Writer) { table(w, "SETTING|VALUE|FROM", rows) })
		},
	}
}
