package fit

import (
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/grade"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/parallel"
)

// This file measures what each choice costs.

type costs struct{ mean, p95 float64 }

// measure lists what may become of each light and computes the light of all spots for each.
func (f *fitter) measure() error {
	f.choices = make([][]choice, len(f.lights))
	for i, l := range f.lights {
		f.choices[i] = append(f.choicesOf(l), f.mergesOf(i)...)
	}
	light, err := f.lightOf(f.from)
	if err != nil {
		return err
	}
	f.light, f.total = light, make([]color.Linear, len(f.spots))
	for k := range f.spots {
		for _, c := range light[k] {
			f.total[k] = f.total[k].Add(c)
		}
	}
	source := map[string]int{}
	for i := range f.from.Sources {
		source[f.from.Sources[i].ID] = i
	}
	f.after = make([][][]color.Linear, len(f.spots))
	for k := range f.after {
		f.after[k] = make([][]color.Linear, len(f.lights))
		for i := range f.lights {
			f.after[k][i] = make([]color.Linear, len(f.choices[i]))
			f.after[k][i][0] = light[k][source[f.lights[i].ID]]
		}
	}
	// Choices of one number are computed together: each source's light is by itself.
	most := 0
	for _, c := range f.choices {
		most = max(most, len(c))
	}
	for n := 1; n < most; n++ {
		next := *f.level
		next.Lights = slices.Clone(f.level.Lights)
		changed := false
		for i, l := range f.lights {
			if n < len(f.choices[i]) && f.choices[i][n].light != nil {
				next.Lights[slices.Index(f.level.Lights, l)] = f.choices[i][n].light
				changed = true
			}
		}
		if !changed {
			continue
		}
		p, err := f.from.Again(&next)
		if err != nil {
			return err
		}
		light, err := f.lightOf(p)
		if err != nil {
			return err
		}
		for k := range f.spots {
			for i, l := range f.lights {
				if n < len(f.choices[i]) && f.choices[i][n].light != nil {
					f.after[k][i][n] = light[k][source[l.ID]]
				}
			}
		}
	}
	for k := range f.spots {
		for i := range f.lights {
			for n := range f.choices[i] {
				if m := f.choices[i][n].merge; m != nil {
					f.after[k][i][n] = f.after[k][m.into][0].Scale(m.times - 1)
				}
			}
		}
	}
	if err := f.look(); err != nil {
		return err
	}
	return f.price()
}

// lightOf is the light of each spot by source.
func (f *fitter) lightOf(p *bake.Prepared) ([][]color.Linear, error) {
	out := make([][]color.Linear, len(f.spots))
	err := parallel.Each(f.ctx, len(f.spots), func(k int) {
		out[k] = ledger.Each(p, f.spots[k].Point, f.spots[k].Normal, samples, paths)
	}, nil)
	return out, err
}

// price measures what each choice costs by itself.
func (f *fitter) price() error {
	before := f.shown(f.total)
	return parallel.Each(f.ctx, len(f.lights), func(i int) {
		for n := range f.choices[i] {
			if n == 0 {
				continue
			}
			f.choices[i][n].costs = f.difference(before, func(k int) (color.Linear, bool) {
				change := f.after[k][i][n].Add(f.after[k][i][0].Scale(-1))
				return f.total[k].Add(change), change != color.Linear{}
			})
			if f.choices[i][n].light == nil {
				lost := f.tied(f.lights[i], &f.choices[i][n])
				f.choices[i][n].costs.mean += lost.mean
				f.choices[i][n].costs.p95 = max(f.choices[i][n].costs.p95, lost.p95)
			}
		}
	}, nil)
}

// shown is what the display shows of each spot under some light.
func (f *fitter) shown(light []color.Linear) []compare.Lab {
	out := make([]compare.Lab, len(light))
	displays := f.displays()
	for k := range light {
		out[k] = displays[k].lab(&f.spots[k], light[k])
	}
	return out
}

type display struct{ *grade.Display }

func (d display) lab(s *check.Spot, light color.Linear) compare.Lab {
	for i := range light {
		light[i] = max(0, light[i])
	}
	c := d.Of(light.Mul(s.Albedo).Scale(1 / math.Pi).Add(s.Emits))
	for i := range c {
		c[i] = color.DecodeSRGB(c[i])
	}
	return compare.LabOf(c)
}

// displays are those of the spots; spots of one look share one.
func (f *fitter) displays() []display {
	made := map[*level.Look]display{}
	out := make([]display, len(f.spots))
	for k, s := range f.spots {
		d, ok := made[s.Look]
		if !ok {
			d = display{grade.NewDisplay(s.Look, grade.Gains(&s.Look.Balance))}
			made[s.Look] = d
		}
		out[k] = d
	}
	return out
}

// difference compares all spots before with those under another light.
func (f *fitter) difference(before []compare.Lab, light func(k int) (now color.Linear, changed bool)) costs {
	displays := f.displays()
	all := make([]float64, len(f.spots))
	sum := 0.0
	for k := range f.spots {
		if now, changed := light(k); changed {
			all[k] = compare.Difference(before[k], displays[k].lab(&f.spots[k], now))
			sum += all[k]
		}
	}
	if len(all) == 0 {
		return costs{}
	}
	slices.Sort(all)
	return costs{sum / float64(len(all)), all[min(len(all)-1, len(all)*95/100)]}
}
