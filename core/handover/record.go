package handover

import (
	"reflect"
	"strings"

	"grotta/core/level"
)

// record is one thing as the target has it: a class and named values, in order.
type record struct {
	class  string
	values []value
	place  string // in the text: a line or an entry
	of     string // the kind of its rule
	id     string // of the thing that it was written from
	name   string
}

type value struct {
	name  string
	v     any
	join  string // stands between several values, in a text
	place string
}

func (r *record) value(name string) (value, bool) {
	for _, v := range r.values {
		if v.name == name {
			return v, true
		}
	}
	return value{}, false
}

// record writes a thing by its rule.
func (w *writer) record(t *thing, rule *Rule) record {
	r := record{class: rule.Class, of: t.of, id: t.id, name: t.name}
	for i := range rule.Fields {
		f := &rule.Fields[i]
		if object := optionalObject(t.of, f); object != "" && at(t.tree, object) == nil {
			continue
		}
		v := w.value(f, t)
		if f.Omit != nil && plainText(f.Omit) == plainText(v) {
			continue
		}
		r.values = append(r.values, value{name: f.Name, v: v, join: f.Join})
	}
	return r
}

// draftOf reads a record by the rule of its kind. A value that is missing is the one that the
// target takes then, where the rule says it.
func (w *writer) draftOf(r *record, rule *Rule) (*draft, error) {
	d := newDraft()
	for i := range rule.Fields {
		f := &rule.Fields[i]
		v, ok := r.value(f.Name)
		if !ok {
			if f.Omit == nil || !r.mayHave(rule, optionalObject(rule.Of, f)) {
				continue
			}
			v.v = f.Omit
		}
		if err := w.take(d, rule.Of, f, v.v); err != nil {
			place := v.place
			if place == "" {
				place = r.place
			}
			return nil, &level.Invalid{Faults: []level.Fault{{Path: place, Message: f.Name + " " + err.Error()}}}
		}
	}
	return d, nil
}

// optionalObject is the part of a thing that a field is within, such as the flicker of a light, where a thing may
// be without it; else "".
func optionalObject(of string, f *Field) string {
	object, _, within := strings.Cut(f.From, ".")
	if !within {
		return ""
	}
	if field, err := level.FieldAt(documentType(of), object); err != nil || field.Type.Kind() != reflect.Pointer {
		return ""
	}
	return object
}

// mayHave tells whether a record says anything of a part that a thing may be without. Of "", it does.
func (r *record) mayHave(rule *Rule, object string) bool {
	if object == "" {
		return true
	}
	for i := range rule.Fields {
		if _, said := r.value(rule.Fields[i].Name); said && optionalObject(rule.Of, &rule.Fields[i]) == object {
			return true
		}
	}
	return false
}

// ruleOf finds the rule by which a record was written: its class, and the values that are always
// the same. Nil where there is none.
func (f *File) ruleOf(r *record) *Rule {
	for i := range f.Rules {
		if rule := &f.Rules[i]; rule.Class == r.class && hasConstants(r, rule) {
			return rule
		}
	}
	return nil
}

func hasConstants(r *record, rule *Rule) bool {
	for i := range rule.Fields {
		f := &rule.Fields[i]
		if f.Value == nil {
			continue
		}
		v, ok := r.value(f.Name)
		if !ok {
			v.v = f.Omit
		}
		if plainText(v.v) != plainText(f.Value) {
			return false
		}
	}
	return true
}
