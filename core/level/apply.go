package level

import (
	"context"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/go-json-experiment/json"

	"grotta/core/geom"
)

// Apply returns the changed level and the operation that takes it back. The
// level itself is not changed; what is not touched is shared between the two.
// An *Invalid tells what was wrong with the operation or its outcome. The cost
// grows with the size of the level and the number of steps, not with their product.
func (l *Level) Apply(op Operation) (*Level, Operation, error) {
	return l.ApplyContext(context.Background(), op)
}

// ApplyContext is Apply that ends early with the context's error.
func (l *Level) ApplyContext(ctx context.Context, op Operation) (*Level, Operation, error) {
	d := newDraft(ctx, l)
	inverse, err := d.apply(op, 0)
	if err != nil {
		return nil, Operation{}, err
	}
	if err := d.level.validateFrom(l); err != nil {
		return nil, Operation{}, err
	}
	inverse.Label = op.Label
	return d.level, inverse, ctx.Err()
}

// Replay applies operations one after the other that are known to fit, such as the
// inverses of a level's own revisions, and validates the outcome once.
func (l *Level) Replay(ctx context.Context, ops []Operation) (*Level, error) {
	d := newDraft(ctx, l)
	for i := range ops {
		if _, err := d.apply(ops[i], 0); err != nil {
			return nil, err
		}
	}
	if err := d.level.Validate(); err != nil {
		return nil, err
	}
	return d.level, ctx.Err()
}

// draft is a level under change. Lists are copied when they are first changed, and
// entities are found by an index, so a step costs what it touches.
type draft struct {
	ctx    context.Context
	level  *Level
	owned  map[string]bool     // parts whose lists are the draft's own
	places map[string]place    // of each id; nil until it is needed
	users  map[string][]string // of each id, the ids of entities that have held it; "" is the level
}

func newDraft(ctx context.Context, l *Level) *draft {
	next := *l
	return &draft{ctx: ctx, level: &next, owned: map[string]bool{}}
}

func (d *draft) apply(op Operation, depth int) (Operation, error) {
	if err := d.ctx.Err(); err != nil {
		return Operation{}, err
	}
	switch op.Op {
	case OpAdd:
		return d.add(op)
	case OpSet:
		return d.set(op)
	case OpRemove:
		return d.remove(op)
	case OpBatch:
		return d.batch(op, depth)
	}
	return Operation{}, invalidf("/op", "is %q; allowed is add, set, remove, batch", op.Op)
}

// maxDepth is how deep batches may be nested.
const maxDepth = 4

func (d *draft) batch(op Operation, depth int) (Operation, error) {
	if depth > maxDepth {
		return Operation{}, invalidf("/steps", "are nested more than %d deep", maxDepth)
	}
	inverse := Operation{Op: OpBatch}
	for i, step := range op.Steps {
		back, err := d.apply(step, depth+1)
		if err != nil {
			return Operation{}, prefixed(err, fmt.Sprintf("/steps/%d", i))
		}
		inverse.Steps = append(inverse.Steps, back)
	}
	slices.Reverse(inverse.Steps)
	return inverse, nil
}

func prefixed(err error, path string) error {
	bad, ok := err.(*Invalid)
	if !ok {
		return err
	}
	out := &Invalid{}
	for _, f := range bad.Faults {
		out.Faults = append(out.Faults, Fault{path + f.Path, f.Message})
	}
	return out
}

// list is a part's list that can be changed.
func (d *draft) list(p *part) reflect.Value {
	list := p.list(d.level)
	if !d.owned[p.name] {
		d.owned[p.name] = true
		fresh := reflect.MakeSlice(list.Type(), list.Len(), list.Len()+1)
		reflect.Copy(fresh, list)
		list.Set(fresh)
	}
	return list
}

// place is where an entity stands: its part, and about where in the list.
type place struct {
	part *part
	hint int // right but for what was added or removed before it
}

// mostOff is how far a hint may be off before all hints of its part are made right.
const mostOff = 64

// find is the part of an id and its index there.
func (d *draft) find(id string) (p *part, at int, ok bool) {
	if d.places == nil {
		d.places = map[string]place{}
		for i := range parts {
			d.placeAll(&parts[i])
		}
	}
	found, ok := d.places[id]
	if !ok {
		return nil, 0, false
	}
	list := found.part.list(d.level)
	for off := range mostOff {
		for _, at := range [2]int{found.hint - off, found.hint + off} {
			if at >= 0 && at < list.Len() && idOf(list.Index(at)) == id {
				return found.part, at, true
			}
		}
	}
	d.placeAll(found.part)
	return found.part, d.places[id].hint, true
}

// placeAll notes where the entities of a part stand.
func (d *draft) placeAll(p *part) {
	list := p.list(d.level)
	for at := range list.Len() {
		d.places[idOf(list.Index(at))] = place{p, at}
	}
}

// entity is the placed entity with an id, or nil.
func (d *draft) entity(id string) *Entity {
	p, at, ok := d.find(id)
	if !ok {
		return nil
	}
	return p.entityOf(p.list(d.level).Index(at))
}

