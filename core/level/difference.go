package level

import (
	"context"
	"maps"
	"reflect"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
)

// Change is how one thing differs between two states of a level.
type Change struct {
	Part   string        `json:"part,omitzero" doc:"The list that it is in; none for the level itself."`
	ID     string        `json:"id,omitzero" doc:"None for the level itself."`
	Name   string        `json:"name"`
	Kind   string        `json:"kind" enum:"add,set,remove" doc:"What makes the first state the second: the thing is added, set or removed."`
	Fields []FieldChange `json:"fields,omitzero" doc:"set: the fields that differ."`
}

// FieldChange is a field that differs; a value that is missing is the default.
type FieldChange struct {
	Path string `json:"path" doc:"Dotted, such as shadows.cast."`
	From any    `json:"from,omitzero"`
	To   any    `json:"to,omitzero"`
}

// Difference is the operation that makes a level what another state of it is, and each thing
// that it changes. With ids, only these things are changed; "" is the level itself. The order
// of things that both states have stays as it is.
func (l *Level) Difference(ctx context.Context, to *Level, ids ...string) (Operation, []Change, error) {
	wanted := func(id string) bool { return len(ids) == 0 || slices.Contains(ids, id) }
	d := newDraft(ctx, l)
	op := Operation{Op: OpBatch}
	var changes []Change

	// Removing a thing changes those that mention it, so what is left to set is seen after.
	for i := range parts {
		p := &parts[i]
		had, has := p.byID(l), p.byID(to)
		for k := range p.list(l).Len() {
			id := idOf(p.list(l).Index(k))
			if _, stays := has[id]; stays || !wanted(id) {
				continue
			}
			if _, err := d.apply(Remove(id), 0); err != nil {
				return op, nil, err
			}
			op.Steps = append(op.Steps, Remove(id))
			changes = append(changes, Change{Part: p.name, ID: id, Name: nameOf(had[id]), Kind: OpRemove})
		}
	}
	set := func(part, id, name string, before, after any) error {
		fields, err := fieldsThatDiffer(before, after)
		if err != nil || len(fields) == 0 {
			return err
		}
		values := map[string]any{}
		for _, f := range fields {
			values[f.Path] = f.To
		}
		op.Steps = append(op.Steps, Set(id, values))
		changes = append(changes, Change{part, id, name, OpSet, fields})
		return nil
	}
	if wanted("") {
		if err := set("", "", to.Name, d.level.WithoutParts(), to.WithoutParts()); err != nil {
			return op, nil, err
		}
	}
	for i := range parts {
		p := &parts[i]
		had := p.byID(d.level)
		list := p.list(to)
		for k := range list.Len() {
			entity := list.Index(k)
			id := idOf(entity)
			before, there := had[id]
			switch {
			case !wanted(id) || there && before.Pointer() == entity.Pointer():
			case there:
				if err := set(p.name, id, nameOf(entity), before.Interface(), entity.Interface()); err != nil {
					return op, nil, err
				}
			default:
				add := Add(p.name, entity.Interface())
				add.Index = &k
				op.Steps = append(op.Steps, add)
				changes = append(changes, Change{Part: p.name, ID: id, Name: nameOf(entity), Kind: OpAdd})
			}
		}
	}
	return op, changes, ctx.Err()
}

// byID are the entities of a part.
func (p *part) byID(l *Level) map[string]reflect.Value {
	list := p.list(l)
	all := make(map[string]reflect.Value, list.Len())
	for k := range list.Len() {
		all[idOf(list.Index(k))] = list.Index(k)
	}
	return all
}

// nameOf is an entity's name, or its id where it has none.
func nameOf(entity reflect.Value) string {
	if name := entity.Elem().FieldByName("Name").String(); name != "" {
		return name
	}
	return idOf(entity)
}

// WithoutParts is a level without its lists of things.
func (l *Level) WithoutParts() *Level {
	out := *l
	for i := range parts {
		parts[i].list(&out).SetZero()
	}
	return &out
}

// fieldsThatDiffer compares two values of one type as JSON.
func fieldsThatDiffer(before, after any) ([]FieldChange, error) {
	var trees [2]map[string]any
	for i, v := range []any{before, after} {
		text, err := Encode(v)
		if err != nil {
			return nil, err
		}
		if err := json.Unmarshal(text, &trees[i]); err != nil {
			return nil, err
		}
	}
	return treesDiffer(nil, "", trees[0], trees[1]), nil
}

func treesDiffer(out []FieldChange, path string, before, after map[string]any) []FieldChange {
	names := maps.Clone(before)
	maps.Copy(names, after)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		was, is := before[name], after[name]
		inner, ok := was.(map[string]any)
		other, too := is.(map[string]any)
		switch {
		case reflect.DeepEqual(was, is):
		case ok && too && !hasDot(inner) && !hasDot(other):
			out = treesDiffer(out, path+name+".", inner, other)
		default:
			out = append(out, FieldChange{path + name, was, is})
		}
	}
	return out
}

// hasDot tells whether a name in a tree has a dot, so that no dotted path can mean it.
func hasDot(tree map[string]any) bool {
	for name := range tree {
		if strings.Contains(name, ".") {
			return true
		}
	}
	return false
}
