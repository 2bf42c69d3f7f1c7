package level

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
)

// Kinds of operation.
const (
	OpAdd    = "add"
	OpSet    = "set"
	OpRemove = "remove"
	OpBatch  = "batch"
)

// Operation is one change of a level. Applying it yields its inverse, so that
// every edit can be undone.
type Operation struct {
	Op     string         `json:"op" enum:"add,set,remove,batch"`
	Label  string         `json:"label,omitzero" maxLength:"120" doc:"What a person would call it; made up where left out."`
	Part   string         `json:"part,omitzero" enum:"images,materials,zones,solids,meshes,rigs,lights,glows,fog_volumes,beams,motes,viewpoints,paths,probes,reflections" doc:"add: the list it goes to."`
	Index  *int           `json:"index,omitzero" minimum:"0" doc:"add: where in the list; the end if left out."`
	Entity map[string]any `json:"entity,omitzero" doc:"add: the entity; fields left out take their defaults."`
	ID     string         `json:"id,omitzero" maxLength:"64" doc:"set, remove: which entity; none means the level itself."`
	Fields map[string]any `json:"fields,omitzero" doc:"set: new values by dotted path, such as \"shadows.cast\"; null puts the default back."`
	Steps  []Operation    `json:"steps,omitzero" maxItems:"1000" doc:"batch: operations that hold or fail as one."`
}

// Set builds a set operation from pairs of path and value.
func Set(id string, fields map[string]any) Operation {
	return Operation{Op: OpSet, ID: id, Fields: fields}
}

// Add builds an add operation from an entity such as *Light.
func Add(part string, entity any) Operation {
	text, err := Encode(entity)
	if err != nil {
		panic(err) // only types of this package come here
	}
	var tree map[string]any
	if err := json.Unmarshal(text, &tree); err != nil {
		panic(err)
	}
	return Operation{Op: OpAdd, Part: part, Entity: tree}
}

// Remove builds a remove operation.
func Remove(id string) Operation { return Operation{Op: OpRemove, ID: id} }

// Batch builds an operation of several steps.
func Batch(label string, steps ...Operation) Operation {
	return Operation{Op: OpBatch, Label: label, Steps: steps}
}

// Apply returns the changed level and the operation that takes it back. The
// level itself is not changed; what is not touched is shared between the two.
// An *Invalid tells what was wrong with the operation or its outcome.
func (l *Level) Apply(op Operation) (*Level, Operation, error) {
	next, inverse, err := l.apply(op, 0)
	if err != nil {
		return nil, Operation{}, err
	}
	if err := next.Validate(); err != nil {
		return nil, Operation{}, err
	}
	inverse.Label = op.Label
	return next, inverse, nil
}

