package level

import (
	"reflect"
	"strings"
)

// Parts are the lists of a level that hold things with ids, in document order.
var Parts = []string{"images", "materials", "zones", "solids", "meshes", "rigs", "lights", "glows", "fog_volumes", "beams", "motes", "viewpoints", "paths", "probes", "reflections"}

var partField = func() map[string]int {
	at := map[string]int{}
	t := reflect.TypeFor[Level]()
	for i := range t.NumField() {
		at[strings.TrimPrefix(fieldPath(t.Field(i)), "/")] = i
	}
	return at
}()

// part is the list of one part: an addressable slice of pointers to structs.
func (l *Level) part(name string) reflect.Value {
	return reflect.ValueOf(l).Elem().Field(partField[name])
}

func (l *Level) ids(part string) []string {
	list := l.part(part)
	ids := make([]string, list.Len())
	for i := range ids {
		ids[i] = list.Index(i).Elem().FieldByName("ID").String()
	}
	return ids
}

// Find says in which part, and where in it, an id stands.
func (l *Level) Find(id string) (part string, index int, ok bool) {
	for _, part := range Parts {
		for i, have := range l.ids(part) {
			if have == id {
				return part, i, true
			}
		}
	}
	return "", 0, false
}

// Light returns the light with an id, or nil.
func (l *Level) Light(id string) *Light {
	for _, light := range l.Lights {
		if light.ID == id {
			return light
		}
	}
	return nil
}

// Viewpoint returns the viewpoint with an id, or nil.
func (l *Level) Viewpoint(id string) *Viewpoint {
	for _, v := range l.Viewpoints {
		if v.ID == id {
			return v
		}
	}
	return nil
}

// RigByID returns the rig with an id, or nil.
func (l *Level) RigByID(id string) *Rig {
	for _, r := range l.Rigs {
		if r.ID == id {
			return r
		}
	}
	return nil
}

// Placed is an entity with the part and index it stands at.
type Placed struct {
	Part  string
	Index int
	*Entity
}

// Placed lists everything that has a place in space.
func (l *Level) Placed() []Placed {
	var all []Placed
	for i, v := range l.Solids {
		all = append(all, Placed{"solids", i, &v.Entity})
	}
	for i, v := range l.Meshes {
		all = append(all, Placed{"meshes", i, &v.Entity})
	}
	for i, v := range l.Lights {
		all = append(all, Placed{"lights", i, &v.Entity})
	}
	for i, v := range l.Glows {
		all = append(all, Placed{"glows", i, &v.Entity})
	}
	for i, v := range l.FogVolumes {
		all = append(all, Placed{"fog_volumes", i, &v.Entity})
	}
	for i, v := range l.Beams {
		all = append(all, Placed{"beams", i, &v.Entity})
	}
	for i, v := range l.Motes {
		all = append(all, Placed{"motes", i, &v.Entity})
	}
	for i, v := range l.Paths {
		all = append(all, Placed{"paths", i, &v.Entity})
	}
	for i, v := range l.Viewpoints {
		all = append(all, Placed{"viewpoints", i, &v.Entity})
	}
	for i, v := range l.Probes {
		all = append(all, Placed{"probes", i, &v.Entity})
	}
	for i, v := range l.Reflections {
		all = append(all, Placed{"reflections", i, &v.Entity})
	}
	return all
}

func (l *Level) entityByID() map[string]*Entity {
	byID := map[string]*Entity{}
	for _, p := range l.Placed() {
		byID[p.ID] = p.Entity
	}
	return byID
}

// FreshID is base, or base with the first number that makes it unique.
func (l *Level) FreshID(base string) string {
	taken := map[string]bool{}
	for _, part := range Parts {
		for _, id := range l.ids(part) {
			taken[id] = true
		}
	}
	return freshID(base, func(id string) bool { return taken[id] })
}

// Image returns the image with an id, or nil.
func (l *Level) Image(id string) *Image {
	for _, v := range l.Images {
		if v.ID == id {
			return v
		}
	}
	return nil
}

// Reflection returns the reflection with an id, or nil.
func (l *Level) Reflection(id string) *Reflection {
	for _, v := range l.Reflections {
		if v.ID == id {
			return v
		}
	}
	return nil
}
