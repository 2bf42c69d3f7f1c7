package preset

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/merge"
)

// This file puts presets into levels.

// Place is where and as what a preset is taken.
type Place struct {
	Origin string     // "name@version", kept in the rig so that its file says where it came from
	At     *level.Vec // rig: where its anchor goes
	Normal *level.Vec // rig: At is on a surface that faces this way, and the rig is set against it
	More   []Spot     // rig: further places
	Only   []string   // the parts that are taken; all where there is none
	Zones  []string   // ids of zones that take it in place of the level; mood, look and zone alone
}

// Spot is one of many places of a rig.
type Spot struct {
	At     level.Vec  `json:"at" doc:"Metres."`
	Normal *level.Vec `json:"normal,omitzero" required:"false" doc:"at is on a surface that faces this way; the rig is set against it."`
}

// Taking is how a preset was put into a level: what is needed to know it again there.
type Taking struct {
	Only     []string          `json:"only,omitzero"`
	Zones    []string          `json:"zones,omitzero"`
	Names    map[string]string `json:"names,omitzero" doc:"Ids in the level, by those in the preset."`
	Position level.Vec         `json:"position" doc:"rig: where its anchor was put."`
	Rotation [4]float64        `json:"rotation"`
}

// Rig is the id in the level of the rig that was put there; "" for other kinds.
func (t *Taking) Rig(p *Preset) string {
	if p.Rig == nil {
		return ""
	}
	return t.Names[p.Rig.ID]
}

// takeable are the parts of each kind that can be taken alone, with the field that each replaces.
var takeable = map[string]map[string]string{
	Mood:    moodParts,
	Sky:     {"sky": "environment.sky", "stars": "environment.stars"},
	Look:    {"look": "look"},
	Density: {"density": "lightmap.density", "page_size": "lightmap.page_size", "materials": ""},

	Environment: environmentParts,
	Zone:        zoneParts,
}

var (
	moodParts = map[string]string{
		"ambient": "environment.ambient", "sky": "environment.sky", "stars": "environment.stars", "wind": "environment.wind",
		"fog": "fog", "look": "look", "mode": "environment.mode", "sun": "environment.sun", "moon": "environment.moon", "wetness": "environment.wetness",
	}
	environmentParts = func() map[string]string {
		all := maps.Clone(moodParts)
		all["zones"] = ""
		return all
	}()
	zoneParts = map[string]string{"mode": "mode", "ambient": "ambient", "fog": "fog", "look": "look", "blend": "blend_m", "play": "play", "wetness": "wetness"}
	ofZones   = map[string]string{"ambient": "ambient", "fog": "fog", "look": "look", "mode": "mode", "wetness": "wetness"} // what a zone takes of a mood
)

// PartsOf are the names of what can be taken of a preset of a kind, sorted; none for a rig.
func PartsOf(kind string) []string { return slices.Sorted(maps.Keys(takeable[kind])) }

// Apply is the operation that puts the preset into a level, and how it was put there: a rig once for
// each place, another kind once. What it replaces, such as the image of an old sky, goes. The error
// is a *level.Invalid.
func (p *Preset) Apply(l *level.Level, place Place) (level.Operation, []Taking, error) {
	label := "Apply " + cmp.Or(place.Origin, p.Kind)
	if err := p.mayTake(l, place); err != nil {
		return level.Operation{}, nil, err
	}
	if p.Kind == Rig {
		return p.placeRigs(l, place, label)
	}
	if len(place.Only) > 0 {
		label += ": " + strings.Join(place.Only, ", ")
	}
	b := newBringer(l)
	t := Taking{Only: place.Only, Zones: place.Zones, Names: map[string]string{}}
	steps := b.bringAll(p.Parts, t.Names, p.showsSky(t.Only) && len(t.Zones) == 0)
	state, err := p.state(l, &t)
	if err != nil {
		return level.Operation{}, nil, err
	}
	for _, key := range slices.SortedFunc(maps.Keys(state), func(a, b merge.Key) int { return cmp.Or(cmp.Compare(a.Part, b.Part), cmp.Compare(a.ID, b.ID)) }) {
		steps = append(steps, level.Set(key.ID, p.whole(key, state[key])))
	}
	steps = append(steps, p.dropOldSky(l, &t)...)
	if len(steps) == 0 {
		return level.Operation{}, nil, fault("/only", "takes nothing that this level has")
	}
	if len(steps) == 1 {
		steps[0].Label = label
		return steps[0], []Taking{t}, nil
	}
	return level.Batch(label, steps...), []Taking{t}, nil
}

