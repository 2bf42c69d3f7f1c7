package table

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
)

// thing is one that the table has rows of: how to put it into a level, and where its properties are.
type thing struct {
	name string
	id   string // "" for the level itself
	root string // for the level itself: where the properties begin, such as "environment.sun."
	of   reflect.Type
	make func() *level.Level
	skip []string
}

// Rows tries every property of every thing in every format.
func Rows() ([]Row, error) {
	all, err := formats()
	if err != nil {
		return nil, err
	}
	var rows []Row
	for _, t := range things() {
		for _, p := range properties(t.of, "") {
			if slices.ContainsFunc(t.skip, func(s string) bool { return p.path == s || strings.HasPrefix(p.path, s+".") }) {
				continue
			}
			row := Row{Thing: t.name, Property: p.path}
			for i := range all {
				got, err := t.try(&all[i], p)
				if err != nil {
					return nil, fmt.Errorf("%s, %s, %s: %w", t.name, p.path, all[i].name, err)
				}
				row.Outcomes = append(row.Outcomes, got)
			}
			rows = append(rows, row)
		}
	}
	return rows, nil
}

// try sets a property, and looks what comes back of it through a format.
func (t *thing) try(f *format, p property) (string, error) {
	l := t.make()
	before, err := treeOf(l, t.id)
	if err != nil {
		return "", err
	}
	fields := map[string]any{t.root + p.path: p.value}
	for path, v := range p.with {
		if _, err := level.FieldAt(t.of, path); err == nil {
			fields[t.root+path] = v
		}
	}
	next, _, err := l.Apply(level.Set(t.id, fields))
	if err != nil {
		return "", err
	}
	after, err := treeOf(next, t.id)
	if err != nil {
		return "", err
	}
	back, err := f.back(next)
	if err != nil {
		return "", err
	}
	path := t.root + p.path
	empty, err := plain(level.New(""))
	if err != nil {
		return "", err
	}
	return outcome(back, t.id, path, at(after, path), at(before, path), at(empty, path))
}

// property is a field of a document, a value for it that is not its default, and what must be set
// with it for it to mean something.
type property struct {
	path  string
	value any
	with  map[string]any
}

// companions are fields without which another means nothing or is refused.
var companions = map[string]map[string]any{
	"inner_deg": {"kind": "spot"}, "outer_deg": {"kind": "spot"}, "width_m": {"kind": "rect"}, "height_m": {"kind": "rect"},
	"length_m": {"kind": "tube"}, "angular_deg": {"kind": "directional"}, "gobo": {"kind": "spot"},
	"transform.rotation": {"kind": "spot"}, "uvs": {"surface.material": "paint"}, "alpha_cutoff": {"image": "picture"},
	"geometry": {"positions": nil, "indices": nil}, "falloff": {"range_m": 9}, "falloff_terms": {"falloff": "custom"}, "kelvin": {"color": nil},
}

// values are those of fields that their tags do not lead to.
var values = map[string]any{
	"azimuth_deg": 75, "disc.azimuth_deg": 75, "surface.material": "paint",
	"parent": "block", "zone": "hall", "rig": "group", "material": "paint", "image": "picture", "color_from": "other", "light": "other",
	"transform.position": []any{1.5, 2, -0.5}, "transform.rotation": []any{0, 0.6, 0, 0.8}, "tags": []any{"a"}, "kelvin": 3456, "outer_deg": 61, "inner_deg": 12,
	"positions": []any{0, 0, 0, 2, 0, 0, 0, 2, 0}, "indices": []any{0, 2, 1}, "uvs": []any{0, 0, 1, 0, 0, 1}, "normals": []any{0, 0, 1, 0.6, 0, 0.8, 0, 0.6, 0.8}, "size": []any{3, 2.5, 1.5},
	"boxes": []any{map[string]any{"min": []any{-3, 0, -2}, "max": []any{2, 3, 4}}}, "end_m": 321, "falloff": "linear", "size_max_m": 0.02, "size_min_m": 0.006,
	"geometry": "wheel", "scale": []any{2, 1, 3}, "gobo": map[string]any{"image": "picture"}, "follows": "none", "profile": "shape",
}

