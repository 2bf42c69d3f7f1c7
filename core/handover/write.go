package handover

import (
	"cmp"
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

// Written is a level in the words of a target.
type Written struct {
	Text        []byte
	Things      int          // how many stand in it
	Differences []Difference // of each thing, what its text does not say as it is
	Left        []string     // what was left out, in words
	Notes       []string     // what was changed into something else
}

// Difference is a field that reads otherwise when the text is read back.
type Difference struct {
	ID      string // none for the level's own, such as the sun
	Name    string
	Field   string
	Was     string
	Becomes string // the default, where Left
	Left    bool   // the target has no value for it
}

// Write writes the things of a level, or those with some ids, by a hand-over file. The differences
// are found by reading each thing back.
func Write(l *level.Level, f *File, ids []string) (*Written, error) {
	w, err := newWriter(f)
	if err != nil {
		return nil, err
	}
	things, err := f.collect(l)
	if err != nil {
		return nil, err
	}
	if things, err = only(things, ids); err != nil {
		return nil, err
	}
	out := &Written{}
	var records []record
	homeless := map[string]int{}
	for _, t := range things {
		rule := f.rule(t.of)
		if !t.isThere() {
			continue
		}
		if rule == nil {
			homeless[t.of]++
			continue
		}
		if why := t.offWhy(rule); why != "" {
			out.Left = append(out.Left, fmt.Sprintf("%s: %s, and %s has no way to say so", t.name, why, f.Title))
			continue
		}
		r := w.record(t, rule)
		records = append(records, r)
		if err := w.compare(out, t, rule, &r); err != nil {
			return nil, err
		}
		for _, c := range t.changed {
			c.ID, c.Name = t.id, t.name
			out.Differences = append(out.Differences, c)
		}
	}
	if out.Text, err = f.shape().write(l.Name, records); err != nil {
		return nil, err
	}
	out.Things = len(records)
	for _, of := range slices.Sorted(maps.Keys(homeless)) {
		out.Left = append(out.Left, fmt.Sprintf("%s, for which %s has no rule", counted(homeless[of], of), f.Title))
	}
	out.describe()
	return out, nil
}

// isThere tells whether something that a level has once is on and does anything.
func (t *thing) isThere() bool {
	switch t.of {
	case "haze", "height_fog":
		return at(t.tree, "enabled") == true
	case "sun", "moon":
		return at(t.tree, "enabled") == true && t.pose.Forward()[1] < 0
	case "ambient":
		return at(t.tree, "strength") != 0.0 || at(t.tree, "sky_fill") != 0.0
	case "sky":
		return at(t.tree, "luminance") != 0.0
	}
	return true
}

// offWhy is why a thing must not be written, as it would shine there; none where its rule can say
// that it is off.
func (t *thing) offWhy(rule *Rule) string {
	for _, off := range []struct{ path, why string }{{"enabled", "it is off"}, {"lights_surfaces", "it lights fog alone"}} {
		if at(t.tree, off.path) == false && !rule.says(off.path) {
			return off.why
		}
	}
	return ""
}

// says tells whether a rule has a field from a source.
func (r *Rule) says(from string) bool {
	for i := range r.Fields {
		if r.Fields[i].From == from || slices.ContainsFunc(r.Fields[i].Parts, func(p Field) bool { return p.From == from }) {
			return true
		}
	}
	return false
}

// special are the fields of the document whose sources are this package's own.
var special = []string{"id", "name", "kind", "transform.position", "transform.rotation", "color", "kelvin", "strength", "lux", "azimuth_deg", "altitude_deg", "north_deg", "place", "boxes", "follows"}

// compare reads a record back and lists what is not as it was.
func (w *writer) compare(out *Written, t *thing, rule *Rule, r *record) error {
	d, err := w.draftOf(r, rule)
	if err != nil {
		return fmt.Errorf("%s: what was written cannot be read back: %w", t.name, err)
	}
	back, err := w.rebuild(t.of, d)
	if err != nil {
		return err
	}
	was, is := map[string]any{}, map[string]any{}
	flatten(was, "", t.tree)
	flatten(is, "", back.tree)
	skip := special
	if t.entity == nil && t.of != "sun" && t.of != "moon" && t.of != "zone" { // sky, ambient and fog have these as plain fields
		skip = nil
	}
	differs := func(field string, before, after any) {
		left := !rule.says(field) && field != "kelvin" // which stands in the colour
		out.Differences = append(out.Differences, Difference{t.id, t.name, field, plainText(before), plainText(after), left})
	}
	names := maps.Clone(was)
	maps.Copy(names, is)
	for _, path := range slices.Sorted(maps.Keys(names)) {
		if !slices.Contains(skip, path) && !w.alike(was[path], is[path]) {
			differs(path, was[path], is[path])
		}
	}
	if name, _ := t.tree["name"].(string); name != "" && name != d.plain["name"] && t.part != "" {
		differs("name", name, d.plain["name"])
	}
	w.comparePlace(t, back, differs)
	return nil
}

// comparePlace compares where a thing stands and how it shines.
func (w *writer) comparePlace(t *thing, back *rebuilt, differs func(string, any, any)) {
	if isPlaced(t.of) {
		if back.position == nil {
			differs("position", vectorText(t.pose.Position), "")
		} else if back.position.Sub(t.pose.Position).Len() > w.close(t.pose.Position.Len()) {
			differs("position", vectorText(t.pose.Position), vectorText(*back.position))
		}
	}
	if isAimed(t.of) && (t.of != level.Point || t.light.Profile != "") && t.of != "glow" && t.of != "fog_volume" {
		f := t.pose.Forward()
		switch {
		case back.aim == nil:
			differs("direction", vectorText(f), "")
		case back.aim.Forward().Sub(f).Len() > 1e-3:
			differs("direction", vectorText(f), vectorText(back.aim.Forward()))
		case rolls(t) && back.aim.Rotation.Rotate(geom.Vec3{1, 0, 0}).Sub(t.pose.Rotation.Rotate(geom.Vec3{1, 0, 0})).Len() > 2e-3:
			_, _, was := angles(t.pose)
			_, _, is := angles(*back.aim)
			differs("roll", w.round(was), w.round(is))
		}
	}
	if t.of == "zone" {
		if n := len(at(t.tree, "boxes").([]any)); n > 1 {
			differs("boxes", fmt.Sprint(n), "1")
		}
		if back.min == nil || back.max == nil {
			differs("boxes", vectorText(geom.Vec3(t.box.Min)), "")
		} else if back.min.Sub(geom.Vec3(t.box.Min)).Len()+back.max.Sub(geom.Vec3(t.box.Max)).Len() > w.close(geom.Vec3(t.box.Max).Len()) {
			differs("boxes", vectorText(geom.Vec3(t.box.Min)), vectorText(*back.min))
		}
	}
	if t.light == nil {
		return
	}
	if back.color == nil {
		if t.color.Hex() != "#ffffff" {
			differs("color", t.color.Hex(), "")
		}
	} else if !closeColors(t.color, *back.color) {
		differs("color", t.color.Hex(), back.color.Hex())
	}
	if kelvin, _ := t.tree["kelvin"].(float64); kelvin != 0 && at(back.tree, "kelvin") != kelvin {
		differs("kelvin", kelvin, "the color "+t.color.Hex())
	}
	if back.strength == nil {
		differs("strength", t.strength, "")
	} else if math.Abs(*back.strength-t.strength) > 2e-3*math.Abs(t.strength)+1e-9 {
		differs("strength", w.round(t.strength), w.round(*back.strength))
	}
}

// closeColors tells whether two colours are one to eight bits a channel.
func closeColors(a, b color.Linear) bool {
	return max(math.Abs(a[0]-b[0]), math.Abs(a[1]-b[1]), math.Abs(a[2]-b[2])) < 0.006
}

// rolls tells whether a turn about its own axis shows on a thing.
func rolls(t *thing) bool {
	switch t.of {
	case level.Rect, level.Tube, level.BoxLight, "viewpoint":
		return true
	case level.Spot:
		return t.light != nil && t.light.Gobo != nil
	}
	return false
}

// close is how far apart two places may be that are written with the decimals of the file.
func (w *writer) close(size float64) float64 {
	return 2*math.Pow(10, -float64(w.file.Text.Decimals))*w.space.unitM + 1e-6*size
}

// alike compares two values as the file's decimals allow. A value that is missing is empty.
func (w *writer) alike(a, b any) bool {
	x, ok := a.(float64)
	y, too := b.(float64)
	if ok && too {
		return math.Abs(x-y) <= 1e-3*max(math.Abs(x), math.Abs(y))+math.Pow(10, -float64(w.file.Text.Decimals))*max(1, w.space.unitM)
	}
	if listA, ok := a.([]any); ok {
		if listB, ok := b.([]any); ok && len(listA) == len(listB) {
			for i := range listA {
				if !w.alike(listA[i], listB[i]) {
					return false
				}
			}
			return true
		}
	}
	return reflect.DeepEqual(a, b) || isEmpty(a) && isEmpty(b)
}

func isEmpty(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case string:
		return v == ""
	case float64:
		return v == 0
	case bool:
		return !v
	case []any:
		return len(v) == 0
	}
	return false
}

