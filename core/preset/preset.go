// Package preset lifts reusable pieces out of levels and puts them into others:
// a rig, a mood (ambient, sky, stars, wind, fog and look together) or a look
// alone. A preset is data only, and applying one is an ordinary operation.
// Recipes are rigs that come with Grotta.
package preset

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/geom"
	"grotta/core/handover"
	"grotta/core/intake"
	"grotta/core/level"
)

// Format is the preset's format and major version.
const Format = "grotta-preset/1"

// Kinds of preset.
const (
	Rig  = "rig"
	Mood = "mood"
	Look = "look"

	HandOver = "hand_over"
	Intake   = "import_rules"
)

// MaxBytes is the largest preset that is read.
const MaxBytes = 4 << 20

// Preset is a piece of a level. Its places are relative to the rig's anchor: the
// middle of its lights, or of all its parts where it has none.
type Preset struct {
	Format string       `json:"format" enum:"grotta-preset/1"`
	Kind   string       `json:"kind" enum:"rig,mood,look,hand_over,import_rules"`
	Mood   *MoodParts   `json:"mood,omitzero"`
	Look   *level.Look  `json:"look,omitzero"`
	Rig    *level.Rig   `json:"rig,omitzero"`
	Parts  *level.Level `json:"parts,omitzero" doc:"rig: a level that holds only its members and their materials."`

	HandOver *handover.File `json:"hand_over,omitzero" doc:"How a target writes what lights a level."`
	Intake   *intake.Rules  `json:"import_rules,omitzero" doc:"What things are that come in from an editor, by their names."`
}

// MoodParts is what a mood replaces.
type MoodParts struct {
	Ambient level.Ambient `json:"ambient"`
	Sky     level.Sky     `json:"sky"`
	Stars   level.Stars   `json:"stars"`
	Wind    level.Wind    `json:"wind"`
	Fog     level.Fog     `json:"fog"`
	Haze    *level.Haze   `json:"haze,omitzero" doc:"The fog's, in presets from before there was more fog than haze."`
	Look    level.Look    `json:"look"`
}

// UnmarshalJSONFrom gives what is left out its default, so that a mood from before
// a field was there is still one.
func (m *MoodParts) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain MoodParts
	*m = level.Default[MoodParts]()
	return json.UnmarshalDecode(d, (*plain)(m))
}

// FromMood lifts the mood of a level.
func FromMood(l *level.Level) *Preset {
	e := &l.Environment
	return &Preset{Format: Format, Kind: Mood, Mood: &MoodParts{Ambient: e.Ambient, Sky: e.Sky, Stars: e.Stars, Wind: e.Wind, Fog: l.Fog, Look: l.Look}}
}

// FromLook lifts the look of a level.
func FromLook(l *level.Level) *Preset {
	look := l.Look
	return &Preset{Format: Format, Kind: Look, Look: &look}
}

