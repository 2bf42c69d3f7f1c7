// Package merge brings two states together that began as one: of a level, or of what a preset put
// into it. It compares field by field. What only one side has changed is taken; what both have
// changed to different values is a clash, and somebody chooses.
package merge

import (
	"maps"
	"math"
	"reflect"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/level"
)

// Key names a thing: the list that it is in and its id. The zero Key is the level itself.
type Key struct{ Part, ID string }

// State is things as JSON trees. A tree may hold some of a thing's fields only; the others are not
// compared. A field whose value is nil has its default.
type State map[Key]map[string]any

// Clash is a field that both sides have set, each to another value. Path is "" where the thing
// itself was removed by one side and changed by the other.
type Clash struct {
	Part   string `json:"part,omitzero" doc:"The list that the thing is in; none for the level itself."`
	ID     string `json:"id,omitzero" doc:"None for the level itself."`
	Path   string `json:"path,omitzero" doc:"The field, dotted; none where one side has removed the thing."`
	Base   any    `json:"base,omitzero" doc:"What it was before both changes; missing for the default."`
	Mine   any    `json:"mine,omitzero" doc:"What it is here."`
	Theirs any    `json:"theirs,omitzero" doc:"What it would become."`
}

// Name is what chooses a side for a clash: part/id/path.
func (c Clash) Name() string {
	return strings.Trim(c.Part+"/"+c.ID+"/"+c.Path, "/")
}

// Outcome is what makes mine the merged state.
type Outcome struct {
	Steps   []level.Operation
	Clashes []Clash // all of them, settled or not
}

// Three merges what theirs changed since base into mine. takeTheirs settles a clash; mine holds
// where it says false. A list is one value: two people who change one list clash.
func Three(base, mine, theirs State, takeTheirs func(Clash) bool) Outcome {
	m := &merger{takeTheirs: takeTheirs}
	for _, key := range sortedKeys(base, theirs) {
		was, wasThere := base[key]
		to, stays := theirs[key]
		is, here := mine[key]
		switch {
		case !stays:
			m.removed(key, was, is, here)
		case !here && wasThere:
			m.missing(key, was, to)
		case !here:
			m.add(key, to)
		default:
			m.fields(key, was, is, to)
		}
	}
	return Outcome{Steps: slices.Concat(m.removes, m.adds, m.sets), Clashes: m.clashes}
}

// sortedKeys are the keys of both states, in the order of the document.
func sortedKeys(a, b State) []Key {
	all := maps.Clone(a)
	if all == nil {
		all = State{}
	}
	maps.Copy(all, b)
	rank := map[string]int{"": -1}
	for i, part := range level.Parts {
		rank[part] = i
	}
	return slices.SortedFunc(maps.Keys(all), func(x, y Key) int {
		if x.Part != y.Part {
			return rank[x.Part] - rank[y.Part]
		}
		return strings.Compare(x.ID, y.ID)
	})
}

type merger struct {
	takeTheirs          func(Clash) bool
	removes, adds, sets []level.Operation
	clashes             []Clash
}

func (m *merger) clash(c Clash) bool {
	m.clashes = append(m.clashes, c)
	return m.takeTheirs != nil && m.takeTheirs(c)
}

// removed is a thing that theirs has no more.
func (m *merger) removed(key Key, was, is map[string]any, here bool) {
	if here && (same(pick(was, is), was) || m.clash(Clash{Part: key.Part, ID: key.ID, Base: was, Mine: is})) {
		m.removes = append(m.removes, level.Remove(key.ID))
	}
}

// missing is a thing that mine has no more.
func (m *merger) missing(key Key, was, to map[string]any) {
	if !same(was, to) && m.clash(Clash{Part: key.Part, ID: key.ID, Base: was, Theirs: to}) {
		m.add(key, to)
	}
}

