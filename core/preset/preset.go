// Package preset lifts reusable pieces out of levels and puts them into others:
// a rig, or a mood (ambient, sky, haze and look together). A preset is data only,
// and applying one is an ordinary operation.
package preset

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/geom"
	"grotta/core/level"
)

// Format is the preset's format and major version.
const Format = "grotta-preset/1"

// Kinds of preset.
const (
	Rig  = "rig"
	Mood = "mood"
)

// MaxBytes is the largest preset that is read.
const MaxBytes = 4 << 20

// Preset is a piece of a level. Its places are relative to the rig's anchor: the
// middle of its lights, or of all its parts where it has none.
type Preset struct {
	Format string       `json:"format" enum:"grotta-preset/1"`
	Kind   string       `json:"kind" enum:"rig,mood"`
	Mood   *MoodParts   `json:"mood,omitzero"`
	Rig    *level.Rig   `json:"rig,omitzero"`
	Parts  *level.Level `json:"parts,omitzero" doc:"rig: a level that holds only its members and their materials."`
}

// MoodParts is what a mood replaces.
type MoodParts struct {
	Ambient level.Ambient `json:"ambient"`
	Sky     level.Sky     `json:"sky"`
	Haze    level.Haze    `json:"haze"`
	Look    level.Look    `json:"look"`
}

// FromMood lifts the mood of a level.
func FromMood(l *level.Level) *Preset {
	return &Preset{Format: Format, Kind: Mood, Mood: &MoodParts{l.Environment.Ambient, l.Environment.Sky, l.Fog.Haze, l.Look}}
}

