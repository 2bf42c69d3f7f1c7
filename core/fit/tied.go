package fit

import (
	"slices"

	"grotta/core/level"
)

// tied is what a viewer loses of the air when a light goes out, over the viewpoints' pictures: glows that
// take its colour and beams that follow it go with it. Where another light shines for it the glows take that one's.
func (f *fitter) tied(l *level.Light, c *choice) costs {
	glows := slices.ContainsFunc(f.level.Glows, func(g *level.Glow) bool { return g.Enabled && g.ColorFrom == l.ID })
	beams := slices.ContainsFunc(f.level.Beams, func(b *level.Beam) bool { return b.Enabled && b.Light == l.ID })
	if !glows && !beams {
		return costs{}
	}
	steps := []level.Operation{level.Set(l.ID, c.fields)}
	if c.merge != nil {
		steps = append(steps, f.mergeSteps(l, c.merge)...)
	}
	after, _, err := f.level.Apply(level.Batch("", steps...))
	if err != nil {
		return costs{}
	}
	lost, _ := f.airCost(f.asIs, after)
	return lost
}
