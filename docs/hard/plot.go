package main

import (
	"context"
	_ "embed"
	"encoding/csv"
	"fmt"
	"image/color"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	vgdraw "gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/core/layer"
	"grotta/core/source"
	"grotta/demo"
	"grotta/docs/chart"
)

// plotted are the places whose error is drawn against time.
var plotted = []string{"blinds of 0.17 m", "bright patch in a big room", "window, even sky", "corridor by bounces"}

// tries are the paths for each texel of the path tracer that the bakes are compared with.
var tries = []int{4, 16, 64, 256}

// before is how far bakes of an earlier engine were off, and how long they took as a share of the time of path tracing with
// scalePaths paths in the same run, so that the plot does not depend on the machine. Columns are place, quality, share and error.
//
//go:embed engine12.csv
var before string

const (
	scalePaths = 64
	repeats    = 3 // of each bake and of path tracing, of which the shortest time counts
)

// readBefore gives the points of the earlier engine by place.
func readBefore() (map[string]plotter.XYs, error) {
	lines, err := csv.NewReader(strings.NewReader(before)).ReadAll()
	if err != nil {
		return nil, err
	}
	points := map[string]plotter.XYs{}
	for _, line := range lines[1:] {
		share, err := strconv.ParseFloat(line[2], 64)
		if err != nil {
			return nil, err
		}
		off, err := strconv.ParseFloat(line[3], 64)
		if err != nil {
			return nil, err
		}
		points[line[0]] = append(points[line[0]], plotter.XY{X: share, Y: off})
	}
	return points, nil
}

// drawTimes plots the error of each place against the time of a bake, and against that of an earlier engine and of as many texels by
// path tracing: a bake that lies below another line has less error at equal time, and one that lies left of it takes less time at
// equal error.
func drawTimes(file string, places, paths int) error {
	earlier, err := readBefore()
	if err != nil {
		return err
	}
	var panels []*plot.Plot
	for _, place := range demo.HardPlaces() {
		if !slices.Contains(plotted, place.Label) {
			continue
		}
		p, err := panelOf(place, earlier[place.Label], places, paths)
		if err != nil {
			return err
		}
		panels = append(panels, p)
	}
	canvas := vgimg.NewWith(vgimg.UseWH(14*vg.Inch, 4.4*vg.Inch), vgimg.UseDPI(90))
	tiles := vgdraw.Tiles{Rows: 1, Cols: len(panels), PadX: vg.Points(18), PadLeft: vg.Points(8), PadRight: vg.Points(14), PadTop: vg.Points(8), PadBottom: vg.Points(8)}
	for i, row := range plot.Align([][]*plot.Plot{panels}, tiles, vgdraw.New(canvas))[0] {
		panels[i].Draw(row)
	}
	return chart.Write(canvas, file)
}

// ticksAt are labelled marks of an axis.
func ticksAt(values ...float64) (ticks plot.ConstantTicks) {
	for _, v := range values {
		ticks = append(ticks, plot.Tick{Value: v, Label: fmt.Sprint(v)})
	}
	return ticks
}

func panelOf(place demo.HardPlace, earlier plotter.XYs, places, paths int) (*plot.Plot, error) {
	p, err := bake.Prepare(place.Level)
	if err != nil {
		return nil, err
	}
	list := reference.Pick(p.Map, place.Judges, places)
	tracer := reference.New(p.Map)
	truth := tracer.Texels(list, paths)
	mean := 0.0
	for _, a := range truth {
		mean += a.Lux / float64(len(list))
	}
	off := func(lux func(k, texel int) float64) float64 {
		sum := 0.0
		for k, i := range list {
			d := lux(k, i) - truth[k].Lux
			sum += d * d
		}
		return 100 * math.Sqrt(sum/float64(len(list))) / mean
	}
	var baked, traced plotter.XYs
	for _, q := range bake.Qualities {
		took, best := math.Inf(1), []*layer.Layer(nil)
		for range repeats {
			fresh, err := bake.Prepare(place.Level) // what a bake keeps for the next one would be counted once only
			if err != nil {
				return nil, err
			}
			began := time.Now()
			if best, err = fresh.Bake(context.Background(), source.All(fresh.Sources), q, nil); err != nil {
				return nil, err
			}
			took = min(took, time.Since(began).Seconds())
		}
		m := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, best)
		baked = append(baked, plotter.XY{X: took, Y: off(func(_, texel int) float64 { return float64(m.Pix[3*p.Texels.List[texel].Index+1]) })})
	}
	for _, n := range tries {
		took, got := math.Inf(1), []reference.Answer(nil)
		for range repeats {
			began := time.Now()
			got = tracer.Texels(list, n)
			took = min(took, time.Since(began).Seconds()*float64(len(p.Texels.List))/float64(len(list)))
		}
		traced = append(traced, plotter.XY{X: took, Y: off(func(k, _ int) float64 { return got[k].Lux })})
	}
	scale := traced[slices.Index(tries, scalePaths)].X
	for i := range earlier {
		earlier[i].X *= scale
	}
	fmt.Printf("%s: bakes %.3v; engine 12 %.3v; path tracing %.3v (seconds, %% off)\n", place.Label, baked, earlier, traced)
	out := plot.New()
	out.Title.Text, out.X.Label.Text, out.Y.Label.Text = place.Label, "seconds", "off the truth, % of the mean"
	out.X.Scale, out.Y.Scale = plot.LogScale{}, plot.LogScale{}
	out.X.Tick.Marker = ticksAt(0.01, 0.1, 1)
	out.Y.Tick.Marker = ticksAt(1, 3, 10, 30, 100, 300)
	for _, line := range []struct {
		name   string
		points plotter.XYs
		color  color.Color
		shape  vgdraw.GlyphDrawer
	}{
		{"draft, good, final", baked, color.RGBA{0xb0, 0x6a, 0x10, 0xff}, vgdraw.CircleGlyph{}},
		{"the same by engine 12", earlier, color.RGBA{0x2c, 0x62, 0x9c, 0xff}, vgdraw.TriangleGlyph{}},
		{"path tracing, 4 to 256 paths", traced, color.RGBA{0x55, 0x55, 0x55, 0xff}, vgdraw.BoxGlyph{}},
	} {
		l, s, err := plotter.NewLinePoints(line.points)
		if err != nil {
			return nil, err
		}
		l.Color, s.Color, s.Shape = line.color, line.color, line.shape
		out.Add(l, s)
		if place.Label == plotted[2] { // whose lower left is free
			out.Legend.Add(line.name, l, s)
		}
	}
	out.X.Min, out.X.Max, out.Y.Min, out.Y.Max = 0.005, 5, 1, 600 // of all panels alike
	out.Legend.Left, out.Legend.Padding = true, vg.Points(3)
	return out, nil
}
