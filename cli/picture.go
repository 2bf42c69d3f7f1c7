package cli

import (
	"cmp"
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
)

// size is a flag of pixels, such as 1280x800.
type size struct{ width, height *int }

func (s size) String() string {
	if s.width == nil {
		return ""
	}
	return fmt.Sprintf("%dx%d", *s.width, *s.height)
}

func (s size) Type() string { return "WIDTHxHEIGHT" }

func (s size) Set(text string) error {
	w, h, ok := strings.Cut(text, "x")
	width, err1 := strconv.Atoi(w)
	height, err2 := strconv.Atoi(h)
	if !ok || err1 != nil || err2 != nil || min(width, height) < 16 || max(width, height) > 4096 {
		return fmt.Errorf("a size is written 1280x800, each side 16 to 4096 pixels")
	}
	*s.width, *s.height = width, height
	return nil
}

// variantFlags say which of a level's states is shown.
func variantFlags(f *pflag.FlagSet, v *api.Variant) {
	f.IntVar(&v.Revision, "at", 0, "revision to show (default: the newest)")
	f.StringVar(&v.Preset, "variant", "", "mood, look, sky, environment or set-up of a zone to put on for the picture alone, [OWNER/]NAME[@VERSION]")
	f.StringVar(&v.Look, "look", "on", "off: exposure alone")
	f.StringVar(&v.Air, "air", "on", "off: neither fog nor glows, beams and motes")
	f.BoolVar(&v.NoBake, "no-bake", false, "make no draft of what has no light yet; show it dark, and say so")
	f.StringVar(&v.Display, "display", "", "platform whose display is shown: light over what it takes is cut")
}

func (a *app) shotCommand() *cobra.Command {
	var s api.NewShot
	var out string
	var seconds, fps float64
	cmd := &cobra.Command{
		Use: "shot LEVEL", Short: "Take a picture from a viewpoint, from all, or along a path, as PNG", Args: args(1), ValidArgsFunction: a.completeLevels,
		Long: `Takes a picture as PNG. --view all takes one from every viewpoint, and --path one
for every frame of a camera's path, into the folder --out, by name and by number.`,
		Example: `  grotta shot "Saltmarsh Light" --view pier-dusk --size 1280x800 --out pier.png
  grotta shot "Saltmarsh Light" --view all --at 3 --out before
  grotta shot "Saltmarsh Light" --path along-the-pier --fps 12 --out frames`,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, in []string) error {
			if seconds > 0 {
				s.TimeS = &seconds
			}
			switch {
			case s.Path != "":
				return a.frames(ctx, c, l, s, fps, out)
			case s.Viewpoint == "all":
				return a.allViews(ctx, c, l, s, out)
			}
			png, light, err := a.watchedShot(ctx, c, l, s)
			if err != nil {
				return err
			}
			out = cmp.Or(out, cmp.Or(s.Viewpoint, "shot")+".png")
			return a.saved(out, png, lightOf(light), func(w io.Writer) { tellLight(w, light) })
		}),
	}
	f := cmd.Flags()
	s.Width, s.Height = 1280, 720
	f.StringVar(&s.Viewpoint, "view", "", "id of the viewpoint, or all (default: the first)")
	f.StringVar(&s.Path, "path", "", "id of a path: a picture for every frame of it")
	f.Float64Var(&fps, "fps", 12, "path: pictures a second")
	f.Var(size{&s.Width, &s.Height}, "size", "pixels")
	f.IntVar(&s.Samples, "samples", 2, "rays along each side of a pixel, 1 to 4")
	f.BoolVar(&s.Unlit, "unlit", false, "without light")
	f.BoolVar(&s.Meter, "meter", false, "expose by what is seen, in place of the level's exposure")
	f.Float64Var(&seconds, "time", 0, "seconds: lights that flicker, and motes, as they are then (default: steady)")
	f.StringVarP(&out, "out", "o", "", "file to write, or folder (default: the viewpoint's name, or frames)")
	variantFlags(f, &s.Variant)
	return cmd
}