// flatten lists the fields of a document by their dotted paths.
func flatten(out map[string]any, prefix string, tree map[string]any) {
	for name, v := range tree {
		if inner, ok := v.(map[string]any); ok {
			flatten(out, prefix+name+".", inner)
		} else {
			out[prefix+name] = v
		}
	}
}

func vectorText(v geom.Vec3) string { return fmt.Sprintf("%.3g %.3g %.3g", v[0], v[1], v[2]) }

// describe says the differences in words, those of one field together.
func (out *Written) describe() {
	type key struct {
		field string
		left  bool
	}
	names := map[key][]Difference{}
	for _, d := range out.Differences {
		k := key{d.Field, d.Left}
		names[k] = append(names[k], d)
	}
	keys := slices.SortedFunc(maps.Keys(names), func(a, b key) int { return cmp.Compare(a.field, b.field) })
	for _, k := range keys {
		list := names[k]
		who := make([]string, 0, 3)
		for i, d := range list {
			if i == 3 {
				who = append(who, fmt.Sprintf("%d more", len(list)-3))
				break
			}
			if k.left {
				who = append(who, fmt.Sprintf("%s (%s)", d.Name, cmp.Or(d.Was, "none")))
			} else {
				who = append(who, fmt.Sprintf("%s (%s becomes %s)", d.Name, cmp.Or(d.Was, "none"), cmp.Or(d.Becomes, "none")))
			}
		}
		line := k.field + ": " + strings.Join(who, ", ")
		if k.left {
			out.Left = append(out.Left, line)
		} else {
			out.Notes = append(out.Notes, line)
		}
	}
}

// counted is a number of things of a kind, in words.
func counted(n int, of string) string {
	one, many := of, of+"s"
	switch {
	case isLight(of):
		one, many = of+" light", of+" lights"
	case of == "fog_volume":
		one, many = "volume of fog", "volumes of fog"
	case of == "motes":
		one, many = "cloud of motes", "clouds of motes"
	case of == "height_fog":
		return "the height fog"
	case slices.ContainsFunc(ones, func(o struct{ of, path, name string }) bool { return o.of == of }):
		return "the " + one
	}
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
