package preset

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
)

// This file has rigs of a level follow a preset that they did not come from, and makes the next version of a preset
// from a rig that follows it.

// Link finds the members of a rig that is in a level already for those of the preset: what a Taking needs so that the
// rig follows it. The rig must have as many things of each kind, in the same order or with the same ends of their ids.
func (p *Preset) Link(l *level.Level, rig string) (Taking, error) {
	t := Taking{Names: map[string]string{}}
	switch {
	case p.Kind != Rig:
		return t, fault("/kind", "is %s; rigs follow presets of the kind rig", p.Kind)
	case l.RigByID(rig) == nil:
		return t, fault("/rigs", "%q is no rig of the level", rig)
	}
	t.Names[p.Rig.ID] = rig
	mine, theirs := level.New(""), p.Parts
	carry(mine, l, func(e level.Entity) (level.Entity, bool) { return e, e.Rig == rig })
	m := matcher{names: t.Names, preset: p.Rig.ID + "-", rig: rig + "-"}
	solids := match(&m, "blocks", theirs.Solids, mine.Solids, func(v *level.Solid) *level.Entity { return &v.Entity })
	meshes := match(&m, "meshes", theirs.Meshes, mine.Meshes, func(v *level.Mesh) *level.Entity { return &v.Entity })
	lights := match(&m, "lights", theirs.Lights, mine.Lights, func(v *level.Light) *level.Entity { return &v.Entity })
	glows := match(&m, "glows", theirs.Glows, mine.Glows, func(v *level.Glow) *level.Entity { return &v.Entity })
	match(&m, "fog volumes", theirs.FogVolumes, mine.FogVolumes, func(v *level.FogVolume) *level.Entity { return &v.Entity })
	match(&m, "beams", theirs.Beams, mine.Beams, func(v *level.Beam) *level.Entity { return &v.Entity })
	match(&m, "motes", theirs.Motes, mine.Motes, func(v *level.Motes) *level.Entity { return &v.Entity })
	for their, own := range lights {
		if their.Kind != own.Kind {
			m.differ("%s is a %s light, and %s of the preset a %s light", own.ID, own.Kind, their.ID, their.Kind)
		}
		m.called(their.Profile, own.Profile)
		if their.Gobo != nil && own.Gobo != nil {
			m.called(their.Gobo.Image, own.Gobo.Image)
		}
	}
	for their, own := range solids {
		m.called(their.Surface.Material, own.Surface.Material)
		for i := range min(len(their.Faces), len(own.Faces)) {
			m.called(their.Faces[i].Material, own.Faces[i].Material)
		}
	}
	for their, own := range meshes {
		m.called(their.Surface.Material, own.Surface.Material)
	}
	for their, own := range glows {
		m.called(their.Image, own.Image)
	}
	for _, their := range theirs.Materials {
		if own := level.ByID[level.Material](l, t.Names[their.ID]); own != nil {
			m.called(their.Image, own.Image)
		}
	}
	if m.why != "" {
		return t, fault("/rigs", "%q is not like the preset: %s", rig, m.why)
	}
	t.setPose(p.standsNow(In(l), &t))
	return t, nil
}

// matcher finds the names in a level of what a preset has.
type matcher struct {
	names       map[string]string
	preset, rig string // what ids of members begin with, here and there
	why         string // the first thing that does not match
}

func (m *matcher) differ(format string, args ...any) {
	if m.why == "" {
		m.why = fmt.Sprintf(format, args...)
	}
}

// called notes what a material, an image or a profile is called in the level.
func (m *matcher) called(theirs, own string) {
	if theirs != "" && own != "" && m.names[theirs] == "" {
		m.names[theirs] = own
	}
}

