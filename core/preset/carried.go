package preset

import (
	"bytes"
	"slices"

	"grotta/core/level"
)

// This file carries what the parts of a rig show and shine by: images and profiles.

// carryShown gives the parts the images and profiles of a level that they mention.
func carryShown(parts, l *level.Level) {
	images, profiles := map[string]bool{}, map[string]bool{}
	for _, m := range parts.Materials {
		images[m.Image] = true
	}
	for _, g := range parts.Glows {
		images[g.Image] = true
	}
	for _, light := range parts.Lights {
		profiles[light.Profile] = true
		if light.Gobo != nil {
			images[light.Gobo.Image] = true
		}
	}
	for _, v := range l.Images {
		if images[v.ID] {
			parts.Images = append(parts.Images, v)
		}
	}
	for _, v := range l.Profiles {
		if profiles[v.ID] {
			parts.Profiles = append(parts.Profiles, v)
		}
	}
}

// shownSteps add the images and profiles of a rig to a level, and name them: one that the level has
// already, alike in its bytes, is used.
func (p *Preset) shownSteps(l *level.Level, names map[string]string, fresh func(string) string) []level.Operation {
	var steps []level.Operation
	for _, v := range p.Parts.Images {
		if i := slices.IndexFunc(l.Images, func(own *level.Image) bool { return bytes.Equal(own.Data, v.Data) }); i >= 0 {
			names[v.ID] = l.Images[i].ID
			continue
		}
		c := *v
		c.ID = fresh(v.ID)
		names[v.ID] = c.ID
		steps = append(steps, level.Add("images", &c))
	}
	for _, v := range p.Parts.Profiles {
		if i := slices.IndexFunc(l.Profiles, func(own *level.LightProfile) bool { return bytes.Equal(own.Data, v.Data) }); i >= 0 {
			names[v.ID] = l.Profiles[i].ID
			continue
		}
		c := *v
		c.ID = fresh(v.ID)
		names[v.ID] = c.ID
		steps = append(steps, level.Add("profiles", &c))
	}
	return steps
}

// renameShown lets copies of parts mention images and profiles by their names in the level.
func renameShown(parts *level.Level, names map[string]string) {
	for _, g := range parts.Glows {
		g.Image = names[g.Image]
	}
	for _, light := range parts.Lights {
		light.Profile = names[light.Profile]
		if light.Gobo != nil {
			gobo := *light.Gobo
			gobo.Image = names[gobo.Image]
			light.Gobo = &gobo
		}
	}
}