// FromRig lifts a rig with all its members; the error is a *level.Invalid.
func FromRig(l *level.Level, id string) (*Preset, error) {
	rig := l.RigByID(id)
	if rig == nil {
		return nil, fault("/rig", "is %q; the level has no such rig", id)
	}
	world := l.World()
	parts := level.New(cmp.Or(rig.Name, rig.ID))
	place := func(e level.Entity) (level.Entity, bool) {
		if e.Rig != id {
			return e, false
		}
		pose := world.Pose(&e)
		q := pose.Rotation
		e.Transform = level.Transform{Position: level.Vec(pose.Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
		e.Parent, e.Zone = "", ""
		return e, true
	}
	carry(parts, l, place)
	materials := map[string]bool{}
	for _, s := range parts.Solids {
		materials[s.Surface.Material] = true
		for _, f := range s.Faces {
			materials[f.Material] = true
		}
	}
	for _, m := range parts.Meshes {
		materials[m.Surface.Material] = true
	}
	cut(parts, l)
	for _, m := range l.Materials {
		if materials[m.ID] {
			parts.Materials = append(parts.Materials, m)
		}
	}
	carryShown(parts, l)
	if len(parts.Placed()) == 0 {
		return nil, fault("/rig", "%q has no members to save", id)
	}
	toAnchor(parts)
	kept := *rig
	kept.Preset = ""
	parts.Rigs = []*level.Rig{&kept}
	return &Preset{Format: Format, Kind: Rig, Rig: &kept, Parts: parts}, nil
}

// carry appends copies of what take says, with their new places, to the parts.
func carry(parts, from *level.Level, take func(level.Entity) (level.Entity, bool)) {
	parts.Solids = append(parts.Solids, copies(from.Solids, func(s *level.Solid) *level.Entity { return &s.Entity }, take)...)
	parts.Meshes = append(parts.Meshes, copies(from.Meshes, func(m *level.Mesh) *level.Entity { return &m.Entity }, take)...)
	parts.Lights = append(parts.Lights, copies(from.Lights, func(l *level.Light) *level.Entity { return &l.Entity }, take)...)
	parts.Glows = append(parts.Glows, copies(from.Glows, func(g *level.Glow) *level.Entity { return &g.Entity }, take)...)
	parts.FogVolumes = append(parts.FogVolumes, copies(from.FogVolumes, func(v *level.FogVolume) *level.Entity { return &v.Entity }, take)...)
	parts.Beams = append(parts.Beams, copies(from.Beams, func(b *level.Beam) *level.Entity { return &b.Entity }, take)...)
	parts.Motes = append(parts.Motes, copies(from.Motes, func(m *level.Motes) *level.Entity { return &m.Entity }, take)...)
}

func copies[T any](all []*T, entity func(*T) *level.Entity, take func(level.Entity) (level.Entity, bool)) []*T {
	var out []*T
	for _, v := range all {
		if e, ok := take(*entity(v)); ok {
			c := *v
			*entity(&c) = e
			out = append(out, &c)
		}
	}
	return out
}

// cut frees the parts of a rig from lights that are no part of it: what took a
// colour from one keeps that colour.
func cut(parts, l *level.Level) {
	own := func(color, from *string) {
		if light := l.Light(*from); light != nil && parts.Light(*from) == nil {
			*color, *from = l.Color(light).Hex(), ""
		}
	}
	for _, g := range parts.Glows {
		own(&g.Color, &g.ColorFrom)
	}
	for _, v := range parts.FogVolumes {
		own(&v.Color, &v.ColorFrom)
	}
	for _, m := range parts.Motes {
		own(&m.Color, &m.ColorFrom)
	}
	for _, b := range parts.Beams {
		own(&b.Color, &b.Light)
	}
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
	if err := level.Decode(text, &p); err != nil {
		return nil, err
	}
	if p.Mood != nil && p.Mood.Haze != nil {
		p.Mood.Fog.Haze, p.Mood.Haze = *p.Mood.Haze, nil
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
	case p.Kind == Look && p.Look != nil && p.Parts == nil:
		return level.CheckFields(p.Look)
	case p.Kind == HandOver && p.HandOver != nil && p.Parts == nil:
		return p.HandOver.Validate()
	case p.Kind == Intake && p.Intake != nil && p.Parts == nil:
		return p.Intake.Validate()
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
	return fault("/kind", "is %q; a mood has a mood, a look a look, a rig a rig and its parts, a hand-over a hand-over file, rules for imports their rules", p.Kind)
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
	Only   []string   // mood: the parts that are taken; all where there is none
	Normal *level.Vec // rig: At is on a surface that faces this way, and the rig is set against it
}

// Apply is the operation that puts the preset into a level: a mood or look
// replaces the level's, a rig is added under fresh ids. The error is a
// *level.Invalid.
func (p *Preset) Apply(l *level.Level, place Place) (level.Operation, error) {
	label := "Apply " + cmp.Or(place.Origin, p.Kind)
	switch p.Kind {
	case Mood:
		op := level.Set("", p.Mood.taken(place.Only))
		if op.Label = label; len(place.Only) > 0 {
			op.Label += ": " + strings.Join(place.Only, ", ")
		}
		return plain(op)
	case Look:
		op := level.Set("", map[string]any{"look": *p.Look})
		op.Label = label
		return plain(op)
	case HandOver, Intake:
		return level.Operation{}, fault("/kind", "is %s, which says how levels go out or come in, and is not put into one", p.Kind)
	}
	if place.At == nil {
		return level.Operation{}, fault("/at", "is missing; a rig needs a place, x, y, z in metres")
	}
	return p.applyRig(l, place, label)
}

// taken are the fields of a level that parts of a mood replace; all parts where none is named.
func (m *MoodParts) taken(only []string) map[string]any {
	all := map[string]any{
		"environment.ambient": m.Ambient, "environment.sky": m.Sky, "environment.stars": m.Stars, "environment.wind": m.Wind,
		"fog": m.Fog, "look": m.Look,
	}
	if len(only) == 0 {
		return all
	}
	some := map[string]any{}
	for path, value := range all {
		if slices.Contains(only, path[strings.LastIndexByte(path, '.')+1:]) {
			some[path] = value
		}
	}
	return some
}

func (p *Preset) applyRig(l *level.Level, place Place, label string) (level.Operation, error) {
	names, fresh := p.freshNames(l)
	steps := p.shownSteps(l, names, fresh)
	for _, m := range p.Parts.Materials {
		if names[m.ID] != m.ID || !hasMaterial(l, m) {
			c := *m
			c.ID, c.Image = names[m.ID], names[m.Image]
			steps = append(steps, level.Add("materials", &c))
		}
	}
	rig := *p.Rig
	rig.ID, rig.Preset = names[rig.ID], place.Origin
	steps = append(steps, level.Add("rigs", &rig))
	stand, err := p.stand(place)
	if err != nil {
		return level.Operation{}, err
	}
	parts := level.New("")
	carry(parts, p.Parts, func(e level.Entity) (level.Entity, bool) {
		e.ID, e.Rig = names[e.ID], rig.ID
		if e.Parent != "" {
			e.Parent = names[e.Parent]
			return e, true
		}
		q := e.Transform.Rotation
		pose := stand.Carry(geom.Pose{Position: geom.Vec3(e.Transform.Position), Rotation: mgl64.Quat{W: q[3], V: geom.Vec3{q[0], q[1], q[2]}}})
		q = [4]float64{pose.Rotation.V[0], pose.Rotation.V[1], pose.Rotation.V[2], pose.Rotation.W}
		e.Transform = level.Transform{Position: level.Vec(pose.Position), Rotation: q}
		return e, true
	})
	renameShown(parts, names)
	for _, s := range parts.Solids {
		s.Surface.Material = names[s.Surface.Material]
		s.Faces = slices.Clone(s.Faces)
		for i := range s.Faces {
			s.Faces[i].Material = names[s.Faces[i].Material]
		}
	}
	for _, m := range parts.Meshes {
		m.Surface.Material = names[m.Surface.Material]
	}
	renamed := func(id string) string { return cmp.Or(names[id], id) } // "sky" stays
	for _, g := range parts.Glows {
		g.ColorFrom = renamed(g.ColorFrom)
	}
	for _, v := range parts.FogVolumes {
		v.ColorFrom = renamed(v.ColorFrom)
	}
	for _, b := range parts.Beams {
		b.Light = renamed(b.Light)
	}
	for _, m := range parts.Motes {
		m.ColorFrom = renamed(m.ColorFrom)
	}
	steps = addAll(steps, "solids", parts.Solids)
	steps = addAll(steps, "meshes", parts.Meshes)
	steps = addAll(steps, "lights", parts.Lights)
	steps = addAll(steps, "glows", parts.Glows)
	steps = addAll(steps, "fog_volumes", parts.FogVolumes)
	steps = addAll(steps, "beams", parts.Beams)
	steps = addAll(steps, "motes", parts.Motes)
	return level.Batch(label, steps...), nil
}

func addAll[T any](steps []level.Operation, part string, list []*T) []level.Operation {
	for _, v := range list {
		steps = append(steps, level.Add(part, v))
	}
	return steps
}

// offSurfaceM is how far a rig's body stands off a surface that it is set against,
// so that faces do not fight; and bareM how far its lamps do at least.
const (
	offSurfaceM = 0.002
	bareM       = 0.03
)

// stand is where a rig's own axes go. Against a wall it turns so that its front,
// -Z, faces as the wall does; and it moves along the surface's normal until
// nothing of its body is behind the surface.
func (p *Preset) stand(place Place) (geom.Pose, error) {
	pose := geom.Identity()
	pose.Position = geom.Vec3(*place.At)
	if place.Normal == nil {
		return pose, nil
	}
	n := geom.Vec3(*place.Normal)
	if n.Len() < 1e-9 {
		return pose, fault("/normal", "has no length; the way that the surface faces is needed, such as 0,1,0")
	}
	n = n.Normalize()
	if math.Abs(n[1]) < 0.7 {
		pose.Rotation = geom.LookRotation(geom.Vec3{n[0], 0, n[2]})
	}
	lowest := math.Inf(1)
	world := p.Parts.World()
	for _, s := range p.Parts.Solids {
		own := pose.Carry(world.Pose(&s.Entity))
		for _, face := range s.FacePolygons() {
			for _, v := range face {
				lowest = min(lowest, own.Apply(v).Sub(pose.Position).Dot(n))
			}
		}
	}
	for _, m := range p.Parts.Meshes {
		own := pose.Carry(world.Pose(&m.Entity))
		for i := 0; i+2 < len(m.Positions); i += 3 {
			lowest = min(lowest, own.Apply(geom.Vec3{m.Positions[i], m.Positions[i+1], m.Positions[i+2]}).Sub(pose.Position).Dot(n))
		}
	}
	for _, l := range p.Parts.Lights {
		if l.Kind != level.BoxLight { // an opening lies in its surface
			lowest = min(lowest, pose.Carry(world.Pose(&l.Entity)).Position.Sub(pose.Position).Dot(n)-l.RadiusM-bareM)
		}
	}
	if math.IsInf(lowest, 1) {
		lowest = 0
	}
	pose.Position = pose.Position.Add(n.Mul(offSurfaceM - lowest))
	return pose, nil
}

// freshNames maps every id of the preset to one that the level does not have.
// A material that the level has already, alike in all, keeps its id and is used. fresh makes more.
func (p *Preset) freshNames(l *level.Level) (names map[string]string, fresh func(string) string) {
	names = map[string]string{"": ""}
	taken := map[string]bool{}
	fresh = func(id string) string {
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
	return names, fresh
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