// properties are the fields of a type that a person sets, with a value each.
func properties(t reflect.Type, prefix string) []property {
	var all []property
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if f.Type == reflect.TypeFor[jsontext.Value]() || name == "id" || !f.IsExported() {
			continue
		}
		if f.Anonymous {
			all = append(all, properties(f.Type, prefix)...)
			continue
		}
		path := prefix + name
		if v, ok := values[path]; ok && fits(f.Type, v) {
			all = append(all, property{path, v, companions[path]})
			continue
		}
		if f.Type.Kind() == reflect.Struct {
			all = append(all, properties(f.Type, path+".")...)
			continue
		}
		if v := otherValue(f); v != nil {
			all = append(all, property{path, v, companions[path]})
		}
	}
	return all
}

// fits tells whether a value is of a field's type, as fields of several things have one name.
func fits(t reflect.Type, v any) bool {
	_, text := v.(string)
	return text == (t.Kind() == reflect.String)
}

// otherValue is a value that a field's tags allow, and which is not its default; nil for lists and
// parts that are things of their own.
func otherValue(f reflect.StructField) any {
	initial := f.Tag.Get("default")
	switch f.Type.Kind() {
	case reflect.Bool:
		return initial != "true"
	case reflect.String:
		if words := f.Tag.Get("enum"); words != "" {
			for word := range strings.SplitSeq(words, ",") {
				if word != initial && word != "image" {
					return word
				}
			}
			return nil
		}
		if strings.HasPrefix(f.Tag.Get("pattern"), "^#") {
			return "#336699"
		}
		if f.Tag.Get("refers") != "" || f.Tag.Get("pattern") != "" {
			return nil
		}
		return "Words"
	case reflect.Float64, reflect.Int:
		return otherNumber(f, initial)
	}
	return nil
}

func otherNumber(f reflect.StructField, initial string) any {
	start, _ := strconv.ParseFloat(initial, 64)
	low, err := strconv.ParseFloat(f.Tag.Get("minimum"), 64)
	if err != nil {
		low = start - 1
	}
	high, err := strconv.ParseFloat(f.Tag.Get("maximum"), 64)
	if err != nil {
		high = start + 100
	}
	v := start*1.5 + 0.25
	if v > high || v < low {
		v = start * 0.5
	}
	if v == start || v < low || v > high {
		v = (low + high) / 2
	}
	if step, err := strconv.ParseFloat(f.Tag.Get("multipleOf"), 64); err == nil {
		v = start + step
	} else if f.Type.Kind() == reflect.Int {
		v = float64(int(v + 1))
	}
	return v
}