// watchedShot takes one shot, with a bar on a terminal.
func (a *app) watchedShot(ctx context.Context, c *client.Client, l api.LevelInfo, s api.NewShot) (png []byte, light api.PictureLight, err error) {
	bar := a.bar()
	if bar == nil {
		return c.Shot(ctx, l.ID, s)
	}
	defer bar.Clear()
	s.Watch = rand.Text()
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ready, lost := make(chan struct{}), make(chan error, 1)
	go func() {
		lost <- c.Watch(ctx, l.ID, func() { close(ready) }, func(e client.Event) {
			var at api.ShotEvent
			if e.Kind == "shot" && json.Unmarshal(e.Data, &at) == nil && at.Watch == s.Watch {
				bar.Set(int(1000 * at.Done))
			}
		})
	}()
	select {
	case <-ready:
		bar.Describe(cmp.Or(s.Viewpoint, l.Name))
	case <-lost: // without a bar, then
	}
	return c.Shot(ctx, l.ID, s)
}

// lightOf is what of a level's light a picture was made with, as JSON has it.
func lightOf(light api.PictureLight) map[string]any {
	return map[string]any{"drafted": light.Drafted, "missing": light.Missing}
}

// tellLight says what of a level's light a picture was made with, where that is not all
// that was baked before.
func tellLight(w io.Writer, light api.PictureLight) {
	if light.Drafted > 0 {
		fmt.Fprintf(w, "%s had no light yet and got a draft first; run grotta bake for a better one\n", count(light.Drafted, "source"))
	}
	if light.Missing > 0 {
		fmt.Fprintf(w, "%s without light, dark in the picture: leave out --no-bake, or run grotta bake\n", count(light.Missing, "source"))
	}
}

// allViews takes a shot from every viewpoint.
func (a *app) allViews(ctx context.Context, c *client.Client, l api.LevelInfo, s api.NewShot, folder string) error {
	doc, err := c.Level(ctx, l.ID)
	if err != nil {
		return err
	}
	var names []string
	var shots []api.NewShot
	for _, v := range doc.Document.Viewpoints {
		one := s
		one.Viewpoint = v.ID
		names, shots = append(names, v.ID+".png"), append(shots, one)
	}
	if len(shots) == 0 {
		return fmt.Errorf("%s has no viewpoints; take a shot without --view", l.Name)
	}
	return a.series(ctx, c, l, cmp.Or(folder, "shots"), names, shots)
}

// maxFrames bounds one run along a path.
const maxFrames = 36_000

// frames takes a shot for every frame of a path.
func (a *app) frames(ctx context.Context, c *client.Client, l api.LevelInfo, s api.NewShot, fps float64, folder string) error {
	if !(fps > 0 && fps <= 240) {
		return usageError{fmt.Errorf("--fps is %v; more than 0 and at most 240 is needed", fps)}
	}
	doc, err := c.Level(ctx, l.ID)
	if err != nil {
		return err
	}
	var path *level.Path
	var known []string
	for _, p := range doc.Document.Paths {
		known = append(known, p.ID)
		if p.ID == s.Path {
			path = p
		}
	}
	if path == nil || len(path.Keys) == 0 {
		return fmt.Errorf("%s has no path %q with a key; it has %s", l.Name, s.Path, cmp.Or(strings.Join(known, ", "), "none"))
	}
	first, last := path.Keys[0].AtS, path.Keys[len(path.Keys)-1].AtS
	n := int(math.Floor((last-first)*fps+1e-9)) + 1
	if n > maxFrames {
		return usageError{fmt.Errorf("%g s at %g frames a second are %d frames; the most is %d", last-first, fps, n, maxFrames)}
	}
	var names []string
	var shots []api.NewShot
	for i := range n {
		one, at := s, first+float64(i)/fps
		one.TimeS = &at
		names, shots = append(names, fmt.Sprintf("%s-%05d.png", s.Path, i)), append(shots, one)
	}
	return a.series(ctx, c, l, cmp.Or(folder, "frames"), names, shots)
}

// series takes shots one by one into a folder, with a bar on a terminal.
func (a *app) series(ctx context.Context, c *client.Client, l api.LevelInfo, folder string, names []string, shots []api.NewShot) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	bar, light := a.bar(), api.PictureLight{}
	files := []string{}
	for i, s := range shots {
		png, of, err := c.Shot(ctx, l.ID, s)
		if err != nil {
			return fmt.Errorf("%s (%d of %d are written): %w", names[i], i, len(names), err)
		}
		light.Drafted, light.Missing = max(light.Drafted, of.Drafted), max(light.Missing, of.Missing)
		file := filepath.Join(folder, names[i])
		if err := a.writeFile(file, png); err != nil {
			return err
		}
		files = append(files, file)
		if bar != nil {
			bar.Describe(names[i])
			bar.Set(1000 * (i + 1) / len(names))
		}
	}
	if bar != nil {
		bar.Clear()
	}
	said := lightOf(light)
	said["files"] = files
	return a.show(said, func(w io.Writer) {
		fmt.Fprintf(w, "%d pictures in %s\n", len(files), folder)
		tellLight(w, light)
	})
}

