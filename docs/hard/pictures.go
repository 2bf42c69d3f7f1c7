package main

import (
	"context"
	"fmt"
	"image"
	"image/png"
	"log"
	"os"
	"path/filepath"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/shot"
	"grotta/core/source"
	"grotta/demo"
)

// exposures of the pictures, in EV, so that those of two versions can be compared.
var exposures = []float64{10.5, 10.5, 0.5, -1.5, -0.5, 7, 0.5, 3, 5}

// draw writes a picture of each hard place, and a sheet of them with those of an earlier version.
func draw(into, beside string) {
	const width, height = 300, 200
	var cells []shot.Cell
	for i, place := range demo.HardPictures() {
		picture := render(place.Level, place.Level.Viewpoints[len(place.Level.Viewpoints)-1], width, height, exposures[i])
		name := fmt.Sprintf("%d.png", i)
		save(filepath.Join(into, name), picture)
		if beside != "" {
			cells = append(cells, shot.Cell{Picture: read(filepath.Join(beside, name)), Label: place.Label + ": before"}, shot.Cell{Picture: picture, Label: "now"})
		}
	}
	if beside != "" {
		save(filepath.Join(into, "sheet.png"), shot.Sheet(cells, 4))
	}
}

// drawPairs writes a sheet of places whose surfaces differ.
func drawPairs(file string) {
	var cells []shot.Cell
	for i, pair := range demo.SurfacePairs() {
		for _, place := range pair {
			cells = append(cells, shot.Cell{Picture: render(place.Level, level.ByID[level.Viewpoint](place.Level, []string{"inside", "behind"}[i]), 480, 320, []float64{9.7, 2.5}[i]), Label: place.Label})
		}
	}
	save(file, shot.Sheet(cells, 2))
}

// render bakes a level at good quality and takes a picture from a viewpoint.
func render(l *level.Level, from *level.Viewpoint, width, height int, exposureEV float64) image.Image {
	p, err := bake.Prepare(l)
	check(err)
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Good, nil)
	check(err)
	mix := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
	picture, err := shot.Render(context.Background(), p, mix, shot.Of(p.Scene.World, from),
		shot.Options{Width: width, Height: height, Samples: 2, ExposureEV: &exposureEV}, nil)
	check(err)
	return picture
}

func save(path string, picture image.Image) {
	f, err := os.Create(path)
	check(err)
	check(png.Encode(f, picture))
	check(f.Close())
}

func read(path string) image.Image {
	f, err := os.Open(path)
	check(err)
	defer f.Close()
	picture, err := png.Decode(f)
	check(err)
	return picture
}

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}
