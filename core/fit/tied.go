package fit

import "grotta/core/level"

// tiesOf are the lights, by id, that glows take their colour from or beams follow.
func tiesOf(l *level.Level) map[string]bool {
	ties := map[string]bool{}
	for _, g := range l.Glows {
		if g.Enabled && g.ColorFrom != "" {
			ties[g.ColorFrom] = true
		}
	}
	for _, b := range l.Beams {
		if b.Enabled && b.Light != "" {
			ties[b.Light] = true
		}
	}
	return ties
}

// tied is what a viewer loses of the air when a light goes out, over the viewpoints' pictures: glows that
// take its colour and beams that follow it go with it. Where another light shines for it the glows take that one's.
func (f *fitter) tied(l *level.Light, c *choice) costs {
	if !f.ties[l.ID] {
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
