package preset

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"strings"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/merge"
)

// This file knows presets again in the levels that took them, and brings newer versions there.

// Changed is a field of what was taken that has another value in the level by now.
type Changed struct {
	Part string `json:"part,omitzero"`
	ID   string `json:"id,omitzero"`
	Path string `json:"path,omitzero" doc:"None where the thing itself was removed."`
	Was  any    `json:"was,omitzero" doc:"As the preset has it; missing for the default."`
	Is   any    `json:"is,omitzero"`
}

// Host is a level whose things are found by their ids, to look for many presets in it.
type Host struct {
	level  *level.Level
	things map[merge.Key]any
	placed map[string]*level.Entity
	brings *bringer // what updates bring, so that many of one level do not bring the same twice
}

// In prepares a level.
func In(l *level.Level) *Host {
	h := &Host{l, map[merge.Key]any{}, map[string]*level.Entity{}, newBringer(l)}
	l.Each(func(part, id string, entity any) { h.things[merge.Key{Part: part, ID: id}] = entity })
	for _, e := range l.Placed() {
		h.placed[e.ID] = e.Entity
	}
	return h
}

// state is what the level has of the things of other states.
func (h *Host) state(of ...merge.State) (merge.State, error) {
	mine := merge.State{}
	for _, state := range of {
		for key := range state {
			thing, there := h.things[key]
			switch {
			case mine[key] != nil || !there && key != merge.Key{}:
				continue
			case key == merge.Key{}:
				l := h.level
				thing = map[string]any{"environment": l.Environment, "fog": l.Fog, "look": l.Look, "lightmap": l.Lightmap}
			}
			tree, err := merge.Tree(thing)
			if err != nil {
				return nil, err
			}
			delete(tree, "id")
			mine[key] = tree
		}
	}
	return mine, nil
}

// Has tells whether anything of a taken preset is left in the level.
func (h *Host) Has(p *Preset, t *Taking) bool {
	if p.Kind != Rig {
		return true
	}
	for _, e := range p.Parts.Placed() {
		if own := h.placed[t.Names[e.ID]]; own != nil && own.Rig == t.Rig(p) {
			return true
		}
	}
	return false
}

// ChangedSince lists what of a taken preset is other in the level now. A rig that was moved or
// turned as a whole is not changed by that.
func (p *Preset) ChangedSince(h *Host, t Taking) ([]Changed, error) {
	base, err := p.base(h, &t)
	if err != nil {
		return nil, err
	}
	mine, err := h.state(base)
	if err != nil {
		return nil, err
	}
	alignTurns(base, mine)
	p.keepNames(base, mine)
	var out []Changed
	for key, tree := range base {
		own, here := mine[key]
		if !here {
			out = append(out, Changed{Part: key.Part, ID: key.ID})
			continue
		}
		for path, value := range p.whole(key, tree) {
			out = differing(out, key, path, value, at(own, path))
		}
	}
	slices.SortFunc(out, func(a, b Changed) int {
		return cmp.Or(cmp.Compare(a.Part, b.Part), cmp.Compare(a.ID, b.ID), cmp.Compare(a.Path, b.Path))
	})
	return out, nil
}

// at is what a tree has at a dotted path.
func at(tree map[string]any, path string) any {
	name, rest, more := strings.Cut(path, ".")
	if !more {
		return tree[name]
	}
	inner, _ := tree[name].(map[string]any)
	return at(inner, rest)
}

func differing(out []Changed, key merge.Key, path string, was, is any) []Changed {
	if merge.Same(was, is) {
		return out
	}
	x, ok := was.(map[string]any)
	y, too := is.(map[string]any)
	if !ok || !too {
		return append(out, Changed{key.Part, key.ID, path, was, is})
	}
	names := maps.Clone(x)
	maps.Copy(names, y)
	for name := range names {
		out = differing(out, key, path+"."+name, x[name], y[name])
	}
	return out
}

// base is what the preset made of its things, at the place where they stand now.
func (p *Preset) base(h *Host, t *Taking) (merge.State, error) {
	if p.Kind == Rig {
		t.setPose(p.standsNow(h, t))
	}
	return p.state(h.level, t)
}

