package handover

import (
	"fmt"
	"math"
	"strings"

	"github.com/go-json-experiment/json"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// rebuilt is a thing as its values in the target tell it.
type rebuilt struct {
	tree     map[string]any // the document's fields, without place, colour and strength
	position *geom.Vec3
	aim      *geom.Pose
	color    *color.Linear
	strength *float64
	min, max *geom.Vec3
}

// blank is a new thing of a kind with every default.
func blank(of string) (map[string]any, error) {
	var t thing
	if err := t.read(level.DefaultOf(documentType(of))); err != nil {
		return nil, err
	}
	if isLight(of) {
		t.tree["kind"] = of
	}
	return t.tree, nil
}

// rebuild makes a thing from what its values say.
func (w *writer) rebuild(of string, d *draft) (*rebuilt, error) {
	tree, err := blank(of)
	if err != nil {
		return nil, err
	}
	r := &rebuilt{tree: tree}
	if rule := w.file.rule(of); rule != nil && rule.Falloff != nil {
		tree["falloff"] = rule.Falloff.Law
	}
	for path, v := range d.plain {
		if s, err := originNamed(of, path); err == nil && !s.own {
			put(tree, path, v)
		}
	}
	if outer, said := d.plain["outer_deg"].(float64); said && d.plain["inner_deg"] == nil {
		inner, _ := tree["inner_deg"].(float64)
		tree["inner_deg"] = min(inner, outer) // of which the text says nothing
	}
	for from, v := range d.vectors {
		s, err := originNamed(of, from)
		if err != nil {
			return nil, err
		}
		p := geom.Vec3{v[0].v, v[1].v, v[2].v}
		switch {
		case s.dimension == colour && !s.own:
			put(tree, from, color.Linear(p).Hex())
		case s.dimension == extent:
			p = w.space.extentBack(p)
			put(tree, from, []any{p[0], p[1], p[2]})
		default:
			w.placed(r, from, p)
		}
	}
	return r, w.shine(r, of, d)
}

// placed takes a place, direction or colour.
func (w *writer) placed(r *rebuilt, from string, p geom.Vec3) {
	switch from {
	case "color":
		c := color.Linear(p)
		r.color = &c
		return
	case "direction":
		if p = w.space.back(p); p.Len() > 1e-9 {
			r.aim = &geom.Pose{Rotation: geom.LookRotation(p)}
		}
		return
	}
	p = w.space.back(p)
	switch from {
	case "position":
		r.position = &p
	case "min":
		r.min = &p
	case "max":
		r.max = &p
	}
}

// shine reads angles and strengths, for which the rest must be known.
func (w *writer) shine(r *rebuilt, of string, d *draft) error {
	azimuth, turns := d.plain["azimuth"].(float64)
	altitude, tilts := d.plain["altitude"].(float64)
	roll, _ := d.plain["roll"].(float64)
	if s, err := originNamed(of, "azimuth"); err == nil && s.own && (turns || tilts) {
		pose := turned(azimuth, altitude, roll)
		if of == "sun" || of == "moon" { // the angles say where it stands; it shines the other way
			pose = geom.Pose{Rotation: geom.LookRotation(pose.Forward().Mul(-1))}
		}
		r.aim = &pose
	}
	if r.min != nil && r.max != nil { // an axis that points the other way swaps them
		lo, hi := *r.min, *r.max
		for i := range lo {
			lo[i], hi[i] = min(lo[i], hi[i]), max(lo[i], hi[i])
		}
		r.min, r.max = &lo, &hi
	}
	f := d.raw["strength"]
	if f == nil {
		return nil
	}
	light := level.NewLight("", level.Directional)
	if isLight(of) {
		text, err := level.Encode(r.tree)
		if err != nil {
			return err
		}
		if err := json.Unmarshal(text, light); err != nil {
			return fmt.Errorf("cannot be read as a light: %w", err)
		}
	}
	raw, given := d.plain["strength"].(float64)
	if f.Lit && r.color != nil && !given {
		c := *r.color
		if raw = max(c[0], c[1], c[2]); raw > 0 {
			c = c.Scale(1 / raw)
		} else {
			c = color.White
		}
		r.color = &c
	}
	strength := raw / intensityFactor(light, f.Unit)
	if math.IsNaN(strength) || math.IsInf(strength, 0) {
		strength = 0
	}
	r.strength = &strength
	return nil
}

// put sets a field of a document at its dotted path.
func put(tree map[string]any, path string, v any) {
	for {
		name, rest, nested := strings.Cut(path, ".")
		if !nested {
			tree[name] = v
			return
		}
		inner, ok := tree[name].(map[string]any)
		if !ok {
			inner = map[string]any{}
			tree[name] = inner
		}
		tree, path = inner, rest
	}
}
