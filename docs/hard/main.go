// Command hard measures how far bakes of the hard places of the demo are from path tracing,
// and writes the table of docs/light-accuracy.md: of each quality the root mean square of the error and, in
// brackets, its mean, as shares of the mean light.
package main

import (
	"context"
	"flag"
	"fmt"
	"log"
	"math"

	"grotta/core/bake"
	"grotta/core/bake/reference"
	"grotta/core/layer"
	"grotta/core/source"
	"grotta/demo"
)

func main() {
	log.SetFlags(0)
	places := flag.Int("places", 120, "texels of each level that are compared")
	paths := flag.Int("paths", 60000, "paths for each of them")
	smooth := flag.Bool("denoise", true, "smooth")
	pictures := flag.String("pictures", "", "draw the places at good quality into this `folder`, in place of measuring")
	beside := flag.String("beside", "", "a `folder` of pictures that an earlier version drew, for a sheet of both")
	pairs := flag.String("pairs", "", "draw surfaces of several kinds into this `file`, in place of measuring")
	times := flag.String("times", "", "draw the error of some places against time into this `file`, in place of measuring")
	flag.Parse()
	if *times != "" {
		if err := drawTimes(*times, *places, *paths); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *pairs != "" {
		drawPairs(*pairs)
		return
	}
	if *pictures != "" {
		draw(*pictures, *beside)
		return
	}
	fmt.Println("| place | mean, lx | reference off by | draft | good | final |")
	fmt.Println("| --- | --- | --- | --- | --- | --- |")
	for _, place := range demo.HardPlaces() {
		place.Level.Lightmap.Denoise = *smooth
		p, err := bake.Prepare(place.Level)
		if err != nil {
			log.Fatal(err)
		}
		list := reference.Pick(p.Map, place.Judges, *places)
		truth := reference.New(p.Map).Texels(list, *paths)
		mean, own := 0.0, 0.0
		for _, a := range truth {
			mean, own = mean+a.Lux/float64(len(list)), own+a.Error*a.Error/float64(len(list))
		}
		fmt.Printf("| %s | %.2f | %.1f %%", place.Label, mean, 100*math.Sqrt(own)/mean)
		for _, q := range bake.Qualities {
			layers, err := p.Bake(context.Background(), source.All(p.Sources), q, nil)
			if err != nil {
				log.Fatal(err)
			}
			m := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
			sum, bias := 0.0, 0.0
			for k, i := range list {
				off := float64(m.Pix[3*p.Texels.List[i].Index+1]) - truth[k].Lux
				sum, bias = sum+off*off, bias+off
			}
			n := float64(len(list))
			fmt.Printf(" | %.1f (%+.1f) %%", 100*math.Sqrt(sum/n)/mean, 100*bias/n/mean)
		}
		fmt.Println(" |")
	}
}