func (a *app) sheetCommand() *cobra.Command {
	var s api.NewSheet
	var out string
	cmd := &cobra.Command{
		Use: "sheet LEVEL", Short: "Take a contact sheet: every viewpoint, every light or rig alone, or a day", Args: args(1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta sheet \"Saltmarsh Light\" --kind day --view pier-dusk --time 05:00,09:00,13:00,17:00",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			png, light, err := c.Sheet(ctx, l.ID, s)
			if err != nil {
				return err
			}
			return a.saved(cmp.Or(out, s.Kind+".png"), png, lightOf(light), func(w io.Writer) { tellLight(w, light) })
		}),
	}
	f := cmd.Flags()
	s.Width, s.Height = 400, 250
	f.StringVar(&s.Kind, "kind", "views", "views, lights, rigs or day")
	f.StringVar(&s.Viewpoint, "view", "", "lights, rigs, day: where from (default: the first)")
	f.StringSliceVar(&s.Times, "time", nil, "day: UTC, such as 05:00 or 2026-06-21T05:00Z")
	f.Var(size{&s.Width, &s.Height}, "size", "pixels of each picture")
	f.IntVar(&s.Columns, "columns", 3, "pictures in a row")
	f.StringVarP(&out, "out", "o", "", "file to write (default: the kind's name)")
	variantFlags(f, &s.Variant)
	return cmd
}

func (a *app) compareCommand() *cobra.Command {
	var want api.NewComparison
	var out string
	cmd := &cobra.Command{
		Use: "compare A B", Short: "Compare two pictures: of revisions, looks, platforms, presets or levels", Args: args(2),
		Long: `Takes two pictures from one place and tells how they differ: the mean and the 95th
percentile of the colour difference (CIEDE2000; 1 is just seen side by side) and the
structural similarity (SSIM; 1 is alike). Each side is a level, and after it, with
commas between, what of it is shown:

  LEVEL[,at=REVISION][,variant=PRESET][,look=off][,air=off][,no-bake][,display=PLATFORM]`,
		Example: `  grotta compare "Saltmarsh Light,at=1" "Saltmarsh Light" --view pier-dusk --out before-after.png
  grotta compare "Saltmarsh Light" "Saltmarsh Light,look=off" --form divider
  grotta compare "Saltmarsh Light" "Saltmarsh Light,variant=ivo/clear-night"`,
		RunE: func(cmd *cobra.Command, in []string) error {
			var first string
			for i, side := range []*api.Side{&want.A, &want.B} {
				ref, v, err := parseSide(in[i])
				if err != nil {
					return err
				}
				_, l, err := a.level(cmd.Context(), ref)
				if err != nil {
					return err
				}
				*side = api.Side{Level: l.ID, Variant: v}
				first = cmp.Or(first, l.ID)
			}
			got, err := a.client().Compare(cmd.Context(), first, want)
			if err != nil {
				return err
			}
			if out != "" {
				if err := a.writeFile(out, got.Picture); err != nil || out == "-" {
					return err
				}
			}
			said := struct {
				api.Difference
				A api.PictureLight `json:"a"`
				B api.PictureLight `json:"b"`
			}{got.Difference, got.A, got.B}
			return a.show(said, func(w io.Writer) {
				for i, light := range []api.PictureLight{got.A, got.B} {
					if light != (api.PictureLight{}) {
						fmt.Fprintf(w, "%s: ", in[i])
						tellLight(w, light)
					}
				}
				fmt.Fprintf(w, "colour difference: mean %.2f, 95 %% under %.2f, most %.2f (CIEDE2000)\nSSIM %.4f\n", got.Mean, got.P95, got.Max, got.SSIM)
				if out != "" {
					fmt.Fprintln(w, out)
				}
			})
		},
	}
	f := cmd.Flags()
	want.Width, want.Height = 640, 400
	f.StringVar(&want.Form, "form", "side", "side, divider or difference")
	f.StringVar(&want.Viewpoint, "view", "", "id of the viewpoint (default: the first)")
	f.Var(size{&want.Width, &want.Height}, "size", "pixels of each")
	f.StringVarP(&out, "out", "o", "", "file to write the picture to")
	return cmd
}

