package main

import (
	"fmt"
	"image/color"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/plot"
	"gonum.org/v1/plot/plotter"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"

	"grotta/docs/chart"
)

// draw plots how time grows with triangles, texels and lights, each with a fit.
func (f figures) draw(file string) error {
	var triangles, texels, lights plotter.XYs
	for _, n := range []float64{20_000, 60_000, 150_000, 300_000} {
		triangles = append(triangles, plotter.XY{X: n, Y: f[fmt.Sprintf("Growth/%.0f ns/ray", n)]})
	}
	for _, d := range []string{"5", "7", "10", "15.811"} {
		texels = append(texels, plotter.XY{X: f["Growth/texels "+d+"-texels"], Y: f["Growth/texels "+d+"-s"]})
	}
	for _, n := range []float64{10, 32, 100, 316, 1000} {
		lights = append(lights, plotter.XY{X: n, Y: f[fmt.Sprintf("Growth/lights %.0f-s", n)]})
	}
	panels := make([]*plot.Plot, 3)
	for i, c := range []struct {
		title, x, y string
		points      plotter.XYs
		fit         func(x float64) float64 // what the time is a line of
	}{
		{"A ray, by triangles", "triangles", "ns", triangles, math.Log2},
		{"18 lights, by texels", "texels", "s", texels, func(x float64) float64 { return x }},
		{"4 lights a texel, by lights in all", "lights", "s", lights, math.Log2},
	} {
		p, err := panel(c.title, c.x, c.y, c.points, c.fit)
		if err != nil {
			return err
		}
		panels[i] = p
	}
	canvas := vgimg.NewWith(vgimg.UseWH(14*vg.Inch, 4.2*vg.Inch), vgimg.UseDPI(90))
	tiles := draw.Tiles{Rows: 1, Cols: 3, PadX: vg.Points(18), PadLeft: vg.Points(8), PadRight: vg.Points(12), PadTop: vg.Points(8), PadBottom: vg.Points(8)}
	for i, row := range plot.Align([][]*plot.Plot{panels}, tiles, draw.New(canvas))[0] {
		panels[i].Draw(row)
	}
	return chart.Write(canvas, file)
}

func panel(title, x, y string, points plotter.XYs, fit func(float64) float64) (*plot.Plot, error) {
	var xs, ys []float64
	most := 0.0
	for _, p := range points {
		xs, ys = append(xs, fit(p.X)), append(ys, p.Y)
		most = max(most, p.Y)
	}
	a, b := stat.LinearRegression(xs, ys, nil, false)
	p := plot.New()
	p.Title.Text, p.X.Label.Text, p.Y.Label.Text = title, x, y
	p.Y.Min, p.Y.Max = 0, most*1.15
	p.Add(plotter.NewGrid())
	line := plotter.NewFunction(func(x float64) float64 { return a + b*fit(x) })
	line.Color, line.Width = color.Gray{150}, vg.Points(1.5)
	dots, err := plotter.NewScatter(points)
	if err != nil {
		return nil, err
	}
	dots.Color, dots.Radius, dots.Shape = color.NRGBA{0xb0, 0x70, 0x10, 255}, vg.Points(4), draw.CircleGlyph{}
	p.Add(line, dots)
	p.X.Min = 0
	name := "fit"
	if fit(8) == 3 {
		name = "fit: a + b log n"
		p.X.Scale, p.X.Tick.Marker = plot.LogScale{}, plot.LogTicks{Prec: -1}
		p.X.Min = points[0].X
	} else {
		name = "fit: a + b n"
	}
	p.Legend.Add(name, line)
	p.Legend.Top, p.Legend.Left = true, true
	return p, nil
}
