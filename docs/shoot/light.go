package main

import (
	"context"
	"image"
	"image/png"
	"os"
	"path/filepath"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/core/shot"
	"grotta/core/source"
	"grotta/demo"
)

// byCore takes the pictures of docs/light.md and docs/sharing.md straight from the core: light kinds,
// skies and the starter library.
func byCore(ctx context.Context) error {
	if err := exhibits(ctx, "light-kinds", demo.LightKinds(), 4, 320, 230, false); err != nil {
		return err
	}
	if err := exhibits(ctx, "light-skies", demo.Skies(), 3, 420, 260, true); err != nil {
		return err
	}
	if err := exhibits(ctx, "../weather", demo.Weathers(), 2, 560, 330, false); err != nil {
		return err
	}
	if err := exhibits(ctx, "../water", demo.Pools(), 2, 560, 350, false); err != nil {
		return err
	}
	if err := starters(ctx); err != nil {
		return err
	}
	return beforeAndAfter(ctx)
}

// starters shows the presets that come with Grotta on their stage, by kind.
func starters(ctx context.Context) error {
	var cells []shot.Cell
	for _, s := range preset.Starters() {
		staged, err := s.Preset.Stage()
		if err != nil {
			return err
		}
		picture, err := exhibit(ctx, staged.Level, 206, 129, staged.Meter)
		if err != nil {
			return err
		}
		cells = append(cells, shot.Cell{Picture: picture, Label: s.Name})
	}
	return save("starters", shot.Sheet(cells, 6))
}

// beforeAndAfter shows demo levels without their air and look, and with them.
func beforeAndAfter(ctx context.Context) error {
	var cells []shot.Cell
	for _, of := range []struct{ from, view string }{
		{"demo", "pier-dusk"}, {"noon", "pier-end"}, {"night", "pier-dusk"},
		{"mill", "down-the-hall"}, {"mill", "at-the-press"}, {"yard", "between-trams"},
	} {
		l := demo.Start(of.from)
		view := l.Viewpoint(of.view)
		for _, off := range []bool{true, false} {
			picture, err := render(ctx, l, view, shot.Options{Width: 312, Height: 234, Samples: 3, NoAir: off, NoLook: off}, false)
			if err != nil {
				return err
			}
			label := l.Name
			if off {
				label += ", before"
			}
			cells = append(cells, shot.Cell{Picture: picture, Label: label})
		}
	}
	return save("air-and-look", shot.Sheet(cells, 4))
}

func exhibits(ctx context.Context, name string, list []demo.Exhibit, columns, width, height int, meter bool) error {
	var cells []shot.Cell
	for _, e := range list {
		picture, err := exhibit(ctx, e.Level, width, height, meter)
		if err != nil {
			return err
		}
		cells = append(cells, shot.Cell{Picture: picture, Label: e.Label})
	}
	return save(name, shot.Sheet(cells, columns))
}

func exhibit(ctx context.Context, l *level.Level, width, height int, meter bool) (image.Image, error) {
	view := l.Viewpoints[0]
	if v := l.Viewpoint("kitchen-table"); v != nil {
		view = v
	}
	return render(ctx, l, view, shot.Options{Width: width, Height: height, Samples: 2}, meter)
}

// render bakes a level at good quality and takes a picture of it.
func render(ctx context.Context, l *level.Level, view *level.Viewpoint, o shot.Options, meter bool) (image.Image, error) {
	if err := l.Validate(); err != nil {
		return nil, err
	}
	p, err := bake.Prepare(l)
	if err != nil {
		return nil, err
	}
	layers, err := p.Bake(ctx, source.All(p.Sources), bake.Good, nil)
	if err != nil {
		return nil, err
	}
	m := layer.Mix(p.Layout.PageSize, p.Layout.Pages, p.Sources, layers)
	camera := shot.Of(p.Scene.World, view)
	if meter {
		ev := shot.Meter(p, m, camera, o)
		o.ExposureEV = &ev
	}
	return shot.Render(ctx, p, m, camera, o, nil)
}

func save(name string, img image.Image) error {
	f, err := os.Create(filepath.Join(folder, name+".png"))
	if err != nil {
		return err
	}
	if err := png.Encode(f, img); err != nil {
		f.Close()
		return err
	}
	return f.Close()
}
