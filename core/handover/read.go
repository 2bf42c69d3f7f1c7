package handover

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// MaxTextBytes is the longest text that is read back.
const MaxTextBytes = 16 << 20

// Back is what a text of a target changes in a level.
type Back struct {
	Operation level.Operation // one edit; without steps where nothing changes
	Added     []string        // names of things that the level did not have
	Changed   []string        // "name: field, field"
	Same      int             // things that are as they were
	Passed    []string        // what was not read, and why
}

// Read reads text of a target into a level. A thing is known by its id, else by its name within its
// kind; of one that is known only the values that differ from what would be written now are taken,
// so that what the target says with few digits does not wear down what the level has. Others are
// added; nothing is removed. Faults name the place in the text.
func Read(text []byte, f *File, l *level.Level) (*Back, error) {
	if len(text) > MaxTextBytes {
		return nil, fault("", "the text has %d bytes; the most is %d", len(text), MaxTextBytes)
	}
	w, err := newWriter(f)
	if err != nil {
		return nil, err
	}
	records, err := f.shape().read(text)
	if err != nil {
		return nil, err
	}
	things, err := f.collect(l)
	if err != nil {
		return nil, err
	}
	r := &reader{writer: w, level: l, world: l.World(), things: things, ids: l.NewIDs(), taken: map[*thing]bool{}, back: &Back{}}
	unknown := map[string]int{}
	for i := range records {
		rule := f.ruleOf(&records[i])
		if rule == nil {
			unknown[cmp.Or(records[i].class, "without a class")]++
			continue
		}
		if err := r.record(&records[i], rule); err != nil {
			return nil, err
		}
	}
	for _, class := range slices.Sorted(maps.Keys(unknown)) {
		r.back.Passed = append(r.back.Passed, fmt.Sprintf("%d of the class %s, for which %s has no rule", unknown[class], class, f.Title))
	}
	return r.back, r.operation(f)
}

type reader struct {
	*writer
	level  *level.Level
	world  *level.World
	things []*thing
	ids    *level.IDs
	taken  map[*thing]bool
	steps  []level.Operation
	back   *Back
}

// operation puts the steps together, as many in a batch as one takes.
func (r *reader) operation(f *File) error {
	if len(r.steps) == 0 {
		return nil
	}
	const most = 1000
	if len(r.steps) > most {
		var batches []level.Operation
		for part := range slices.Chunk(r.steps, most) {
			batches = append(batches, level.Batch("", part...))
		}
		r.steps = batches
	}
	r.back.Operation = level.Batch("Take back from "+f.Title, r.steps...)
	return nil
}

func (r *reader) record(rec *record, rule *Rule) error {
	d, err := r.draftOf(rec, rule)
	if err != nil {
		return err
	}
	t := r.known(d, rule)
	if t == nil {
		return r.add(rec, rule, d)
	}
	r.taken[t] = true
	fields, err := r.changes(t, rule, d)
	if err != nil {
		return inPlace(err, rec.place)
	}
	if len(fields) == 0 {
		r.back.Same++
		return nil
	}
	r.steps = append(r.steps, level.Set(t.id, t.paths(fields)))
	r.back.Changed = append(r.back.Changed, fmt.Sprintf("%s: %s", t.name, strings.Join(slices.Sorted(maps.Keys(fields)), ", ")))
	return nil
}

// inPlace gives a fault its place in the text.
func inPlace(err error, place string) error {
	var bad *level.Invalid
	if errors.As(err, &bad) {
		return err
	}
	return fault(place, "%v", err)
}

// paths are fields of a thing as the level's operations name them.
func (t *thing) paths(fields map[string]any) map[string]any {
	if t.path == "" {
		return fields
	}
	out := make(map[string]any, len(fields))
	for name, v := range fields {
		out[t.path+"."+name] = v
	}
	return out
}