// poseOf is the place of an entity in the level's space. Parents that form a circle,
// which a batch may have on its way, are cut where they meet.
func (d *draft) poseOf(e *Entity) geom.Pose {
	var way []*Entity
	for seen := map[string]bool{}; e != nil && !seen[e.ID]; e = d.entity(e.Parent) {
		seen[e.ID] = true
		way = append(way, e)
	}
	pose := geom.Pose{Rotation: mgl64.QuatIdent()}
	for _, e := range slices.Backward(way) {
		pose = pose.Carry(e.Transform.pose())
		if light := d.follower(e.ID); light != nil {
			if lead := d.level.Leader(light); lead != nil {
				pose.Rotation = geom.LookRotation(lead.Toward().Mul(-1))
			}
		}
	}
	return pose
}

// follower is the light with an id, if it takes its direction from the sun or moon.
func (d *draft) follower(id string) *Light {
	p, at, ok := d.find(id)
	if !ok {
		return nil
	}
	light, ok := p.list(d.level).Index(at).Interface().(*Light)
	if !ok || light.Follows == "none" {
		return nil
	}
	return light
}

func (d *draft) add(op Operation) (Operation, error) {
	p := partNamed(op.Part)
	if p == nil {
		return Operation{}, invalidf("/part", "is %q; allowed is %s", op.Part, strings.Join(Parts, ", "))
	}
	entity := reflect.New(p.entity)
	if err := fromTree(op.Entity, entity.Interface()); err != nil {
		return Operation{}, prefixed(err, "/entity")
	}
	if names := unknownFields(entity, ""); len(names) > 0 && op.Index == nil {
		return Operation{}, invalidf("/entity"+names[0], "is no field of the %s", op.Part)
	}
	id := idOf(entity)
	if _, _, taken := d.find(id); taken {
		return Operation{}, invalidf("/entity/id", "is %q, which the level has already; ids are unique in a level", id)
	}
	list := d.list(p)
	at := list.Len()
	if op.Index != nil {
		at = min(max(*op.Index, 0), at)
	}
	list.Set(reflect.Append(list, entity))
	if at < list.Len()-1 {
		reflect.Copy(list.Slice(at+1, list.Len()), list.Slice(at, list.Len()-1))
		list.Index(at).Set(entity)
	}
	d.places[id] = place{p, at}
	d.noteUses(id, entity.Elem())
	return Remove(id), nil
}

func (d *draft) set(op Operation) (Operation, error) {
	if len(op.Fields) == 0 {
		return Operation{}, invalidf("/fields", "are missing; a set names at least one")
	}
	if op.ID == "" {
		return d.setLevel(op)
	}
	p, at, ok := d.find(op.ID)
	if !ok {
		return Operation{}, d.level.noEntity(op.ID)
	}
	if value, named := op.Fields["id"]; named {
		return Operation{}, invalidf("/fields/id", "would rename %q to %v; an id stays as it is, change the name instead", op.ID, value)
	}
	fresh := reflect.New(p.entity)
	old, err := setFields(p.list(d.level).Index(at).Interface(), op.Fields, fresh.Interface())
	if err != nil {
		return Operation{}, err
	}
	d.list(p).Index(at).Set(fresh)
	d.noteUses(op.ID, fresh.Elem())
	return Set(op.ID, old), nil
}

// setLevel sets fields of the level itself: all that is not a part.
func (d *draft) setLevel(op Operation) (Operation, error) {
	for path := range op.Fields {
		head, _, _ := strings.Cut(path, ".")
		if partNamed(head) != nil {
			return Operation{}, invalidf("/fields/"+path, "is a list of entities; use add, set with an id, or remove")
		}
		if head == "format" {
			return Operation{}, invalidf("/fields/format", "cannot be set")
		}
	}
	next := New("")
	old, err := setFields(d.level.WithoutParts(), op.Fields, next)
	if err != nil {
		return Operation{}, err
	}
	for i := range parts {
		parts[i].list(next).Set(parts[i].list(d.level))
	}
	d.level = next
	d.noteUses("", reflect.ValueOf(next).Elem())
	return Set("", old), nil
}

// setFields writes into fresh what from holds with the fields changed, and
// returns the values they had; nil for those that were left out.
func setFields(from any, fields map[string]any, fresh any) (map[string]any, error) {
	text, err := Encode(from)
	if err != nil {
		return nil, err
	}
	var tree map[string]any
	if err := json.Unmarshal(text, &tree); err != nil {
		return nil, err
	}
	old := map[string]any{}
	for _, path := range slices.Sorted(maps.Keys(fields)) {
		if err := strayName(reflect.TypeOf(from), path, fields[path]); err != nil {
			return nil, prefixed(err, "/fields")
		}
		had, err := setPath(tree, path, fields[path])
		if err != nil {
			return nil, err
		}
		old[path] = had
	}
	before := unknownFields(reflect.ValueOf(from), "")
	if err := fromTree(tree, fresh); err != nil {
		return nil, prefixed(err, "/fields")
	}
	for _, name := range unknownFields(reflect.ValueOf(fresh), "") {
		if !slices.Contains(before, name) {
			return nil, invalidf("/fields"+name, "%s", noField(strings.TrimPrefix(name, "/"), reflect.TypeOf(from).Elem()))
		}
	}
	return old, nil
}