// alignTurns gives rotations the sign that they have in another state: a quaternion and its negative
// are one turn.
func alignTurns(state, as merge.State) {
	for key, tree := range state {
		transform, _ := tree["transform"].(map[string]any)
		turn, _ := transform["rotation"].([]any)
		like, _ := at(as[key], "transform.rotation").([]any)
		if len(turn) != 4 || len(like) != 4 {
			continue
		}
		dot := 0.0
		for i := range turn {
			a, _ := turn[i].(float64)
			b, _ := like[i].(float64)
			dot += a * b
		}
		for i := range turn {
			if a, ok := turn[i].(float64); ok && dot < 0 {
				turn[i] = -a
			}
		}
	}
}

// keepNames gives the things of a rig the names that they have in a level: what each is called there is its own.
func (p *Preset) keepNames(state, mine merge.State) {
	if p.Kind != Rig {
		return
	}
	for key, tree := range state {
		own, here := mine[key]
		if !here {
			continue
		}
		delete(tree, "name")
		if name, named := own["name"]; named {
			tree["name"] = name
		}
	}
}

// standsNow is where the rig of a taking stands in a level: where most of its members say.
func (p *Preset) standsNow(h *Host, t *Taking) geom.Pose {
	type vote struct {
		pose  geom.Pose
		count int
	}
	var votes []vote
	for _, e := range p.Parts.Placed() {
		own := h.placed[t.Names[e.ID]]
		if e.Parent != "" || own == nil || own.Parent != "" {
			continue
		}
		began := poseOf(e.Transform.Position, e.Transform.Rotation)
		now := poseOf(own.Transform.Position, own.Transform.Rotation)
		turn := now.Rotation.Mul(began.Rotation.Inverse()).Normalize()
		pose := geom.Pose{Position: now.Position.Sub(turn.Rotate(began.Position)), Rotation: turn}
		found := false
		for i := range votes {
			if near(votes[i].pose, pose) {
				votes[i].count++
				found = true
				break
			}
		}
		if !found {
			votes = append(votes, vote{pose, 1})
		}
	}
	best := vote{t.pose(), 0}
	for _, v := range votes {
		if v.count > best.count || v.count == best.count && near(v.pose, t.pose()) {
			best = v
		}
	}
	return best.pose
}

// near tells whether two poses are the same but for roundings.
func near(a, b geom.Pose) bool {
	const m, rad = 1e-6, 1e-6
	turn := math.Abs(a.Rotation.Dot(b.Rotation))
	return a.Position.Sub(b.Position).Len() < m && 1-turn < rad*rad+1e-12
}

// Update is the operation that brings what was taken of a preset to its next version, and how that
// is put there. What was changed in the level since stays; where both changed the same, takeTheirs
// chooses.
func (p *Preset) Update(h *Host, next *Preset, t Taking, takeTheirs func(merge.Clash) bool) (level.Operation, Taking, []merge.Clash, error) {
	if p.Kind != next.Kind {
		return level.Operation{}, t, nil, fault("/kind", "is %s, and what was taken was %s", next.Kind, p.Kind)
	}
	l := h.level
	base, err := p.base(h, &t)
	if err != nil {
		return level.Operation{}, t, nil, err
	}
	b := h.brings
	to := t
	to.Names = maps.Clone(t.Names)
	steps := b.bringAll(next.Parts, to.Names, next.Kind == Rig || next.showsSky(t.Only) && len(t.Zones) == 0)
	if next.Kind == Rig {
		if p.Rig.ID != next.Rig.ID { // the rig was called otherwise; it is still this one
			to.Names[next.Rig.ID] = t.Names[p.Rig.ID]
		}
		steps = append(steps, b.bringMaterials(next.Parts, to.Names)...)
		next.freshNames(&to, b)
	}
	theirs, err := next.state(l, &to)
	if err != nil {
		return level.Operation{}, t, nil, err
	}
	mine, err := h.state(base, theirs)
	if err != nil {
		return level.Operation{}, t, nil, err
	}
	alignTurns(base, mine)
	alignTurns(theirs, mine)
	p.keepNames(base, mine)
	p.keepNames(theirs, mine)
	for _, state := range []merge.State{base, theirs} {
		for key := range state {
			if key.Part == "materials" && mine[key] == nil {
				delete(state, key) // a new one, which is added by itself
			}
			if p.Kind != Rig && mine[key] == nil {
				delete(state, key) // a zone or a surface that is not there any more
			}
		}
	}
	for key := range base {
		if key.Part == "materials" && theirs[key] == nil {
			delete(base, key) // others may use it
		}
	}
	out := merge.Three(base, mine, theirs, takeTheirs)
	return level.Batch("", append(steps, out.Steps...)...), to, out.Clashes, nil
}