// mayTake judges whether a level can take the preset as it is asked for.
func (p *Preset) mayTake(l *level.Level, place Place) error {
	allowed, goesIn := takeable[p.Kind]
	switch {
	case p.Kind == Rig && place.At == nil && len(place.More) == 0:
		return fault("/at", "is missing; a rig needs a place, x, y, z in metres")
	case p.Kind == Rig && len(place.Only) > 0:
		return fault("/only", "is for moods and their like; a rig is taken whole")
	case p.Kind != Rig && !goesIn:
		return fault("/kind", "is %s, which says how levels go out, come in or are checked, and is not put into one", p.Kind)
	case p.Kind == Zone && len(place.Zones) == 0:
		return fault("/zones", "are missing; the set-up of a zone needs zones that take it")
	case len(place.Zones) > 0 && p.Kind != Zone && p.Kind != Mood && p.Kind != Look:
		return fault("/zones", "take moods, looks and set-ups of zones; this is a preset of the kind %s", p.Kind)
	}
	for i, id := range place.Zones {
		if level.ByID[level.Zone](l, id) == nil {
			return noZone(fmt.Sprintf("/zones/%d", i), l, id)
		}
	}
	for i, name := range place.Only {
		if _, ok := allowed[name]; !ok {
			return fault(fmt.Sprintf("/only/%d", i), "is %q; a preset of the kind %s has %s", name, p.Kind, strings.Join(PartsOf(p.Kind), ", "))
		}
	}
	return nil
}

// showsSky tells whether the sky is among the parts that are taken.
func (p *Preset) showsSky(only []string) bool {
	return p.sky() != nil && (len(only) == 0 || slices.Contains(only, "sky"))
}

// fields are the values of a preset by the names of its parts. nil puts a field back to its default.
func (p *Preset) fields() map[string]any {
	switch p.Kind {
	case Mood, Environment:
		m := p.Mood
		all := map[string]any{"ambient": m.Ambient, "sky": m.Sky, "stars": m.Stars, "wind": m.Wind, "fog": m.Fog, "look": m.Look}
		if m.Mode != "" {
			all["mode"], all["sun"], all["moon"] = m.Mode, orNil(m.Sun), orNil(m.Moon)
		}
		if m.Wetness != nil {
			all["wetness"] = *m.Wetness
		}
		return all
	case Sky:
		return map[string]any{"sky": p.Sky.Sky, "stars": p.Sky.Stars}
	case Look:
		return map[string]any{"look": *p.Look}
	case Density:
		return map[string]any{"density": p.Density.Density, "page_size": p.Density.PageSize}
	case Zone:
		z := p.Zone
		return map[string]any{"mode": z.Mode, "ambient": orNil(z.Ambient), "fog": orNil(z.Fog), "look": orNil(z.Look), "blend": z.BlendM, "play": z.Play, "wetness": orNil(z.Wetness)}
	}
	return nil
}

func orNil[T any](v *T) any {
	if v == nil {
		return nil
	}
	return *v
}

// state is what the preset comes to in a level, where it was put as a taking says.
func (p *Preset) state(l *level.Level, t *Taking) (merge.State, error) {
	if p.Kind == Rig {
		return p.rigState(t)
	}
	fields := p.fields()
	if len(t.Only) > 0 {
		maps.DeleteFunc(fields, func(name string, _ any) bool { return !slices.Contains(t.Only, name) })
	}
	state := merge.State{}
	if len(t.Zones) > 0 {
		names := ofZones
		if p.Kind == Zone {
			names = zoneParts
		}
		tree, err := p.tree(fields, names, t)
		for _, id := range t.Zones {
			if err == nil && len(tree) > 0 && level.ByID[level.Zone](l, id) != nil {
				state[merge.Key{Part: "zones", ID: id}] = tree
			}
		}
		return state, err
	}
	tree, err := p.tree(fields, takeable[p.Kind], t)
	if err != nil {
		return nil, err
	}
	if len(tree) > 0 {
		state[merge.Key{}] = tree
	}
	if takes(t.Only, "zones") {
		if err := p.zonesState(l, state); err != nil {
			return nil, err
		}
	}
	if p.Kind == Density && takes(t.Only, "materials") {
		p.densityState(l, state)
	}
	return state, nil
}

func takes(only []string, name string) bool { return len(only) == 0 || slices.Contains(only, name) }

// tree is the fields as a JSON tree, each where its name says.
func (p *Preset) tree(fields map[string]any, paths map[string]string, t *Taking) (map[string]any, error) {
	tree := map[string]any{}
	for name, value := range fields {
		path := paths[name]
		if path == "" {
			continue
		}
		encoded, err := merge.Tree(map[string]any{"it": value})
		if err != nil {
			return nil, err
		}
		own := encoded["it"]
		if name == "sky" {
			sky := own.(map[string]any)
			if image, ok := sky["image"].(string); ok {
				sky["image"] = cmp.Or(t.Names[image], image)
			}
		}
		at, names := tree, strings.Split(path, ".")
		for _, n := range names[:len(names)-1] {
			inner, ok := at[n].(map[string]any)
			if !ok {
				inner = map[string]any{}
				at[n] = inner
			}
			at = inner
		}
		at[names[len(names)-1]] = own
	}
	return tree, nil
}