// parseSide reads LEVEL[,key=value...].
func parseSide(text string) (ref string, v api.Variant, err error) {
	words := strings.Split(text, ",")
	for _, w := range words[1:] {
		key, value, _ := strings.Cut(w, "=")
		switch key {
		case "at":
			if v.Revision, err = strconv.Atoi(value); err != nil || v.Revision < 1 {
				return "", v, usageError{fmt.Errorf("%q: at is a revision, such as at=3", text)}
			}
		case "variant":
			v.Preset = value
		case "look":
			v.Look = value
		case "air":
			v.Air = value
		case "display":
			v.Display = value
		case "no-bake":
			v.NoBake = true
		default:
			return "", v, usageError{fmt.Errorf("%q: %q is not understood; allowed is at, variant, look, air, no-bake, display", text, w)}
		}
	}
	return words[0], v, nil
}

func (a *app) airCommand() *cobra.Command {
	return &cobra.Command{
		Use: "air LEVEL", Short: "Tell how far one sees in a level's air, and what it costs", Args: args(1), ValidArgsFunction: a.completeLevels,
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			air, err := c.Air(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.show(air, func(w io.Writer) { describeAir(w, &air) })
		}),
	}
}

func describeAir(w io.Writer, a *api.AirReport) {
	fmt.Fprintln(w, "How far off a dark thing vanishes, at eye height:")
	var rows [][]string
	for _, s := range a.Sight {
		rows = append(rows, []string{cmp.Or(s.Zone, "level"), fmt.Sprintf("%g m", s.SizeM), fmt.Sprintf("%.0f m", s.VanishM)})
	}
	table(w, "FOG OF|SIZE|VANISHES AT", rows)
	motes := 0
	for i := range a.Air.Motes {
		motes += len(a.Air.Motes[i].Motes)
	}
	fmt.Fprintf(w, "\n%s, %s, %s, %s, %s\n", count(len(a.Air.Volumes), "fog volume"), count(len(a.Air.Glows), "glow"), count(len(a.Air.Beams), "beam"), count(motes, "mote"), count(len(a.Air.Stars), "star"))
	if len(a.Air.Left) > 0 {
		fmt.Fprintf(w, "more than a view takes, and left out: %s\n", strings.Join(a.Air.Left, ", "))
	}
	rows = nil
	for _, c := range a.Costs {
		rows = append(rows, []string{cmp.Or(c.Volume, "all of the level"), strconv.Itoa(c.Cells), strings.Join(c.Sources, ", "), strconv.Itoa(c.Rays), fmt.Sprintf("%.1f MB", float64(c.Bytes)/1e6)})
	}
	if len(rows) > 0 {
		fmt.Fprintln(w)
		table(w, "LIT FOG|CELLS|SHOWS|RAYS|MEMORY", rows)
	}
}

func (a *app) gradeCommand() *cobra.Command {
	var from, out string
	cmd := &cobra.Command{
		Use: "grade LEVEL", Short: "Read or write a level's grade as the XML of the ASC CDL", Args: args(1), ValidArgsFunction: a.completeLevels,
		Example: "  grotta grade \"Saltmarsh Light\" --out dusk.cc\n  grotta grade \"Saltmarsh Light\" --from dusk.cc",
		RunE: a.onLevel(func(ctx context.Context, c *client.Client, l api.LevelInfo, _ []string) error {
			if from != "" {
				return a.takeGrade(ctx, c, l, from)
			}
			text, err := c.Grade(ctx, l.ID)
			if err != nil {
				return err
			}
			return a.writeFile(cmp.Or(out, "-"), text)
		}),
	}
	cmd.Flags().StringVar(&from, "from", "", "file to take the grade from; - is standard input")
	cmd.Flags().StringVarP(&out, "out", "o", "", "file to write (default: standard output)")
	return cmd
}

func (a *app) takeGrade(ctx context.Context, c *client.Client, l api.LevelInfo, from string) error {
	text, err := a.readFile(from)
	if err != nil {
		return err
	}
	rev, err := c.SetGrade(ctx, l.ID, text)
	if err != nil {
		return fmt.Errorf("%s: %w", from, err)
	}
	return a.showRevision(rev)
}
