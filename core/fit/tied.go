package fit

import (
	"math"

	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/geom"
	"grotta/core/level"
)

// tied is what a viewer loses of the air when a light goes out: glows that take its colour and beams that
// follow it go with it. For each viewpoint it is the share of the picture that they cover, times the
// colour difference between the mean of what is seen there with half of their brightness and without.
// Without glows these stay, as another light shines for it. It is an estimate, as their edges and what stands before them are not followed.
func (f *fitter) tied(l *level.Light, glows bool) float64 {
	type thing struct {
		at   geom.Vec3
		area float64 // square metres across the view
		nits color.Linear
	}
	world := f.level.World()
	var things []thing
	for _, g := range f.level.Glows {
		if nits := f.level.GlowRadiance(g); glows && g.ColorFrom == l.ID && nits != (color.Linear{}) {
			things = append(things, thing{world.Pose(&g.Entity).Position, math.Pi / 4 * g.SizeM * g.SizeM, nits})
		}
	}
	for _, b := range f.level.Beams {
		if b.Light != l.ID || !b.Enabled {
			continue
		}
		pose := world.Pose(&l.Entity)
		middle := pose.Position.Add(pose.Forward().Mul(b.LengthM / 3)) // it fades along its length
		wide := b.LengthM / 3 * math.Tan(min(l.OuterDeg, 60)*math.Pi/180) * b.Width
		if b.Form == "shaft" {
			wide = b.WidthM * b.Width
		}
		things = append(things, thing{middle, wide * b.LengthM / 2, f.level.Tint(b.Color, l.ID).Scale(b.Luminance * b.Opacity * wide)})
	}
	views := f.level.Viewpoints
	if len(things) == 0 || len(views) == 0 {
		return 0
	}
	displays := f.displays()
	sum := 0.0
	for _, v := range views {
		eye := world.Pose(&v.Entity)
		tan := math.Tan(v.FovDeg * math.Pi / 360)
		spot := -1 // one that the viewpoint sees stands for what is behind
		for k := range f.spots {
			if f.spots[k].View == v.ID {
				spot = k
				break
			}
		}
		if spot < 0 {
			continue
		}
		behind := f.total[spot].Mul(f.spots[spot].Albedo).Scale(1 / math.Pi)
		lab := func(nits color.Linear) compare.Lab {
			c := displays[spot].Of(nits)
			for i := range c {
				c[i] = color.DecodeSRGB(c[i])
			}
			return compare.LabOf(c)
		}
		for _, t := range things {
			to := t.at.Sub(eye.Position)
			along := to.Dot(eye.Forward())
			off := to.Sub(eye.Forward().Mul(along)).Len()
			if along < 0.1 || off > along*tan*2 || f.from.Scene.Blocked(eye.Position, t.at) {
				continue
			}
			share := min(0.5, t.area/(along*along*4*tan*tan*16/9))
			sum += share * compare.Difference(lab(behind), lab(behind.Add(t.nits.Scale(0.5)))) / float64(len(views))
		}
	}
	return sum
}