func (l *Level) apply(op Operation, depth int) (*Level, Operation, error) {
	switch op.Op {
	case OpAdd:
		return l.applyAdd(op)
	case OpSet:
		return l.applySet(op)
	case OpRemove:
		return l.applyRemove(op)
	case OpBatch:
		if depth > 4 {
			return nil, Operation{}, invalidf("/steps", "are nested more than 4 deep")
		}
		next, inverse := l, Operation{Op: OpBatch}
		for i, step := range op.Steps {
			after, back, err := next.apply(step, depth+1)
			if err != nil {
				return nil, Operation{}, prefixed(err, fmt.Sprintf("/steps/%d", i))
			}
			next = after
			inverse.Steps = append(inverse.Steps, back)
		}
		slices.Reverse(inverse.Steps)
		return next, inverse, nil
	}
	return nil, Operation{}, invalidf("/op", "is %q; allowed is add, set, remove, batch", op.Op)
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

// withPart is a copy of the level in which one part can be changed.
func (l *Level) withPart(part string) (*Level, reflect.Value) {
	next := *l
	list := next.part(part)
	fresh := reflect.MakeSlice(list.Type(), list.Len(), list.Len()+1)
	reflect.Copy(fresh, list)
	list.Set(fresh)
	return &next, list
}

func (l *Level) applyAdd(op Operation) (*Level, Operation, error) {
	if !slices.Contains(Parts, op.Part) {
		return nil, Operation{}, invalidf("/part", "is %q; allowed is %s", op.Part, strings.Join(Parts, ", "))
	}
	next, list := l.withPart(op.Part)
	entity := reflect.New(list.Type().Elem().Elem())
	if err := fromTree(op.Entity, entity.Interface()); err != nil {
		return nil, Operation{}, prefixed(err, "/entity")
	}
	if names := unknownFields(entity, ""); len(names) > 0 && op.Index == nil {
		return nil, Operation{}, invalidf("/entity"+names[0], "is no field of the %s", op.Part)
	}
	at := list.Len()
	if op.Index != nil {
		at = min(max(*op.Index, 0), at)
	}
	list.Set(reflect.Append(list, entity))
	for i := list.Len() - 1; i > at; i-- {
		list.Index(i).Set(list.Index(i - 1))
	}
	list.Index(at).Set(entity)
	id := entity.Elem().FieldByName("ID").String()
	if _, _, taken := l.Find(id); taken {
		return nil, Operation{}, invalidf("/entity/id", "is %q, which the level has already; ids are unique in a level", id)
	}
	return next, Remove(id), nil
}

func (l *Level) applySet(op Operation) (*Level, Operation, error) {
	if len(op.Fields) == 0 {
		return nil, Operation{}, invalidf("/fields", "are missing; a set names at least one")
	}
	if op.ID == "" {
		return l.setLevel(op)
	}
	part, at, ok := l.Find(op.ID)
	if !ok {
		return nil, Operation{}, invalidf("/id", "is %q; the level has no such entity", op.ID)
	}
	if value, named := op.Fields["id"]; named {
		return nil, Operation{}, invalidf("/fields/id", "would rename %q to %v; an id stays as it is, change the name instead", op.ID, value)
	}
	next, list := l.withPart(part)
	fresh := reflect.New(list.Type().Elem().Elem())
	old, err := setFields(list.Index(at).Interface(), op.Fields, fresh.Interface())
	if err != nil {
		return nil, Operation{}, err
	}
	list.Index(at).Set(fresh)
	return next, Set(op.ID, old), nil
}

// setLevel sets fields of the level itself: all that is not a part.
func (l *Level) setLevel(op Operation) (*Level, Operation, error) {
	for path := range op.Fields {
		head, _, _ := strings.Cut(path, ".")
		if slices.Contains(Parts, head) {
			return nil, Operation{}, invalidf("/fields/"+path, "is a list of entities; use add, set with an id, or remove")
		}
		if head == "format" {
			return nil, Operation{}, invalidf("/fields/format", "cannot be set")
		}
	}
	bare := *l
	for _, part := range Parts {
		bare.part(part).SetZero()
	}
	next := New("")
	old, err := setFields(&bare, op.Fields, next)
	if err != nil {
		return nil, Operation{}, err
	}
	for _, part := range Parts {
		next.part(part).Set(l.part(part))
	}
	return next, Set("", old), nil
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
			return nil, invalidf("/fields"+name, "is no field here; it has %s", strings.Join(fieldNames(reflect.TypeOf(from).Elem()), ", "))
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
	if err = Decode(text, into); err == nil {
		err = strays(text, reflect.TypeOf(into))
	}
	if bad, ok := err.(*Invalid); ok {
		for i := range bad.Faults { // the byte is of a text that nobody sent
			bad.Faults[i].Message, _, _ = strings.Cut(bad.Faults[i].Message, " (byte ")
		}
	}
	return err
}

// applyRemove removes an entity and clears what refers to it, so that nothing
// is left dangling; the inverse puts all of it back.
func (l *Level) applyRemove(op Operation) (*Level, Operation, error) {
	part, at, ok := l.Find(op.ID)
	if !ok {
		return nil, Operation{}, invalidf("/id", "is %q; the level has no such entity", op.ID)
	}
	next, inverse := l, Operation{Op: OpBatch}
	for _, clear := range l.references(op.ID) {
		after, back, err := next.applySet(clear)
		if err != nil {
			return nil, Operation{}, err
		}
		next = after
		inverse.Steps = append(inverse.Steps, back)
	}
	next, list := next.withPart(part)
	add := Add(part, list.Index(at).Interface())
	add.Index = &at
	list.Set(reflect.AppendSlice(list.Slice(0, at), list.Slice(at+1, list.Len())))
	if len(inverse.Steps) == 0 {
		return next, add, nil
	}
	inverse.Steps = append([]Operation{add}, inverse.Steps...)
	return next, inverse, nil
}

// references are the operations that clear every mention of an id. What it
// carried stays where it stood in the level's space.
func (l *Level) references(id string) []Operation {
	var clears []Operation
	world := l.World()
	for _, p := range l.Placed() {
		fields := map[string]any{}
		if p.Zone == id {
			fields["zone"] = nil
		}
		if p.Rig == id {
			fields["rig"] = nil
		}
		if p.Parent == id {
			pose := world.Pose(p.Entity)
			fields["parent"] = nil
			fields["transform.position"] = Vec(pose.Position)
			q := pose.Rotation
			fields["transform.rotation"] = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
		}
		if len(fields) > 0 {
			clears = append(clears, Set(p.ID, fields))
		}
	}
	clears = append(clears, l.airReferences(id)...)
	for _, m := range l.Materials {
		if m.Image == id {
			clears = append(clears, Set(m.ID, map[string]any{"image": nil}))
		}
	}
	for _, light := range l.Lights {
		if light.Gobo != nil && light.Gobo.Image == id {
			clears = append(clears, Set(light.ID, map[string]any{"gobo": nil}))
		}
	}
	if l.Environment.Sky.Image == id {
		clears = append(clears, Set("", map[string]any{"environment.sky.image": nil, "environment.sky.kind": nil}))
	}
	for _, s := range l.Solids {
		if s.Surface.Material == id {
			clears = append(clears, Set(s.ID, map[string]any{"surface.material": nil}))
		}
		faces := slices.Clone(s.Faces)
		for i := range faces {
			if faces[i].Material == id {
				faces[i].Material = ""
			}
		}
		if !slices.Equal(faces, s.Faces) {
			clears = append(clears, Set(s.ID, map[string]any{"faces": faces}))
		}
	}
	for _, m := range l.Meshes {
		if m.Surface.Material == id {
			clears = append(clears, Set(m.ID, map[string]any{"surface.material": nil}))
		}
	}
	return clears
}

// airReferences are the part of references that is fog, glows, beams and motes.
func (l *Level) airReferences(id string) []Operation {
	var clears []Operation
	clear := func(owner, from, field string) {
		if from == id {
			clears = append(clears, Set(owner, map[string]any{field: nil}))
		}
	}
	fog := func(owner string, f *Fog) {
		clear(owner, f.Haze.ColorFrom, "fog.haze.color_from")
		clear(owner, f.Height.ColorFrom, "fog.height.color_from")
	}
	fog("", &l.Fog)
	for _, z := range l.Zones {
		if z.Fog != nil {
			fog(z.ID, z.Fog)
		}
	}
	for _, v := range l.FogVolumes {
		clear(v.ID, v.ColorFrom, "color_from")
	}
	for _, g := range l.Glows {
		clear(g.ID, g.ColorFrom, "color_from")
		if g.Image == id {
			clears = append(clears, Set(g.ID, map[string]any{"image": nil, "shape": nil}))
		}
	}
	for _, b := range l.Beams {
		clear(b.ID, b.Light, "light")
	}
	for _, m := range l.Motes {
		clear(m.ID, m.ColorFrom, "color_from")
	}
	return clears
}

// Touched lists what an operation changes, each as "id" for a whole entity or
// "id/path" for a field, and the value it would write; the level itself has the
// id "". Two operations clash where they touch the same with different values.
func (op Operation) Touched() map[string]any {
	touched := map[string]any{}
	switch op.Op {
	case OpAdd:
		if id, ok := op.Entity["id"].(string); ok {
			touched[id] = op.Entity
		}
	case OpRemove:
		touched[op.ID] = nil
	case OpSet:
		for path, value := range op.Fields {
			touched[op.ID+"/"+path] = value
		}
	case OpBatch:
		for _, step := range op.Steps {
			maps.Copy(touched, step.Touched())
		}
	}
	return touched
}

// Describe is the operation's label, or a line made from what it does.
func (op Operation) Describe() string {
	if op.Label != "" {
		return op.Label
	}
	switch op.Op {
	case OpAdd:
		return fmt.Sprintf("add %v to %s", op.Entity["id"], op.Part)
	case OpRemove:
		return "remove " + op.ID
	case OpSet:
		id := op.ID
		if id == "" {
			id = "level"
		}
		var parts []string
		for _, path := range slices.Sorted(maps.Keys(op.Fields)) {
			if value, err := json.Marshal(op.Fields[path], json.Deterministic(true)); err == nil && len(value) < 40 {
				parts = append(parts, fmt.Sprintf("%s = %s", path, value))
			} else {
				parts = append(parts, path)
			}
		}
		return id + ": " + strings.Join(parts, ", ")
	}
	return fmt.Sprintf("%d changes", len(op.Steps))
}
