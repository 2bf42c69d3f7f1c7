package level

import (
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// A field that holds the id of another entity says so by its tags:
//
//	refers:"materials"  the part that the id is of; "placed" is any part with places
//	or:"sky"            a word that may stand there in place of an id
//	clears:"kind"       what is put back to its default with it when that entity is
//	                    removed: a field beside it, or "." for the object that holds it
//
// Validating and removing read the tags, so a new reference is a new tag.

// reference is a field of a type that holds an id.
type reference struct {
	steps  []step
	parts  []string
	or     string
	clears string
}

// step leads from a value to one within: a field by index, through a pointer, or into
// every element of a list.
type step struct {
	field int
	name  string // in JSON; "" for an embedded struct
	list  bool   // each element of the list that the field is
}

// referencesOf lists the references of the entities of each part, and of the level itself.
var referencesOf = func() map[reflect.Type][]reference {
	all := map[reflect.Type][]reference{reflect.TypeFor[Level](): findReferences(reflect.TypeFor[Level](), nil)}
	for i := range parts {
		all[parts[i].entity] = findReferences(parts[i].entity, nil)
	}
	return all
}()

// placedParts are the parts whose entities have a place.
var placedParts = func() (names []string) {
	for i := range parts {
		if parts[i].placed != nil {
			names = append(names, parts[i].name)
		}
	}
	return names
}()

func findReferences(t reflect.Type, steps []step) (found []reference) {
	for i := range t.NumField() {
		f := t.Field(i)
		if !f.IsExported() || partNamed(strings.TrimPrefix(fieldPath(f), "/")) != nil && t == reflect.TypeFor[Level]() {
			continue
		}
		at := append(slices.Clone(steps), step{field: i, name: strings.TrimPrefix(fieldPath(f), "/")})
		if to := f.Tag.Get("refers"); to != "" {
			r := reference{at, []string{to}, f.Tag.Get("or"), f.Tag.Get("clears")}
			if to == "placed" {
				r.parts = placedParts
			}
			found = append(found, r)
			continue
		}
		inner := structOf(f.Type)
		if inner.Kind() == reflect.Slice && structOf(inner.Elem()).Kind() == reflect.Struct {
			at[len(at)-1].list = true
			inner = structOf(inner.Elem())
		}
		if inner.Kind() == reflect.Struct && inner.PkgPath() == t.PkgPath() {
			found = append(found, findReferences(inner, at)...)
		}
	}
	return found
}

// use is an id that an entity holds.
type use struct {
	*reference
	path []string // names of fields and numbers of elements
	id   string
}

// uses lists the ids that a struct holds: an entity, or the level beside its parts.
func uses(v reflect.Value, visit func(use)) {
	refs := referencesOf[v.Type()]
	for i := range refs {
		refs[i].walk(v, refs[i].steps, nil, visit)
	}
}

func (r *reference) walk(v reflect.Value, steps []step, path []string, visit func(use)) {
	for v.Kind() == reflect.Pointer {
		if v.IsNil() {
			return
		}
		v = v.Elem()
	}
	if len(steps) == 0 {
		if id := v.String(); id != "" && id != r.or {
			visit(use{r, path, id})
		}
		return
	}
	s := steps[0]
	v = v.Field(s.field)
	if s.name != "" {
		path = append(slices.Clip(path), s.name)
	}
	if !s.list {
		r.walk(v, steps[1:], path, visit)
		return
	}
	for i := range v.Len() {
		r.walk(v.Index(i), steps[1:], append(slices.Clip(path), strconv.Itoa(i)), visit)
	}
}

// checkReferences finds doubled ids, dangling ids and parents that carry themselves.
func (l *Level) checkReferences(f *faults) {
	partOf := map[string]string{}
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			id := idOf(list.Index(k))
			if other, taken := partOf[id]; taken {
				f.add(fmt.Sprintf("/%s/%d/id", parts[i].name, k), "is %q, which one of the %s has already; ids are unique in a level", id, other)
			}
			partOf[id] = parts[i].name
		}
	}
	check := func(owner reflect.Value, at string) {
		uses(owner, func(u use) {
			if !slices.Contains(u.parts, partOf[u.id]) {
				f.add(at+"/"+strings.Join(u.path, "/"), "is %q, and no such id is among the %s", u.id, strings.Join(u.parts, ", "))
			}
		})
	}
	check(reflect.ValueOf(l).Elem(), "")
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			if len(referencesOf[parts[i].entity]) > 0 {
				check(list.Index(k).Elem(), "/"+parts[i].name+"/"+strconv.Itoa(k))
			}
		}
	}
	l.checkParents(f)
}

// checkParents finds parents that form a circle. Each entity is visited once.
func (l *Level) checkParents(f *faults) {
	placed := l.Placed()
	byID := make(map[string]*Placed, len(placed))
	for i := range placed {
		byID[placed[i].ID] = &placed[i]
	}
	const underWay, done = 1, 2
	state := make(map[string]int, len(placed))
	var way []*Placed
	for i := range placed {
		way = way[:0]
		at := &placed[i]
		for at != nil && state[at.ID] == 0 {
			state[at.ID] = underWay
			way = append(way, at)
			at = byID[at.Parent]
		}
		if at != nil && state[at.ID] == underWay {
			f.add(fmt.Sprintf("/%s/%d/parent", at.Part, at.Index), "leads back to %q; parents may not form a circle", at.ID)
		}
		for _, e := range way {
			state[e.ID] = done
		}
	}
}
