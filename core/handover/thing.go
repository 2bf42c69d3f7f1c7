package handover

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// thing is something of a level that a rule can write.
type thing struct {
	of       string
	part     string // the list of the document that it is in, or
	path     string // of a thing of the level itself: where it stands, such as "environment.sun"
	id, name string
	tree     map[string]any // the document's fields
	entity   *level.Entity  // nil for what has no place
	pose     geom.Pose      // world
	color    color.Linear   // resolved, no channel over 1
	strength float64        // resolved, with what the colour had over 1
	light    *level.Light   // resolved, of the kind of its rule; sun and moon as directional
	box      level.Box      // of a zone
	changed  []Difference   // what it was converted into before it was written
}

// ones are the things that a level has at most one of.
var ones = []struct{ of, path, name string }{
	{"sun", "environment.sun", "Sun"}, {"moon", "environment.moon", "Moon"}, {"sky", "environment.sky", "Sky"},
	{"ambient", "environment.ambient", "Ambient"}, {"haze", "fog.haze", "Haze"}, {"height_fog", "fog.height", "Height fog"},
}

// partOf is the list of the document that a kind of thing is in.
func partOf(of string) string {
	switch {
	case isLight(of):
		return "lights"
	case of == "motes":
		return "motes"
	}
	return of + "s"
}

// collect lists the things of a level in the order in which they are written. Lights of a kind
// without a rule become the kind that the file says.
func (f *File) collect(l *level.Level) ([]*thing, error) {
	var all []*thing
	var once thing // what the level has once
	if err := once.read(map[string]any{"environment": &l.Environment, "fog": &l.Fog}); err != nil {
		return nil, err
	}
	discs := map[string]*level.Sun{"sun": l.Environment.Sun, "moon": l.Environment.Moon}
	for _, one := range ones {
		tree, ok := at(once.tree, one.path).(map[string]any)
		if !ok {
			continue
		}
		t := &thing{of: one.of, path: one.path, name: one.name, tree: tree}
		if s := discs[one.of]; s != nil {
			t.disc(s)
		}
		all = append(all, t)
	}
	world := l.World()
	for _, light := range l.Lights {
		t, err := f.light(l, world, light)
		if err != nil {
			return nil, err
		}
		all = append(all, t)
	}
	placed := func(of string, e *level.Entity, v any) error {
		t := &thing{of: of, part: partOf(of), id: e.ID, name: cmp.Or(e.Name, e.ID), entity: e, pose: world.Pose(e)}
		all = append(all, t)
		return t.read(v)
	}
	var err error
	keep := func(e error) { err = cmp.Or(err, e) }
	for _, v := range l.Glows {
		keep(placed("glow", &v.Entity, v))
	}
	for _, v := range l.Beams {
		keep(placed("beam", &v.Entity, v))
	}
	for _, v := range l.Motes {
		keep(placed("motes", &v.Entity, v))
	}
	for _, v := range l.FogVolumes {
		keep(placed("fog_volume", &v.Entity, v))
	}
	for _, z := range l.Zones {
		t := &thing{of: "zone", part: "zones", id: z.ID, name: cmp.Or(z.Name, z.ID)}
		if len(z.Boxes) > 0 {
			t.box = z.Boxes[0]
		}
		keep(t.read(z))
		all = append(all, t)
	}
	for _, v := range l.Viewpoints {
		keep(placed("viewpoint", &v.Entity, v))
	}
	return all, err
}

// read takes the document's fields of a value.
func (t *thing) read(v any) error {
	text, err := level.Encode(v)
	if err != nil {
		return err
	}
	return json.Unmarshal(text, &t.tree)
}

// disc is the sun or moon: parallel light from where it stands.
func (t *thing) disc(s *level.Sun) {
	t.pose = geom.Pose{Rotation: geom.LookRotation(s.Toward().Mul(-1))}
	t.color, t.strength = whole(s.Hue(), s.Lux)
	t.light = level.NewLight(t.of, level.Directional)
}

// light reads a light with its colour and strength resolved, as the kind and with the falloff that
// the target has.
func (f *File) light(l *level.Level, world *level.World, light *level.Light) (*thing, error) {
	own := *light
	own.Strength = l.Strength(light)
	as := &own
	t := &thing{of: light.Kind, part: "lights", id: light.ID, name: cmp.Or(light.Name, light.ID), entity: &light.Entity, pose: world.Pose(&light.Entity)}
	if to := f.Instead[light.Kind]; to != "" && f.rule(light.Kind) == nil {
		as, t.of = own.As(to), to
		t.changed = append(t.changed, Difference{Field: "kind", Was: light.Kind, Becomes: to})
	}
	if rule := f.rule(t.of); rule != nil && rule.Falloff != nil && rule.Falloff.Law != as.Falloff {
		as = weakened(as, rule.Falloff)
		t.changed = append(t.changed, Difference{Field: "falloff", Was: light.Falloff, Becomes: fmt.Sprintf("%s, as bright at %g m", rule.Falloff.Law, rule.Falloff.MatchM)})
	}
	t.color, t.strength = whole(l.Color(light), as.Strength)
	t.light = as
	return t, t.read(as)
}

// weakened is a light with another law of falloff, as bright at the distance of the rule.
func weakened(light *level.Light, rule *Falloff) *level.Light {
	out := *light
	out.Falloff = rule.Law
	if rule.Law != level.InverseSquare && out.RangeM == 0 {
		out.RangeM = rule.RangeM
	}
	at := rule.MatchM
	for _, l := range []*level.Light{light, &out} { // inside both ranges
		if l.RangeM > 0 {
			at = min(at, l.RangeM/2)
		}
	}
	weakens := func(l *level.Light) float64 { return level.Falloff(l.Falloff, l.RangeM, l.FalloffTerms, at) }
	if there := weakens(&out); there > 0 {
		out.Strength *= weakens(light) / there
	}
	return &out
}

// whole is a colour with no channel over 1, and the strength that makes up for it.
func whole(c color.Linear, strength float64) (color.Linear, float64) {
	if most := max(c[0], c[1], c[2]); most > 1 {
		return c.Scale(1 / most), strength * most
	}
	return c, strength
}

// only keeps the things with one of some ids; all of them where there is none. What a level has once
// is called by its kind, such as sun. An id that nothing has is a fault.
func only(all []*thing, ids []string) ([]*thing, error) {
	if len(ids) == 0 {
		return all, nil
	}
	there := map[string]bool{}
	kept := slices.DeleteFunc(all, func(t *thing) bool {
		name := t.id
		if t.path != "" {
			name = t.of
		}
		there[name] = true
		return !slices.Contains(ids, name)
	})
	for _, id := range ids {
		if !there[id] {
			return nil, fault("", "nothing that a hand-over writes has the id %q", id)
		}
	}
	return kept, nil
}

// at is a field of the document, by its dotted path; nil where it is not set.
func at(tree map[string]any, path string) any {
	var v any = tree
	for name := range strings.SplitSeq(path, ".") {
		inner, ok := v.(map[string]any)
		if !ok {
			return nil
		}
		v = inner[name]
	}
	return v
}
