package cli

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"grotta/api"
	"grotta/client"
	"grotta/core/exchange"
	"grotta/core/intake"
)

// This file brings levels in and hands them back.

// unitsM are the units that a file may be in, in metres.
var unitsM = map[string]float64{"m": 1, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}

// unitOf reads a unit by its name, or as metres.
func unitOf(text string) (float64, error) {
	if m, ok := unitsM[text]; ok || text == "" {
		return m, nil
	}
	m, err := strconv.ParseFloat(text, 64)
	if err != nil || !(m > 0) || m > 1e4 {
		return 0, usageError{fmt.Errorf("--unit is %q; m, cm, mm, in, ft or a number of metres is needed", text)}
	}
	return m, nil
}

// placeOf reads a place, and a turn if there is one; nil for none.
func placeOf(text string) (place []float64, err error) {
	if text == "" {
		return nil, nil
	}
	for part := range strings.SplitSeq(text, ",") {
		v, err := strconv.ParseFloat(strings.TrimSpace(part), 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
			return nil, usageError{fmt.Errorf("--at is %q; %q is no number", text, part)}
		}
		place = append(place, v)
	}
	if len(place) < 3 || len(place) > 4 {
		return nil, usageError{fmt.Errorf("--at is %q; X,Y,Z or X,Y,Z,TURN is needed", text)}
	}
	return place, nil
}

// oneOf is an error for a flag's value that is none of some words.
func oneOf(flag, value string, words []string) error {
	if slices.Contains(words, value) {
		return nil
	}
	return usageError{fmt.Errorf("%s is %q; there are %s", flag, value, strings.Join(words, ", "))}
}

var (
	ups    = []string{"y", "z"}
	norths = []string{"x", "-x", "y", "-y", "z", "-z"}
	hands  = []string{"right", "left"}
)

// addReading gives a command the flags that say how a file is to be read. What is returned judges them, before
// the service is asked.
func (a *app) addReading(cmd *cobra.Command, o *api.ImportOptions) (settle func() error) {
	var unit, at string
	f := cmd.Flags()
	f.StringVar(&unit, "unit", "", "unit of the file: m, cm, mm, in, ft, or metres as a number (default: the format's)")
	f.Float64Var(&o.Scale, "scale", 0, "times the unit (default 1)")
	f.StringVar(&o.Up, "up", "", "the file's axis that points up: y or z (default: the format's)")
	f.StringVar(&o.Forward, "forward", "", "the file's axis that points north: x, -x, y, -y, z or -z (default: -z where y is up, y where z is up)")
	f.StringVar(&o.Handed, "handed", "", "the file's axes: right or left (default right)")
	f.StringVar(&at, "at", "", "where the file's origin stands: X,Y,Z in metres of the level, or X,Y,Z,TURN with degrees clockwise seen from above (default: where it stood before, or 0,0,0)")
	f.StringVar(&o.Platform, "platform", "", "platform whose unit, axes and import rules hold where they are not said")
	for name, words := range map[string][]string{"up": ups, "forward": norths, "handed": hands} {
		cobra.CheckErr(cmd.RegisterFlagCompletionFunc(name, cobra.FixedCompletions(words, cobra.ShellCompDirectiveNoFileComp)))
	}
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("platform", a.completePlatforms))
	return func() (err error) {
		if o.UnitM, err = unitOf(unit); err != nil {
			return err
		}
		if o.At, err = placeOf(at); err != nil {
			return err
		}
		for _, c := range []struct {
			flag, value string
			words       []string
		}{{"--up", o.Up, ups}, {"--forward", o.Forward, norths}, {"--handed", o.Handed, hands}} {
			if c.value == "" {
				continue
			}
			if err := oneOf(c.flag, c.value, c.words); err != nil {
				return err
			}
		}
		if o.Up != "" && strings.TrimPrefix(o.Forward, "-") == o.Up {
			return usageError{fmt.Errorf("--forward is %s, along the axis that points up", o.Forward)}
		}
		if !(o.Scale >= 0 && o.Scale <= 1e4) {
			return usageError{fmt.Errorf("--scale is %v; a number over 0 and at most 10000 is needed", o.Scale)}
		}
		return nil
	}
}

