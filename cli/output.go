package cli

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
)

// show answers as JSON or calls text, as --json says.
func (a *app) show(v any, text func(w io.Writer)) error {
	if a.json {
		return a.writeJSON(a.out, v)
	}
	text(visible{a.out})
	return nil
}

// visible writes text for people: characters that could mislead a terminal or its reader
// are written out.
type visible struct{ w io.Writer }

func (v visible) Write(p []byte) (int, error) {
	_, err := io.WriteString(v.w, level.Visible(string(p)))
	return len(p), err
}

func (a *app) writeJSON(w io.Writer, v any) error {
	if err := json.MarshalWrite(w, v, jsontext.WithIndent("  "), json.Deterministic(true)); err != nil {
		return err
	}
	_, err := fmt.Fprintln(w)
	return err
}

// table writes rows in columns.
func table(w io.Writer, head string, rows [][]string) {
	t := tabwriter.NewWriter(w, 0, 4, 2, ' ', 0)
	fmt.Fprintln(t, strings.ReplaceAll(head, "|", "\t"))
	for _, r := range rows {
		fmt.Fprintln(t, strings.Join(r, "\t"))
	}
	t.Flush()
}

// writeFile writes under a temporary name and renames, so that a file is whole
// or not there. "-" is standard output.
func (a *app) writeFile(name string, data []byte) error {
	if name == "-" {
		_, err := a.out.Write(data)
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(name), ".grotta-*")
	if err != nil {
		var at *os.PathError
		if errors.As(err, &at) {
			err = at.Err // the path is of a name that nobody gave
		}
		return fmt.Errorf("%s cannot be written: %w", name, err)
	}
	defer os.Remove(f.Name()) // fails, as it should, once renamed
	if _, err := f.Write(data); err != nil {
		f.Close()
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	if err := os.Chmod(f.Name(), 0o644); err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}

// saved writes a file and says so; more is said beside it. Of what went to standard
// output nothing is said.
func (a *app) saved(name string, data []byte, more map[string]any, text func(w io.Writer)) error {
	if err := a.writeFile(name, data); err != nil || name == "-" {
		return err
	}
	said := map[string]any{"file": name, "bytes": len(data)}
	maps.Copy(said, more)
	return a.show(said, func(w io.Writer) {
		fmt.Fprintf(w, "%s, %d bytes\n", name, len(data))
		if text != nil {
			text(w)
		}
	})
}

// readFile reads a file, or standard input for "-".
func (a *app) readFile(name string) ([]byte, error) {
	if name == "-" {
		return io.ReadAll(a.in)
	}
	return os.ReadFile(name)
}

func ago(t time.Time) string {
	d := time.Since(t).Round(time.Second)
	switch {
	case d < time.Minute:
		return fmt.Sprintf("%d s ago", int(d.Seconds()))
	case d < time.Hour:
		return fmt.Sprintf("%d min ago", int(d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%d h ago", int(d.Hours()))
	}
	return t.Local().Format("2006-01-02")
}

// count is how many there are of a thing, with its name.
func count(n int, one string) string {
	switch {
	case n == 1:
		return "1 " + one
	case strings.HasSuffix(one, "sh"):
		return fmt.Sprintf("%d %ses", n, one)
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// number writes a value with four figures, and from 1000 on as a whole number without a power of ten.
func number(v float64) string {
	if big := math.Abs(v); big >= 1000 && big < 1e9 {
		return strconv.FormatFloat(v, 'f', 0, 64)
	}
	return strconv.FormatFloat(v, 'g', 4, 64)
}

// uncertainty writes a standard error with the two figures that matter.
func uncertainty(v float64) string {
	rounded, _ := strconv.ParseFloat(strconv.FormatFloat(v, 'g', 2, 64), 64)
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}