// known finds the thing that a draft is of. A light is known by its id also where the editor has made
// another kind of it.
func (r *reader) known(d *draft, rule *Rule) *thing {
	id, _ := d.plain["id"].(string)
	name, _ := d.plain["name"].(string)
	var byName *thing
	for _, t := range r.things {
		switch {
		case r.taken[t]:
		case id != "" && t.id == id && t.part == "lights" && isLight(rule.Of):
			return t
		case t.of != rule.Of:
		case t.path != "" || id != "" && t.id == id:
			return t
		case name != "" && t.name == name && byName == nil:
			byName = t
		}
	}
	if id != "" {
		if _, _, there := r.level.Find(id); !there && byName != nil && rule.says("id") {
			return nil // a new id with an old name is a copy
		}
	}
	return byName
}

// changes are the fields in which a text differs from what would be written of a thing now. What the
// text does not say stays as it is.
func (r *reader) changes(t *thing, rule *Rule, text *draft) (map[string]any, error) {
	if t.of != rule.Of {
		return r.otherKind(t, rule, text)
	}
	written := r.writer.record(t, rule)
	now, err := r.draftOf(&written, rule)
	if err != nil {
		return nil, err
	}
	text.fill(now)
	was, err := r.rebuild(rule.Of, now)
	if err != nil {
		return nil, err
	}
	is, err := r.rebuild(rule.Of, text)
	if err != nil {
		return nil, err
	}
	fields := map[string]any{}
	before, after := map[string]any{}, map[string]any{}
	flatten(before, "", was.tree)
	flatten(after, "", is.tree)
	for path, v := range after {
		if path != "id" && path != "kind" && !reflect.DeepEqual(before[path], v) {
			fields[path] = v
		}
	}
	if is.position != nil && (was.position == nil || *was.position != *is.position) {
		fields["transform.position"] = level.Vec(r.local(t).Apply(*is.position))
	}
	if is.aim != nil && (was.aim == nil || !was.aim.Rotation.ApproxEqualThreshold(is.aim.Rotation, 1e-9)) {
		r.aim(t, is.aim, fields)
	}
	if is.color != nil && (was.color == nil || *was.color != *is.color) {
		fields["color"] = is.color.Hex()
	}
	if k, changed := fields["kelvin"].(float64); changed && k > 0 && (fields["color"] == nil || isKelvin(*is.color, k)) {
		fields["color"] = nil // a light has one or the other
	} else if fields["color"] != nil && (changed || at(t.tree, "kelvin") != nil) {
		fields["kelvin"] = nil
	}
	if is.strength != nil && (was.strength == nil || *was.strength != *is.strength) {
		name := "strength"
		if t.path != "" {
			name = "lux"
		}
		fields[name] = r.strength(t, was.strength, *is.strength)
	}
	if t.of == "zone" && is.min != nil && is.max != nil && (was.min == nil || *was.min != *is.min || *was.max != *is.max) {
		fields["boxes"] = r.boxes(t, is)
	}
	return fields, nil
}

// otherKind are the fields of a light of which the editor has made another kind: all that the text says.
func (r *reader) otherKind(t *thing, rule *Rule, text *draft) (map[string]any, error) {
	is, err := r.rebuild(rule.Of, text)
	if err != nil {
		return nil, err
	}
	said := map[string]any{}
	flatten(said, "", is.tree)
	fields := map[string]any{"kind": rule.Of}
	for path := range text.plain {
		if v, ok := said[path]; ok && path != "id" {
			fields[path] = v
		}
	}
	if is.position != nil {
		fields["transform.position"] = level.Vec(r.local(t).Apply(*is.position))
	}
	if is.aim != nil {
		r.aim(t, is.aim, fields)
	}
	if is.color != nil {
		fields["color"], fields["kelvin"] = is.color.Hex(), nil
	}
	if is.strength != nil {
		fields["strength"] = *is.strength / r.rigShare(t)
	}
	return fields, nil
}

// rigShare is what a light's rig multiplies its strength by.
func (r *reader) rigShare(t *thing) float64 {
	if rig := r.level.RigByID(t.entity.Rig); rig != nil && rig.KeyStrength > 0 {
		return rig.KeyStrength
	}
	return 1
}

// isKelvin tells whether a colour is that of a temperature, to the eight bits that texts hold.
func isKelvin(c color.Linear, kelvin float64) bool {
	of, _ := whole(color.Kelvin(kelvin), 1)
	return closeColors(of, c)
}

