package level

import (
	"fmt"
	"reflect"
	"strings"

	"github.com/agnivade/levenshtein"
)

// meant is the name that is likely meant by one that is not among some: the nearest, where up to a third of the letters differ.
func meant(name string, names []string) (nearest string, ok bool) {
	best := len(name)/3 + 1
	for _, n := range names {
		if len(n) >= len(name)+best || len(name) >= len(n)+best {
			continue // without counting
		}
		if away := levenshtein.ComputeDistance(strings.ToLower(name), strings.ToLower(n)); away < best {
			nearest, best, ok = n, away, true
		}
	}
	return nearest, ok
}

// noField says that a type has no field of a name, and which it has.
func noField(name string, t reflect.Type) string {
	names := fieldNames(t)
	if near, ok := meant(name, names); ok {
		return fmt.Sprintf("is no field here; did you mean %q? It has %s", near, strings.Join(names, ", "))
	}
	return "is no field here; it has " + strings.Join(names, ", ")
}

// noEntity says that a level has nothing of an id.
func (l *Level) noEntity(id string) *Invalid {
	var ids []string
	l.Each(func(_, other string, _ any) { ids = append(ids, other) })
	if near, ok := meant(id, ids); ok {
		return invalidf("/id", "is %q; the level has no such entity; did you mean %q?", id, near)
	}
	return invalidf("/id", "is %q; the level has no such entity", id)
}