// things are all kinds that a level has.
func things() []thing {
	var all []thing
	add := func(name string, v any, put func(*level.Level), skip ...string) {
		all = append(all, thing{name: name, id: "one", of: reflect.TypeOf(v).Elem(), skip: skip, make: func() *level.Level {
			l := stage()
			put(l)
			return l
		}})
	}
	ent := func(id string) level.Entity {
		e := level.Default[level.Entity]()
		e.ID = id
		return e
	}
	add("light", &level.Light{}, func(l *level.Level) { l.Lights = append(l.Lights, level.NewLight("one", level.Point)) }, "follows")
	add("glow", &level.Glow{}, func(l *level.Level) {
		v := level.Default[level.Glow]()
		v.ID = "one"
		l.Glows = append(l.Glows, &v)
	}, "image")
	add("fog volume", &level.FogVolume{}, func(l *level.Level) {
		v := level.Default[level.FogVolume]()
		v.ID = "one"
		l.FogVolumes = append(l.FogVolumes, &v)
	})
	add("beam", &level.Beam{}, func(l *level.Level) {
		v := level.Default[level.Beam]()
		v.ID = "one"
		l.Beams = append(l.Beams, &v)
	})
	add("motes", &level.Motes{}, func(l *level.Level) {
		v := level.Default[level.Motes]()
		v.ID = "one"
		l.Motes = append(l.Motes, &v)
	})
	add("zone", &level.Zone{}, func(l *level.Level) {
		v := level.Default[level.Zone]()
		v.ID, v.Boxes = "one", []level.Box{{Min: level.Vec{-1, -1, -1}, Max: level.Vec{1, 1, 1}}}
		l.Zones = append(l.Zones, &v)
	})
	add("viewpoint", &level.Viewpoint{}, func(l *level.Level) {
		l.Viewpoints = append(l.Viewpoints, &level.Viewpoint{Entity: ent("one"), FovDeg: 60})
	})
	add("mesh", &level.Mesh{}, func(l *level.Level) {
		v := level.Default[level.Mesh]()
		v.ID, v.Positions, v.Indices = "one", []float64{0, 0, 0, 1, 0, 0, 0, 1, 0}, []uint32{0, 1, 2}
		l.Meshes = append(l.Meshes, &v)
	})
	add("block", &level.Solid{}, func(l *level.Level) {
		v := level.Default[level.Solid]()
		v.ID, v.Size = "one", level.Vec{1, 1, 1}
		l.Solids = append(l.Solids, &v)
	})
	add("material", &level.Material{}, func(l *level.Level) {
		v := level.Default[level.Material]()
		v.ID = "one"
		l.Materials = append(l.Materials, &v)
		l.Solids[0].Surface.Material = "one"
	})
	add("rig", &level.Rig{}, func(l *level.Level) {
		v := level.Default[level.Rig]()
		v.ID = "one"
		l.Rigs = append(l.Rigs, &v)
	})
	for _, part := range []struct {
		name, root string
		of         reflect.Type
	}{
		{"sun", "environment.sun.", reflect.TypeFor[level.Sun]()}, {"sky", "environment.sky.", reflect.TypeFor[level.Sky]()},
		{"ambient", "environment.ambient.", reflect.TypeFor[level.Ambient]()}, {"haze", "fog.haze.", reflect.TypeFor[level.Haze]()},
		{"height fog", "fog.height.", reflect.TypeFor[level.HeightFog]()}, {"look", "look.", reflect.TypeFor[level.Look]()}, {"lightmap", "lightmap.", reflect.TypeFor[level.Lightmap]()},
	} {
		all = append(all, thing{name: part.name, root: part.root, of: part.of, skip: []string{"place", "image"}, make: withEverything})
	}
	return all
}

// stage is a level with one of each thing that another may mention.
func stage() *level.Level {
	l := level.New("Table")
	block := level.Default[level.Solid]()
	block.ID, block.Size = "block", level.Vec{2, 2, 2}
	l.Solids = append(l.Solids, &block)
	paint, group := level.Default[level.Material](), level.Default[level.Rig]()
	paint.ID, group.ID = "paint", "group"
	paint.Image = "picture"
	l.Materials, l.Rigs = append(l.Materials, &paint), append(l.Rigs, &group)
	hall := level.Default[level.Zone]()
	hall.ID, hall.Boxes = "hall", []level.Box{{Min: level.Vec{-9, -9, -9}, Max: level.Vec{9, 9, 9}}}
	l.Zones = append(l.Zones, &hall)
	l.Lights = append(l.Lights, level.NewLight("other", level.Point))
	l.Geometries = []*level.Geometry{{ID: "wheel", Triangles: level.Triangles{Positions: []float64{0, 0, 0, 1, 0, 0, 0, 2, 0}, Indices: []uint32{0, 1, 2}}}}
	rolling := level.Default[level.Mesh]()
	rolling.ID, rolling.Geometry = "rolling", "wheel"
	l.Meshes = append(l.Meshes, &rolling)
	var b bytes.Buffer
	_ = png.Encode(&b, image.NewGray(image.Rect(0, 0, 2, 2))) // into memory, which does not fail
	l.Images = append(l.Images, &level.Image{ID: "picture", Data: b.Bytes()})
	l.Profiles = append(l.Profiles, &level.LightProfile{ID: "shape", Data: []byte("TILT=NONE\n1 -1 1 2 1 1 2 0 0 0 1 1 1\n0 90\n0\n100 50\n")})
	return l
}

// withEverything has what a level has at most one of, so that a format has a reason to write it.
func withEverything() *level.Level {
	l := stage()
	sun := level.Default[level.Sun]()
	l.Environment.Sun = &sun
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 10, 5
	l.Fog.Haze.Enabled, l.Fog.Height.Enabled = true, true
	return l
}