// local takes a place of the world into the space of a thing's parent.
func (r *reader) local(t *thing) geom.Pose {
	if t.entity == nil || t.entity.Parent == "" {
		return geom.Identity()
	}
	own := level.Entity{Parent: t.entity.Parent, Transform: level.Default[level.Transform]()}
	p := r.world.Pose(&own)
	back := p.Rotation.Inverse()
	return geom.Pose{Position: back.Rotate(p.Position.Mul(-1)), Rotation: back}
}

// aim turns a thing; a sun stands at its angles from then on.
func (r *reader) aim(t *thing, aim *geom.Pose, fields map[string]any) {
	if t.path == "" {
		q := r.local(t).Rotation.Mul(aim.Rotation).Normalize()
		fields["transform.rotation"] = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
		return
	}
	azimuth, altitude, _ := angles(geom.Pose{Rotation: geom.LookRotation(aim.Forward().Mul(-1))})
	north, _ := at(t.tree, "north_deg").(float64)
	fields["azimuth_deg"], fields["altitude_deg"] = math.Mod(azimuth-north, 360), altitude
	if at(t.tree, "place") != nil {
		fields["place"] = nil
	}
}

// strength is a thing's own strength after a change in the target: as much stronger as it is there.
func (r *reader) strength(t *thing, was *float64, is float64) float64 {
	own, _ := at(t.tree, "lux").(float64)
	if t.light != nil && t.path == "" {
		own = r.level.Light(t.id).Strength
	}
	if was == nil || *was == 0 || own == 0 {
		return is
	}
	return own * is / *was
}

// boxes are a zone's, the first as it is in the target.
func (r *reader) boxes(t *thing, is *rebuilt) []any {
	list, _ := at(t.tree, "boxes").([]any)
	first := map[string]any{"min": level.Vec(*is.min), "max": level.Vec(*is.max)}
	if len(list) == 0 {
		return []any{first}
	}
	return append([]any{first}, list[1:]...)
}

// add makes a new thing of a record.
func (r *reader) add(rec *record, rule *Rule, d *draft) error {
	is, err := r.rebuild(rule.Of, d)
	if err != nil {
		return inPlace(err, rec.place)
	}
	if is.color != nil {
		if k, _ := is.tree["kelvin"].(float64); k > 0 && isKelvin(*is.color, k) {
			is.color = nil // a light has one or the other
		} else {
			is.tree["color"] = is.color.Hex()
			delete(is.tree, "kelvin")
		}
	}
	name, _ := d.plain["name"].(string)
	for _, one := range ones {
		if one.of == rule.Of {
			return r.addOne(one.path, one.name, is)
		}
	}
	if is.strength != nil {
		is.tree["strength"] = *is.strength
	}
	transform := level.Default[level.Transform]()
	if is.position != nil {
		transform.Position = level.Vec(*is.position)
	}
	if is.aim != nil {
		q := is.aim.Rotation
		transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	}
	if rule.Of == "zone" {
		if is.min == nil || is.max == nil {
			return fault(rec.place, "has no place for a zone; min and max are needed")
		}
		is.tree["boxes"] = r.boxes(&thing{}, is)
	} else {
		is.tree["transform"] = transform
	}
	id, _ := d.plain["id"].(string)
	if id != "" {
		is.tree["id"] = r.ids.Keep(id)
	} else {
		is.tree["id"] = r.ids.Fresh(cmp.Or(name, rule.Of))
	}
	r.steps = append(r.steps, level.Add(partOf(rule.Of), is.tree))
	r.back.Added = append(r.back.Added, cmp.Or(name, is.tree["id"].(string)))
	return nil
}

// addOne makes the sun, the moon or another thing of the level itself, which it does not have yet.
func (r *reader) addOne(path, name string, is *rebuilt) error {
	t := &thing{path: path}
	if is.aim != nil {
		r.aim(t, is.aim, is.tree)
	}
	if is.strength != nil {
		is.tree["lux"] = *is.strength
	}
	r.steps = append(r.steps, level.Set("", map[string]any{path: is.tree}))
	r.back.Added = append(r.back.Added, name)
	return nil
}