func (a *app) levelImport() *cobra.Command {
	var o api.ImportOptions
	var into string
	var dry, watch bool
	var settle func() error
	cmd := &cobra.Command{
		Use: "import FILE", Short: "Bring in glTF, OBJ, PLY, STL, terrain (PNG), a level document, or a folder or .zip with one of them", Args: args(1),
		Long: "Bring in a file as a new level. Files beside it that it names, such as buffers, images and\nmaterial libraries, come with it; none outside of its folder is read.\nWith --into the geometry of an earlier import of the same file is replaced in place: ids, materials,\ndensities, zones and lights of the level stay.",
		RunE: func(cmd *cobra.Command, in []string) error {
			if err := settle(); err != nil {
				return err
			}
			if watch {
				if err := watchable(in[0]); err != nil {
					return err
				}
			}
			if into != "" {
				return a.importAgain(cmd.Context(), in[0], into, o, dry, watch)
			}
			if watch {
				return usageError{fmt.Errorf("--watch needs --into LEVEL")}
			}
			o.Dry = dry
			data, left, err := a.packFile(in[0], &o)
			if err != nil {
				return err
			}
			got, err := a.client().ImportLevel(cmd.Context(), data, o)
			if err != nil {
				return aboutFile(in[0], err)
			}
			got.Left = append(got.Left, left...)
			return a.show(got, func(w io.Writer) {
				fmt.Fprintf(w, "%s  %s, %d shapes, %d lights\n", cmp.Or(got.Level.ID, "would come in:"), got.Level.Name, got.Level.Solids+got.Level.Meshes, got.Level.Lights)
				describeExchange(w, got.ExchangeReport)
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.Name, "name", "", "name of the level (default: the file's or the document's)")
	settle = a.addReading(cmd, &o)
	f.StringVar(&o.Scene, "scene", "", "glTF: name or number of the scene (default: the one that the file opens with)")
	f.Float64Var(&o.TerrainM, "terrain", 0, "read a PNG image as terrain, so many metres wide")
	f.Float64Var(&o.HeightM, "height", 0, "terrain: metres from black to white (default 20)")
	f.IntVar(&o.Cells, "cells", 0, "terrain: cells along the longer side (default: the pixels, at most 192)")
	f.StringVar(&o.Rules, "rules", "", "rules for what comes in: a file (YAML), or a preset [OWNER/]NAME (default: grotta-rules.yaml beside the file)")
	f.StringVar(&into, "into", "", "level that takes the changed file in again")
	f.BoolVar(&dry, "dry-run", false, "only say what would come in or change, and what each rule catches")
	f.BoolVar(&watch, "watch", false, "with --into: again whenever the file is saved, until Ctrl-C")
	cobra.CheckErr(cmd.RegisterFlagCompletionFunc("into", a.completeLevels))
	f.StringVar(&o.Main, "main", "", "of a folder or archive: the file to read (default: the only one that can be)")
	return cmd
}

// importAgain takes a file into a level, once or whenever it is saved.
func (a *app) importAgain(ctx context.Context, file, into string, o api.ImportOptions, dry, watch bool) error {
	c, l, err := a.level(ctx, into)
	if err != nil {
		return err
	}
	if err := a.takeInto(ctx, c, file, l.ID, o, dry); err != nil || !watch {
		return err
	}
	return a.whenSaved(ctx, file, func() error { return a.takeInto(ctx, c, file, l.ID, o, false) })
}

// aboutFile names the file that the service finds something wrong with.
func aboutFile(file string, err error) error {
	var p *api.Problem
	if errors.As(err, &p) {
		return fmt.Errorf("%s: %w", file, err)
	}
	return err
}

// takeInto takes a file into a level and says what that changed.
func (a *app) takeInto(ctx context.Context, c *client.Client, file, id string, o api.ImportOptions, dry bool) error {
	data, left, err := a.packFile(file, &o)
	if err != nil {
		return err
	}
	got, err := c.ImportAgain(ctx, id, data, o, dry)
	if err != nil {
		return aboutFile(file, err)
	}
	got.Left = append(got.Left, left...)
	return a.show(got, func(w io.Writer) {
		fmt.Fprintf(w, "revision %d: %s\n", got.Revision, strings.Join(got.Words, "; "))
		describeExchange(w, got.ExchangeReport)
	})
}

// watchable refuses a folder: that one of the files in it was saved does not show on it.
func watchable(file string) error {
	if info, err := os.Stat(file); err == nil && info.IsDir() {
		return usageError{fmt.Errorf("--watch needs a file, and %s is a folder; name the file in it that is read", file)}
	}
	return nil
}

func describeExchange(w io.Writer, r api.ExchangeReport) {
	for _, c := range r.Caught {
		shown := c.Names[:min(len(c.Names), 5)]
		more := ""
		if len(c.Names) > len(shown) {
			more = ", …"
		}
		fmt.Fprintf(w, "  rule: %s, %s: %d caught%s%s%s\n", c.Rule, c.Does, len(c.Names), map[bool]string{true: ": "}[len(shown) > 0], strings.Join(shown, ", "), more)
	}
	for _, n := range r.Notes {
		fmt.Fprintln(w, "  note:", n)
	}
	for _, l := range r.Left {
		fmt.Fprintln(w, "  left out:", l)
	}
}

// packFile reads a file; with the files beside it that it names, or of a folder, as an archive.
func (a *app) packFile(name string, o *api.ImportOptions) (data []byte, left []string, err error) {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		rules, err := a.rulesOnDisk(name, o)
		if err != nil {
			return nil, nil, err
		}
		data, err := packFolder(name, rules)
		return data, nil, err
	}
	if data, err = a.readFile(name); err != nil || name == "-" {
		return data, nil, err
	}
	if o.File = filepath.Base(name); len(data) == 0 {
		return nil, nil, fmt.Errorf("%s is empty", name)
	}
	neighbours := exchange.Neighbours(o.File, data)
	rules, err := a.rulesOnDisk(filepath.Dir(name), o)
	if err != nil {
		return nil, nil, err
	}
	if len(neighbours) == 0 && rules == nil {
		return data, nil, nil
	}
	root, err := os.OpenRoot(filepath.Dir(name)) // nothing outside of the folder can be read through it
	if err != nil {
		return nil, nil, err
	}
	defer root.Close()
	var b bytes.Buffer
	archive := zip.NewWriter(&b)
	if err := put(archive, o.File, data); err != nil {
		return nil, nil, err
	}
	packed := map[string]bool{o.File: true, intake.FileName: true}
	if rules != nil {
		if err := put(archive, intake.FileName, rules); err != nil {
			return nil, nil, err
		}
	}
	for len(neighbours) > 0 {
		next := path.Clean(strings.ReplaceAll(neighbours[0], `\`, "/"))
		neighbours = neighbours[1:]
		if packed[next] {
			continue
		}
		packed[next] = true
		text, err := root.ReadFile(filepath.FromSlash(next))
		if err != nil {
			left = append(left, fmt.Sprintf("%s, which %s names and which cannot be read in its folder", next, o.File))
			continue
		}
		if err := put(archive, next, text); err != nil {
			return nil, nil, err
		}
		for _, n := range exchange.Neighbours(next, text) {
			neighbours = append(neighbours, path.Join(path.Dir(next), strings.ReplaceAll(n, `\`, "/")))
		}
	}
	o.Main = o.File
	if err := archive.Close(); err != nil { // before its bytes are taken
		return nil, nil, err
	}
	return b.Bytes(), left, nil
}

// rulesOnDisk are rules for what comes in that go with a file: those that were named as a file, or
// that lie in its folder. A name that is no file is left for the service.
func (a *app) rulesOnDisk(dir string, o *api.ImportOptions) ([]byte, error) {
	name := o.Rules
	if name == "" {
		name = filepath.Join(dir, intake.FileName)
	}
	if _, err := os.Stat(name); err != nil {
		if ext := filepath.Ext(o.Rules); ext == ".yaml" || ext == ".yml" || ext == ".json" {
			return nil, err
		}
		return nil, nil
	}
	o.Rules = ""
	return a.readFile(name)
}

// packFolder is a folder as an archive, with rules for what comes in where there are some; files whose
// names begin with a dot are left.
func packFolder(dir string, rules []byte) ([]byte, error) {
	var b bytes.Buffer
	archive := zip.NewWriter(&b)
	if rules != nil {
		if err := put(archive, intake.FileName, rules); err != nil {
			return nil, err
		}
	}
	err := filepath.WalkDir(dir, func(file string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if strings.HasPrefix(d.Name(), ".") && file != dir {
			if d.IsDir() {
				return filepath.SkipDir
			}
			return nil
		}
		if !d.Type().IsRegular() {
			return nil
		}
		at, err := filepath.Rel(dir, file)
		if err != nil || at == intake.FileName && rules != nil {
			return err
		}
		text, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		return put(archive, filepath.ToSlash(at), text)
	})
	if err != nil {
		return nil, err
	}
	if err := archive.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func put(archive *zip.Writer, name string, data []byte) error {
	w, err := archive.Create(name)
	if err != nil {
		return err
	}
	_, err = w.Write(data)
	return err
}

func (a *app) levelExport() *cobra.Command {
	var out, format string
	var strict bool
	cmd := &cobra.Command{
		Use: "export LEVEL", Short: "Hand a level back as glTF (.glb), a document (.json) or a list of its lights (.csv, .lights.json)", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if format == "" {
				switch format = "glb"; {
				case strings.HasSuffix(out, ".lights.json"):
					format = "lights"
				case strings.HasSuffix(out, ".json"):
					format = "json"
				case strings.HasSuffix(out, ".csv"):
					format = "csv"
				}
			}
			report := api.ExchangeReport{Left: []string{}, Notes: []string{}}
			if format == "glb" {
				var err error
				if report, err = c.ExportReport(ctx, l.ID); err != nil {
					return err
				}
			}
			if strict && len(report.Left) > 0 {
				return fmt.Errorf("glTF leaves out:\n  %s", strings.Join(report.Left, "\n  "))
			}
			data, err := c.ExportLevel(ctx, l.ID, format)
			if err != nil {
				return err
			}
			if out == "" {
				ending := format
				if format == "lights" {
					ending = "lights.json"
				}
				out = strings.ReplaceAll(strings.ToLower(l.Name), " ", "-") + "." + ending
			}
			if err := a.writeFile(out, data); err != nil || out == "-" {
				return err
			}
			return a.show(map[string]any{"file": out, "bytes": len(data), "left": report.Left, "notes": report.Notes}, func(w io.Writer) {
				fmt.Fprintf(w, "%s, %d bytes\n", out, len(data))
				describeExchange(w, report)
			})
		}),
	}
	cmd.Flags().StringVarP(&out, "out", "o", "", "file to write (default: the level's name)")
	cmd.Flags().StringVar(&format, "format", "", "glb, json, or csv or lights for a list of the lights as CSV or JSON (default: by the file's name)")
	cmd.Flags().BoolVar(&strict, "strict", false, "write nothing where anything would be left out")
	return cmd
}
