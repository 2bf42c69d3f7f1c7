package preset

import (
	"bytes"

	"grotta/core/level"
	"grotta/core/merge"
)

// This file carries what presets show and shine by: images, profiles and materials.

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

// stored is an image or a profile of a level.
type stored struct {
	id   string
	data []byte
}

// bringer adds to a level what it does not have yet, under fresh ids.
type bringer struct {
	ids *level.IDs
	has map[string][]stored // by part

	materials map[string]*level.Material
}

func newBringer(l *level.Level) *bringer {
	b := &bringer{l.NewIDs(), map[string][]stored{}, map[string]*level.Material{}}
	for _, m := range l.Materials {
		b.materials[m.ID] = m
	}
	for _, v := range l.Images {
		b.has["images"] = append(b.has["images"], stored{v.ID, v.Data})
	}
	for _, v := range l.Profiles {
		b.has["profiles"] = append(b.has["profiles"], stored{v.ID, v.Data})
	}
	return b
}

// bringAll adds the images and profiles of a preset, and notes their names in the level. What the
// level has already, alike in its bytes, is used.
func (b *bringer) bringAll(parts *level.Level, names map[string]string, wanted bool) (steps []level.Operation) {
	if parts == nil || !wanted {
		return nil
	}
	bring := func(part string, entity any, id *string, data []byte) {
		was := *id
		for _, own := range b.has[part] {
			if bytes.Equal(own.data, data) {
				names[was] = own.id
				return
			}
		}
		*id = b.ids.Keep(was)
		names[was] = *id
		b.has[part] = append(b.has[part], stored{*id, data})
		steps = append(steps, level.Add(part, entity))
	}
	for _, v := range parts.Images {
		c := *v
		bring("images", &c, &c.ID, v.Data)
	}
	for _, v := range parts.Profiles {
		c := *v
		bring("profiles", &c, &c.ID, v.Data)
	}
	return steps
}

// bringMaterials adds the materials of a rig. One that the level has already under its id, alike in
// all, is used.
func (b *bringer) bringMaterials(parts *level.Level, names map[string]string) (steps []level.Operation) {
	for _, m := range parts.Materials {
		if names[m.ID] != "" {
			continue
		}
		c := *m
		c.Image = names[m.Image]
		if own := b.materials[m.ID]; own != nil && alike(own, &c) {
			names[m.ID] = m.ID
			continue
		}
		c.ID = b.ids.Keep(m.ID)
		names[m.ID], b.materials[c.ID] = c.ID, &c
		steps = append(steps, level.Add("materials", &c))
	}
	return steps
}

// alike tells whether two materials are the same in all but their names.
func alike(a, b *level.Material) bool {
	x, err1 := merge.Tree(a)
	y, err2 := merge.Tree(b)
	for _, tree := range []map[string]any{x, y} {
		delete(tree, "id")
		delete(tree, "name")
	}
	return err1 == nil && err2 == nil && merge.Same(x, y)
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
