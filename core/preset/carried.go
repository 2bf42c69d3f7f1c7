package preset

import (
	"bytes"

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

// shownSteps add the images and profiles of a rig to a level, and name them.
func (p *Preset) shownSteps(l *level.Level, names map[string]string, fresh func(string) string) []level.Operation {
	b := &bringer{names: names, fresh: fresh, has: map[string][]stored{}}
	for _, v := range l.Images {
		b.has["images"] = append(b.has["images"], stored{v.ID, v.Data})
	}
	for _, v := range l.Profiles {
		b.has["profiles"] = append(b.has["profiles"], stored{v.ID, v.Data})
	}
	for _, v := range p.Parts.Images {
		c := *v
		b.bring("images", &c, &c.ID, v.Data)
	}
	for _, v := range p.Parts.Profiles {
		c := *v
		b.bring("profiles", &c, &c.ID, v.Data)
	}
	return b.steps
}

// stored is an image or a profile of a level.
type stored struct {
	id   string
	data []byte
}

// bringer adds what a level does not have yet.
type bringer struct {
	names map[string]string
	fresh func(string) string
	has   map[string][]stored // by part
	steps []level.Operation
}

// bring adds a copy of an entity under a fresh id; one that the level has already, alike in its
// bytes, is used.
func (b *bringer) bring(part string, entity any, id *string, data []byte) {
	for _, own := range b.has[part] {
		if bytes.Equal(own.data, data) {
			b.names[*id] = own.id
			return
		}
	}
	was := *id
	*id = b.fresh(was)
	b.names[was] = *id
	b.steps = append(b.steps, level.Add(part, entity))
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