// match pairs the members of one kind: by what follows the rig's own id in theirs, or else in their order.
func match[T any](m *matcher, kind string, theirs, mine []*T, entity func(*T) *level.Entity) map[*T]*T {
	if len(theirs) != len(mine) {
		m.differ("it has %d %s, and the preset %d", len(mine), kind, len(theirs))
		return nil
	}
	byEnd := map[string]*T{}
	for _, v := range mine {
		byEnd[strings.TrimPrefix(entity(v).ID, m.rig)] = v
	}
	ends := len(byEnd) == len(mine)
	for _, v := range theirs {
		ends = ends && byEnd[strings.TrimPrefix(entity(v).ID, m.preset)] != nil
	}
	pairs := map[*T]*T{}
	for i, v := range theirs {
		own := mine[i]
		if ends {
			own = byEnd[strings.TrimPrefix(entity(v).ID, m.preset)]
		}
		pairs[v] = own
		m.names[entity(v).ID] = entity(own).ID
	}
	return pairs
}

// Next is the preset as a rig that follows it is by now, and how that rig follows it: its members keep their ids and axes,
// so that other rigs can be brought to it.
func (p *Preset) Next(l *level.Level, t Taking) (*Preset, Taking, error) {
	next, err := lift(l, t.Rig(p))
	if err != nil {
		return nil, t, err
	}
	h := In(l)
	names := p.idsOf(next, &t)
	p.ownAxes(next.Parts, h, p.standsNow(h, &t), names)
	next.Rig.ID = names[next.Rig.ID]
	for _, e := range next.Parts.Placed() {
		e.ID, e.Rig = names[e.ID], next.Rig.ID
	}
	parts := next.Parts
	for i, m := range parts.Materials {
		c := *m
		c.ID, c.Image = names[m.ID], names[m.Image]
		parts.Materials[i] = &c
	}
	for i, v := range parts.Images {
		c := *v
		c.ID = names[v.ID]
		parts.Images[i] = &c
	}
	for i, v := range parts.Profiles {
		c := *v
		c.ID = names[v.ID]
		parts.Profiles[i] = &c
	}
	rename(parts, names)
	follows := Taking{Names: map[string]string{}}
	for own, theirs := range names {
		follows.Names[theirs] = own
	}
	follows.setPose(next.standsNow(h, &follows))
	return next, follows, nil
}

// ownAxes turns lifted parts from where the rig stands into the axes of the preset. What did not move keeps its numbers to
// the last digit, and what hangs on a member of the rig hangs on it again.
func (p *Preset) ownAxes(parts *level.Level, h *Host, stands geom.Pose, names map[string]string) {
	began := map[string]*level.Entity{}
	for _, e := range p.Parts.Placed() {
		began[e.ID] = e.Entity
	}
	back := stands.Rotation.Inverse()
	for _, e := range parts.Placed() {
		was, own := began[names[e.ID]], h.placed[e.ID]
		if was != nil && was.Parent != "" && names[own.Parent] == was.Parent {
			e.Parent, e.Transform = was.Parent, own.Transform
			continue
		}
		pose := poseOf(e.Transform.Position, e.Transform.Rotation)
		pose = geom.Pose{Position: back.Rotate(pose.Position.Sub(stands.Position)), Rotation: back.Mul(pose.Rotation).Normalize()}
		if was != nil && was.Parent == "" && near(pose, poseOf(was.Transform.Position, was.Transform.Rotation)) {
			e.Transform = was.Transform
			continue
		}
		var t Taking
		t.setPose(pose)
		e.Transform.Position, e.Transform.Rotation = t.Position, t.Rotation
	}
}

// idsOf are the ids that the things of a lifted rig have in the preset that it follows; what is new to it gets one
// that the preset does not use.
func (p *Preset) idsOf(next *Preset, t *Taking) map[string]string {
	names := map[string]string{}
	for _, theirs := range slices.Sorted(maps.Keys(t.Names)) {
		names[t.Names[theirs]] = cmp.Or(names[t.Names[theirs]], theirs)
	}
	taken := p.Parts.NewIDs()
	keep := func(id string) {
		if names[id] == "" {
			names[id] = taken.Fresh(id)
		}
	}
	for _, e := range next.Parts.Placed() {
		keep(e.ID)
	}
	for _, m := range next.Parts.Materials {
		keep(m.ID)
	}
	for _, v := range next.Parts.Images {
		keep(v.ID)
	}
	for _, v := range next.Parts.Profiles {
		keep(v.ID)
	}
	return names
}