// whole is a thing's tree as the fields of a set that replaces each part as one.
func (p *Preset) whole(key merge.Key, tree map[string]any) map[string]any {
	fields := map[string]any{}
	for name, value := range tree {
		inner, ok := value.(map[string]any)
		if !ok || key.Part == "zones" || key == (merge.Key{}) && (name == "fog" || name == "look") {
			fields[name] = value
			continue
		}
		for under, v := range inner {
			fields[name+"."+under] = v
		}
	}
	return fields
}

// zonesState adds the set-up of the preset's zones to those of the level with the same id or name.
func (p *Preset) zonesState(l *level.Level, state merge.State) error {
	for _, z := range p.Zones {
		for _, own := range l.Zones {
			if own.ID != z.ID && (z.Name == "" || !sameName(own.Name, z.Name)) {
				continue
			}
			tree, err := merge.Tree(map[string]any{"mode": z.Mode, "ambient": orNil(z.Ambient), "fog": orNil(z.Fog), "look": orNil(z.Look), "blend_m": z.BlendM, "play": z.Play})
			if err != nil {
				return err
			}
			state[merge.Key{Part: "zones", ID: own.ID}] = tree
			break
		}
	}
	return nil
}

// densityState adds the densities of what is made of the plan's materials.
func (p *Preset) densityState(l *level.Level, state merge.State) {
	of := map[string]float64{}
	for _, m := range l.Materials {
		for _, d := range p.Density.Materials {
			if sameName(nameOr(m.Name, m.ID), d.Material) {
				of[m.ID] = d.Density
			}
		}
	}
	set := func(part, id string, s *level.Surface) {
		if d, ok := of[s.Material]; ok {
			state[merge.Key{Part: part, ID: id}] = map[string]any{"surface": map[string]any{"density": d}}
		}
	}
	for _, s := range l.Solids {
		set("solids", s.ID, &s.Surface)
	}
	for _, m := range l.Meshes {
		set("meshes", m.ID, &m.Surface)
	}
}

// dropOldSky removes the image of the sky that is replaced, where nothing else shows it.
func (p *Preset) dropOldSky(l *level.Level, t *Taking) []level.Operation {
	old := l.Environment.Sky.Image
	if old == "" || !p.showsSky(t.Only) || len(t.Zones) > 0 || slices.Contains(slices.Collect(maps.Values(t.Names)), old) {
		return nil
	}
	for _, m := range l.Materials {
		if m.Image == old {
			return nil
		}
	}
	for _, g := range l.Glows {
		if g.Image == old {
			return nil
		}
	}
	for _, v := range l.Lights {
		if v.Gobo != nil && v.Gobo.Image == old {
			return nil
		}
	}
	if l.Image(old) == nil {
		return nil
	}
	return []level.Operation{level.Remove(old)}
}

// placeRigs puts a rig to all its places, under fresh ids.
func (p *Preset) placeRigs(l *level.Level, place Place, label string) (level.Operation, []Taking, error) {
	spots := place.More
	if place.At != nil {
		spots = append([]Spot{{*place.At, place.Normal}}, spots...)
	}
	b := newBringer(l)
	shown := map[string]string{}
	steps := b.bringAll(p.Parts, shown, true)
	steps = append(steps, b.bringMaterials(p.Parts, shown)...)
	var all []Taking
	for i, spot := range spots {
		stand, err := p.stand(spot)
		if err != nil {
			if place.At == nil || i > 0 {
				return level.Operation{}, nil, inPlace(err, i)
			}
			return level.Operation{}, nil, err
		}
		t := Taking{Names: maps.Clone(shown)}
		t.setPose(stand)
		p.freshNames(&t, b)
		all = append(all, t)
		own := p.placed(&t)
		own.Rigs[0].Preset = place.Origin
		steps = append(steps, addParts(own)...)
	}
	return level.Batch(label, steps...), all, nil
}

func inPlace(err error, i int) error {
	if bad, ok := err.(*level.Invalid); ok {
		for k := range bad.Faults {
			bad.Faults[k].Path = fmt.Sprintf("/places/%d%s", i, bad.Faults[k].Path)
		}
	}
	return err
}

func (t *Taking) setPose(pose geom.Pose) {
	q := pose.Rotation
	t.Position, t.Rotation = level.Vec(pose.Position), [4]float64{q.V[0], q.V[1], q.V[2], q.W}
}

func (t *Taking) pose() geom.Pose { return poseOf(t.Position, t.Rotation) }

func poseOf(at level.Vec, q [4]float64) geom.Pose {
	if q == ([4]float64{}) {
		q[3] = 1
	}
	return geom.Pose{Position: geom.Vec3(at), Rotation: mgl64.Quat{W: q[3], V: geom.Vec3{q[0], q[1], q[2]}}}
}