func setPath(tree map[string]any, path string, value any) (old any, err error) {
	names := strings.Split(path, ".")
	for _, name := range names[:len(names)-1] {
		switch inner := tree[name].(type) {
		case map[string]any:
			tree = inner
		case nil:
			made := map[string]any{}
			tree[name], tree = made, made
		default:
			return nil, invalidf("/fields/"+path, "goes through %q, which is a plain value", name)
		}
	}
	last := names[len(names)-1]
	old = tree[last]
	if value == nil {
		delete(tree, last)
	} else {
		tree[last] = value
	}
	return old, nil
}

func fromTree(tree map[string]any, into any) error {
	text, err := json.Marshal(tree)
	if err != nil {
		return invalidf("", "cannot be written as JSON: %v", err)
	}
	err = DecodeKnown(text, into)
	if bad, ok := err.(*Invalid); ok {
		for i := range bad.Faults { // the byte is of a text that nobody sent
			bad.Faults[i].Message, _, _ = strings.Cut(bad.Faults[i].Message, " (byte ")
		}
	}
	return err
}

// remove removes an entity and clears what refers to it, so that nothing
// is left dangling; the inverse puts all of it back.
func (d *draft) remove(op Operation) (Operation, error) {
	if _, _, ok := d.find(op.ID); !ok || op.ID == "" {
		return Operation{}, d.level.noEntity(op.ID)
	}
	inverse := Operation{Op: OpBatch}
	for _, clear := range d.clearsOf(op.ID) {
		back, err := d.set(clear)
		if err != nil {
			return Operation{}, err
		}
		inverse.Steps = append(inverse.Steps, back)
	}
	p, at, _ := d.find(op.ID)
	list := d.list(p)
	add := Add(p.name, list.Index(at).Interface())
	add.Index = &at
	reflect.Copy(list.Slice(at, list.Len()), list.Slice(at+1, list.Len()))
	list.SetLen(list.Len() - 1)
	delete(d.places, op.ID)
	if len(inverse.Steps) == 0 {
		return add, nil
	}
	inverse.Steps = append([]Operation{add}, inverse.Steps...)
	return inverse, nil
}

// noteUses keeps the index of users right once there is one.
func (d *draft) noteUses(owner string, v reflect.Value) {
	if d.users == nil {
		return
	}
	uses(v, func(u use) { d.users[u.id] = append(d.users[u.id], owner) })
}

// clearsOf are the operations that clear every mention of an id. What it
// carried stays where it stood in the level's space.
func (d *draft) clearsOf(id string) []Operation {
	if d.users == nil {
		d.users = map[string][]string{}
		d.noteUses("", reflect.ValueOf(d.level).Elem())
		for i := range parts {
			list := parts[i].list(d.level)
			for k := range list.Len() {
				d.noteUses(idOf(list.Index(k)), list.Index(k).Elem())
			}
		}
	}
	var clears []Operation
	seen := map[string]bool{}
	for _, owner := range d.users[id] {
		if seen[owner] {
			continue
		}
		seen[owner] = true
		if fields := d.clearsIn(owner, id); len(fields) > 0 {
			clears = append(clears, Set(owner, fields))
		}
	}
	return clears
}

// clearsIn are the fields of an entity that clear its mentions of an id: none where it
// has none any more.
func (d *draft) clearsIn(owner, id string) map[string]any {
	v := reflect.ValueOf(d.level)
	if owner != "" {
		p, at, ok := d.find(owner)
		if !ok {
			return nil
		}
		v = p.list(d.level).Index(at)
	}
	fields := map[string]any{}
	uses(v.Elem(), func(u use) {
		if u.id != id {
			return
		}
		path := slices.Clone(u.path)
		if i := slices.IndexFunc(u.steps, func(s step) bool { return s.list }); i >= 0 {
			list := path[0] // in a list: the list as it is, without the id
			fields[list] = withoutID(v.Elem(), list, id)
			return
		}
		switch u.clears {
		case "":
		case ".":
			path = path[:len(path)-1]
		default:
			beside := append(slices.Clone(path[:len(path)-1]), u.clears)
			fields[strings.Join(beside, ".")] = nil
		}
		fields[strings.Join(path, ".")] = nil
	})
	if e := d.entity(owner); e != nil && e.Parent == id {
		pose := d.poseOf(e)
		fields["transform.position"] = Vec(pose.Position)
		q := pose.Rotation
		fields["transform.rotation"] = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	}
	return fields
}

// withoutID is a list of an entity, such as the faces of a solid, as a JSON tree in
// which no text field of an element is the id.
func withoutID(owner reflect.Value, list, id string) any {
	field, _ := fieldNamed(owner.Type(), list)
	text, err := Encode(owner.FieldByName(field.Name).Interface())
	if err != nil {
		return nil
	}
	var tree []map[string]any
	if json.Unmarshal(text, &tree) != nil {
		return nil
	}
	for _, element := range tree {
		for name, value := range element {
			if value == id {
				delete(element, name)
			}
		}
	}
	return tree
}