func (m *merger) add(key Key, to map[string]any) {
	if key.Part == "" {
		return // the level is always there
	}
	entity := maps.Clone(to)
	entity["id"] = key.ID
	m.adds = append(m.adds, level.Operation{Op: level.OpAdd, Part: key.Part, Entity: entity})
}

// fields merges a thing that is on all sides.
func (m *merger) fields(key Key, was, is, to map[string]any) {
	set := map[string]any{}
	m.walk(key, "", was, is, to, set)
	if len(set) > 0 {
		m.sets = append(m.sets, level.Set(key.ID, set))
	}
}

func (m *merger) walk(key Key, path string, was, is, to map[string]any, set map[string]any) {
	names := maps.Clone(was)
	if names == nil {
		names = map[string]any{}
	}
	maps.Copy(names, to)
	for _, name := range slices.Sorted(maps.Keys(names)) {
		b, mine, theirs := was[name], is[name], to[name]
		inner, ok := theirs.(map[string]any)
		own, too := mine.(map[string]any)
		old, before := b.(map[string]any)
		switch {
		case same(mine, theirs), same(b, theirs):
		case ok && too && (before || b == nil) && !strings.Contains(name, "."):
			m.walk(key, path+name+".", old, own, inner, set)
		case same(b, mine), m.clash(Clash{key.Part, key.ID, path + name, b, mine, theirs}):
			set[path+name] = theirs
		}
	}
}

// pick is what a tree has under the names of another.
func pick(names, from map[string]any) map[string]any {
	out := map[string]any{}
	for name, value := range names {
		inner, ok := value.(map[string]any)
		own, too := from[name].(map[string]any)
		if ok && too {
			out[name] = pick(inner, own)
		} else if have, there := from[name]; there || value == nil {
			out[name] = have
		}
	}
	return out
}

// Near is how far apart numbers may be and still count as the same, as a share of the larger one or,
// about zero, by itself: turning and moving a thing rounds its place.
const Near = 1e-6

// same compares JSON values; numbers may differ by a rounding. A missing value is nil.
func same(a, b any) bool {
	switch x := a.(type) {
	case float64:
		y, ok := b.(float64)
		return ok && math.Abs(x-y) <= Near*max(1, math.Abs(x), math.Abs(y))
	case []any:
		y, ok := b.([]any)
		return ok && slices.EqualFunc(x, y, same)
	case map[string]any:
		y, ok := b.(map[string]any)
		if !ok {
			return false
		}
		for name := range y {
			if _, there := x[name]; !there && y[name] != nil {
				return false
			}
		}
		for name, value := range x {
			if !same(value, y[name]) {
				return false
			}
		}
		return true
	}
	return reflect.DeepEqual(a, b)
}

// Same tells whether two JSON values are the same but for roundings.
func Same(a, b any) bool { return same(a, b) }

// Tree is a value as a JSON tree.
func Tree(v any) (map[string]any, error) {
	text, err := level.Encode(v)
	if err != nil {
		return nil, err
	}
	var tree map[string]any
	return tree, json.Unmarshal(text, &tree)
}

// Of is the whole state of a level.
func Of(l *level.Level) (State, error) {
	whole, err := Tree(l)
	if err != nil {
		return nil, err
	}
	state := State{}
	for _, part := range level.Parts {
		list, _ := whole[part].([]any)
		delete(whole, part)
		for _, entry := range list {
			tree, _ := entry.(map[string]any)
			id, _ := tree["id"].(string)
			delete(tree, "id")
			state[Key{part, id}] = tree
		}
	}
	delete(whole, "format")
	state[Key{}] = whole
	return state, nil
}

// Levels merges what theirs changed since base into mine.
func Levels(base, mine, theirs *level.Level, takeTheirs func(Clash) bool) (Outcome, error) {
	var states [3]State
	for i, l := range []*level.Level{base, mine, theirs} {
		var err error
		if states[i], err = Of(l); err != nil {
			return Outcome{}, err
		}
	}
	return Three(states[0], states[1], states[2], takeTheirs), nil
}
