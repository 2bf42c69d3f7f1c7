package bake_test

import (
	"context"
	"fmt"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/layer"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/source"
)

// A lamp of 100 candela hangs 2 m over a floor. Its layer is baked once; brighter or
// darker is a mix.
func Example() {
	l := level.New("Floor")
	floor := level.Default[level.Solid]()
	floor.ID, floor.Size, floor.Transform.Position = "floor", level.Vec{4, 0.2, 4}, level.Vec{0, -0.1, 0}
	l.Solids = append(l.Solids, &floor)
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.Transform.Position = 100, level.Vec{0, 2, 0}
	l.Lights = append(l.Lights, lamp)

	p, err := bake.Prepare(l)
	if err != nil {
		panic(err)
	}
	layers, err := p.Bake(context.Background(), source.All(p.Sources), bake.Draft, nil)
	if err != nil {
		panic(err)
	}
	lightmap := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
	fmt.Println("pages:", lightmap.Pages)
	under := ledger.Ask(p, geom.Vec3{0, 0, 0}, geom.Vec3{0, 1, 0})
	fmt.Printf("under the lamp: %.0f lux\n", under.Total.Luminance)
	// Output:
	// pages: 1
	// under the lamp: 25 lux
}
