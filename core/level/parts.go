package level

import (
	"reflect"
	"regexp"
	"strconv"
	"strings"
)

// part is one list of the document: things with ids. All that adds, finds, validates
// or removes goes through the table of them, so a new list is a field of Level.
type part struct {
	name   string
	field  int          // of Level
	entity reflect.Type // a struct
	placed []int        // index of its embedded Entity; nil where it has no place in space
}

var parts = func() (all []part) {
	t := reflect.TypeFor[Level]()
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Type.Kind() != reflect.Slice || f.Type.Elem().Kind() != reflect.Pointer {
			continue
		}
		p := part{name: strings.TrimPrefix(fieldPath(f), "/"), field: i, entity: f.Type.Elem().Elem()}
		if e, ok := p.entity.FieldByName("Entity"); ok && e.Anonymous {
			p.placed = e.Index
		}
		all = append(all, p)
	}
	return all
}()

// Parts are the names of a level's lists of things with ids, in document order.
var Parts = func() []string {
	names := make([]string, len(parts))
	for i := range parts {
		names[i] = parts[i].name
	}
	return names
}()

// partNamed is the part with a name, or nil.
func partNamed(name string) *part {
	for i := range parts {
		if parts[i].name == name {
			return &parts[i]
		}
	}
	return nil
}

// list is a part's list in a level: an addressable slice of pointers to structs.
func (p *part) list(l *Level) reflect.Value { return reflect.ValueOf(l).Elem().Field(p.field) }

// named is the interface of every entity.
type named interface{ ident() string }

func (e *Entity) ident() string       { return e.ID }
func (v *Image) ident() string        { return v.ID }
func (v *Geometry) ident() string     { return v.ID }
func (v *Material) ident() string     { return v.ID }
func (v *Zone) ident() string         { return v.ID }
func (v *Rig) ident() string          { return v.ID }
func (v *Mix) ident() string          { return v.ID }
func (v *Import) ident() string       { return v.ID }
func (v *LightProfile) ident() string { return v.ID }
func (v *Waiver) ident() string       { return v.ID }

// idOf is the id of an entity, which is a pointer to a struct.
func idOf(entity reflect.Value) string { return entity.Interface().(named).ident() }

// entityOf is what an entity has in common with everything placed; nil for other parts.
func (p *part) entityOf(entity reflect.Value) *Entity {
	if p.placed == nil {
		return nil
	}
	return entity.Elem().FieldByIndex(p.placed).Addr().Interface().(*Entity)
}

// Find returns the part that holds an id and the index in it.
func (l *Level) Find(id string) (name string, index int, ok bool) {
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			if idOf(list.Index(k)) == id {
				return parts[i].name, k, true
			}
		}
	}
	return "", 0, false
}

// Each visits everything that has an id, in document order: its part, its id and a pointer to it,
// such as a *Light.
func (l *Level) Each(visit func(part, id string, entity any)) {
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			visit(parts[i].name, idOf(list.Index(k)), list.Index(k).Interface())
		}
	}
}

// ByID returns the entity of type T with an id, such as a *Light; nil where there is
// none. The cost is a walk through the list.
func ByID[T any](l *Level, id string) *T {
	for i := range parts {
		if parts[i].entity != reflect.TypeFor[T]() {
			continue
		}
		list, _ := reflect.TypeAssert[[]*T](parts[i].list(l))
		for _, entity := range list {
			if any(entity).(named).ident() == id {
				return entity
			}
		}
	}
	return nil
}

// Light returns the light with an id, or nil.
func (l *Level) Light(id string) *Light { return ByID[Light](l, id) }

// Viewpoint returns the viewpoint with an id, or nil.
func (l *Level) Viewpoint(id string) *Viewpoint { return ByID[Viewpoint](l, id) }

// RigByID returns the rig with an id, or nil.
func (l *Level) RigByID(id string) *Rig { return ByID[Rig](l, id) }

// Image returns the image with an id, or nil.
func (l *Level) Image(id string) *Image { return ByID[Image](l, id) }

// Profile finds a profile by its id; nil where there is none.
func (l *Level) Profile(id string) *LightProfile { return ByID[LightProfile](l, id) }

// Geometry finds a geometry by its id; nil where there is none.
func (l *Level) Geometry(id string) *Geometry { return ByID[Geometry](l, id) }

// Reflection returns the reflection with an id, or nil.
func (l *Level) Reflection(id string) *Reflection { return ByID[Reflection](l, id) }

// Placed is an entity with the part and index it stands at.
type Placed struct {
	Part  string
	Index int
	*Entity
}

// Placed lists everything that has a place in space, in document order.
func (l *Level) Placed() []Placed {
	var all []Placed
	for i := range parts {
		if parts[i].placed == nil {
			continue
		}
		list := parts[i].list(l)
		for k := range list.Len() {
			all = append(all, Placed{parts[i].name, k, parts[i].entityOf(list.Index(k))})
		}
	}
	return all
}

// IDs makes ids that a level does not have yet.
type IDs struct {
	taken map[string]bool
	next  map[string]int // number to try next, by base; so that many of one base take no longer each
}

// NewIDs knows the ids of a level. What is added to the level later is not known,
// unless the id came from Fresh or Keep.
func (l *Level) NewIDs() *IDs {
	ids := &IDs{map[string]bool{}, map[string]int{}}
	for i := range parts {
		list := parts[i].list(l)
		for k := range list.Len() {
			ids.taken[idOf(list.Index(k))] = true
		}
	}
	return ids
}

// Fresh makes an id from a base and the first number that makes it unique. A second call with
// the same base returns another id.
func (ids *IDs) Fresh(base string) string {
	base = slug(base)
	id := base
	for n := max(ids.next[base], 2); ids.taken[id]; n++ {
		id = base + "-" + strconv.Itoa(n)
		ids.next[base] = n + 1
	}
	ids.taken[id] = true
	return id
}

// Keep takes an id as it is where it is one and is free, and else makes a fresh one from it.
func (ids *IDs) Keep(id string) string {
	if !idPattern.MatchString(id) || ids.taken[id] {
		return ids.Fresh(id)
	}
	ids.taken[id] = true
	return id
}

// idPattern is what an id may be, as the schema has it.
var idPattern = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,63}$`)

// FreshID is one id that the level does not have. For many, keep a NewIDs.
func (l *Level) FreshID(base string) string { return l.NewIDs().Fresh(base) }