// FromRig lifts a rig with all its members; the error is a *level.Invalid.
func FromRig(l *level.Level, id string) (*Preset, error) {
	rig := l.RigByID(id)
	if rig == nil {
		return nil, fault("/rig", "is %q; the level has no such rig", id)
	}
	world := l.World()
	parts := level.New(cmp.Or(rig.Name, rig.ID))
	materials := map[string]bool{}
	place := func(e level.Entity) level.Entity {
		pose := world.Pose(&e)
		q := pose.Rotation
		e.Transform = level.Transform{Position: level.Vec(pose.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		e.Parent, e.Zone = "", ""
		return e
	}
	for _, s := range l.Solids {
		if s.Rig == id {
			c := *s
			c.Entity = place(s.Entity)
			parts.Solids = append(parts.Solids, &c)
			materials[c.Surface.Material] = true
			for _, f := range c.Faces {
				materials[f.Material] = true
			}
		}
	}
	for _, m := range l.Meshes {
		if m.Rig == id {
			c := *m
			c.Entity = place(m.Entity)
			parts.Meshes = append(parts.Meshes, &c)
			materials[c.Surface.Material] = true
		}
	}
	for _, light := range l.Lights {
		if light.Rig == id {
			c := *light
			c.Entity = place(light.Entity)
			parts.Lights = append(parts.Lights, &c)
		}
	}
	for _, g := range l.Glows {
		if g.Rig == id {
			c := *g
			c.Entity = place(g.Entity)
			if from := l.Light(c.ColorFrom); from != nil && from.Rig != id {
				c.ColorFrom, c.Color = "", l.Color(from).Hex()
			}
			parts.Glows = append(parts.Glows, &c)
		}
	}
	for _, m := range l.Materials {
		if materials[m.ID] {
			parts.Materials = append(parts.Materials, m)
		}
	}
	if len(parts.Placed()) == 0 {
		return nil, fault("/rig", "%q has no members to save", id)
	}
	toAnchor(parts)
	kept := *rig
	kept.Preset = ""
	parts.Rigs = []*level.Rig{&kept}
	return &Preset{Format: Format, Kind: Rig, Rig: &kept, Parts: parts}, nil
}

// toAnchor moves everything so that the anchor is the origin.
func toAnchor(parts *level.Level) {
	var sum geom.Vec3
	var n float64
	for _, l := range parts.Lights {
		sum, n = sum.Add(geom.Vec3(l.Transform.Position)), n+1
	}
	if n == 0 {
		for _, p := range parts.Placed() {
			sum, n = sum.Add(geom.Vec3(p.Transform.Position)), n+1
		}
	}
	anchor := sum.Mul(1 / n)
	for _, p := range parts.Placed() {
		p.Transform.Position = level.Vec(geom.Vec3(p.Transform.Position).Sub(anchor))
	}
}

// Parse reads a preset and judges all of it; the error is a *level.Invalid.
func Parse(text []byte) (*Preset, error) {
	if len(text) > MaxBytes {
		return nil, fault("", "the preset has %d bytes; the most is %d", len(text), MaxBytes)
	}
	var p Preset
	if err := json.Unmarshal(text, &p, json.RejectUnknownMembers(false)); err != nil {
		return nil, level.ReadError(err)
	}
	return &p, p.Validate()
}

// Validate judges a preset as the level document is judged.
func (p *Preset) Validate() error {
	if p.Format != Format {
		return fault("/format", "is %q; this Grotta reads %q", p.Format, Format)
	}
	switch {
	case p.Kind == Mood && p.Mood != nil && p.Parts == nil:
		return level.CheckFields(p.Mood)
	case p.Kind == Rig && p.Rig != nil && p.Parts != nil && p.Mood == nil:
		if len(p.Parts.Rigs) != 1 || p.Parts.Rigs[0].ID != p.Rig.ID {
			return fault("/parts/rigs", "must hold the preset's own rig and no other")
		}
		for _, e := range p.Parts.Placed() {
			if e.Rig != p.Rig.ID {
				return fault(fmt.Sprintf("/parts/%s/%d/rig", e.Part, e.Index), "is %q; every part belongs to the rig %q", e.Rig, p.Rig.ID)
			}
		}
		return p.Parts.Validate()
	}
	return fault("/kind", "is %q; a mood has a mood, a rig has a rig and its parts", p.Kind)
}

// Hash names a preset by its content.
func (p *Preset) Hash() (string, error) {
	text, err := level.Encode(p)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), nil
}

// Place is where and as what a preset is applied.
type Place struct {
	Origin string     // "name@version", kept in the rig so that it knows where it came from
	At     *level.Vec // rig: where its anchor goes
}

// Apply is the operation that puts the preset into a level: a mood replaces the
// level's, a rig is added under fresh ids. The error is a *level.Invalid.
func (p *Preset) Apply(l *level.Level, place Place) (level.Operation, error) {
	label := "Apply " + cmp.Or(place.Origin, p.Kind)
	if p.Kind == Mood {
		op := level.Set("", map[string]any{
			"environment.ambient": p.Mood.Ambient, "environment.sky": p.Mood.Sky,
			"fog.haze": p.Mood.Haze, "look": p.Mood.Look,
		})
		op.Label = label
		return plain(op)
	}
	if place.At == nil {
		return level.Operation{}, fault("/at", "is missing; a rig needs a place, x, y, z in metres")
	}
	return p.applyRig(l, place, label)
}

func (p *Preset) applyRig(l *level.Level, place Place, label string) (level.Operation, error) {
	names := p.freshNames(l)
	var steps []level.Operation
	for _, m := range p.Parts.Materials {
		if names[m.ID] != m.ID || !hasMaterial(l, m) {
			c := *m
			c.ID = names[m.ID]
			steps = append(steps, level.Add("materials", &c))
		}
	}
	rig := *p.Rig
	rig.ID, rig.Preset = names[rig.ID], place.Origin
	steps = append(steps, level.Add("rigs", &rig))
	move := func(e level.Entity) level.Entity {
		e.ID, e.Rig = names[e.ID], rig.ID
		if e.Parent != "" {
			e.Parent = names[e.Parent]
		} else {
			e.Transform.Position = level.Vec(geom.Vec3(e.Transform.Position).Add(geom.Vec3(*place.At)))
		}
		return e
	}
	for _, s := range p.Parts.Solids {
		c := *s
		c.Entity, c.Surface.Material = move(s.Entity), names[s.Surface.Material]
		c.Faces = slices.Clone(s.Faces)
		for i := range c.Faces {
			c.Faces[i].Material = names[c.Faces[i].Material]
		}
		steps = append(steps, level.Add("solids", &c))
	}
	for _, m := range p.Parts.Meshes {
		c := *m
		c.Entity, c.Surface.Material = move(m.Entity), names[m.Surface.Material]
		steps = append(steps, level.Add("meshes", &c))
	}
	for _, light := range p.Parts.Lights {
		c := *light
		c.Entity = move(light.Entity)
		steps = append(steps, level.Add("lights", &c))
	}
	for _, g := range p.Parts.Glows {
		c := *g
		c.Entity, c.ColorFrom = move(g.Entity), names[g.ColorFrom]
		steps = append(steps, level.Add("glows", &c))
	}
	return level.Batch(label, steps...), nil
}

// freshNames maps every id of the preset to one that the level does not have.
// A material that the level has already, alike in all, keeps its id and is used.
func (p *Preset) freshNames(l *level.Level) map[string]string {
	names := map[string]string{"": ""}
	taken := map[string]bool{}
	fresh := func(id string) string {
		name := l.FreshID(id)
		for n := 2; taken[name]; n++ {
			name = l.FreshID(fmt.Sprintf("%s-%d", id, n))
		}
		taken[name] = true
		return name
	}
	for _, m := range p.Parts.Materials {
		if hasMaterial(l, m) {
			names[m.ID] = m.ID
		} else {
			names[m.ID] = fresh(m.ID)
		}
	}
	names[p.Rig.ID] = fresh(p.Rig.ID)
	for _, e := range p.Parts.Placed() {
		// "lantern-1-post" of rig "lantern-1" becomes "lantern-2-post" of "lantern-2".
		id := e.ID
		if rest, ok := strings.CutPrefix(id, p.Rig.ID+"-"); ok {
			id = names[p.Rig.ID] + "-" + rest
		}
		names[e.ID] = fresh(id)
	}
	return names
}

func hasMaterial(l *level.Level, want *level.Material) bool {
	for _, m := range l.Materials {
		if m.ID == want.ID {
			return m.Color == want.Color && m.Emission == want.Emission
		}
	}
	return false
}

// plain turns typed values of an operation into JSON trees, as if it had come
// over the wire.
func plain(op level.Operation) (level.Operation, error) {
	fields := map[string]any{}
	for _, path := range slices.Sorted(maps.Keys(op.Fields)) {
		text, err := level.Encode(op.Fields[path])
		if err != nil {
			return op, err
		}
		var tree any
		if err := json.Unmarshal(text, &tree); err != nil {
			return op, err
		}
		fields[path] = tree
	}
	op.Fields = fields
	return op, nil
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}
