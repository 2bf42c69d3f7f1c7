// Package intake holds rules for what comes in from another editor: by the names of things and
// materials they say what a thing is there for, such as a blocker that is never drawn, a floor with
// finer texels, or a fixture that carries a light.
package intake

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/yaml"
)

// Format is the file's format and major version.
const Format = "grotta-import-rules/1"

// FileName is what a file of rules is called that lies beside what is brought in, and then holds
// for it.
const FileName = "grotta-rules.yaml"

// MaxBytes is the largest file of rules that is read.
const MaxBytes = 256 << 10

// Rules is a list of rules. Each holds for what it matches; where several do, the later has the last
// word.
type Rules struct {
	Format string      `json:"format" enum:"grotta-import-rules/1"`
	Name   string      `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Note   string      `json:"note,omitzero" maxLength:"2000"`
	Rules  []ThingRule `json:"rules" maxItems:"500"`
}

// ThingRule says what things are whose names match. In patterns * is any text and ? any character; upper
// and lower case are the same.
type ThingRule struct {
	Thing    string `json:"thing,omitzero" maxLength:"200" doc:"Pattern of the thing's name: a node, object or group of the file."`
	Material string `json:"material,omitzero" maxLength:"200" doc:"Pattern of its material's name. With a thing too, both must match."`

	Skip          bool     `json:"skip,omitzero" required:"false" doc:"It is left out."`
	Blocker       bool     `json:"blocker,omitzero" required:"false" doc:"It stops light, and is neither drawn nor lit nor run into."`
	Visible       *bool    `json:"visible,omitzero"`
	CastsShadow   *bool    `json:"casts_shadow,omitzero"`
	Collides      *bool    `json:"collides,omitzero"`
	ReceivesLight *bool    `json:"receives_light,omitzero"`
	Density       *float64 `json:"density,omitzero" minimum:"0" maximum:"256" doc:"Texels a metre; 0 takes the level's."`
	Lighting      string   `json:"lighting,omitzero" enum:"baked,dynamic" doc:"Of the material; needs a material pattern."`
	Emission      *float64 `json:"emission,omitzero" minimum:"0" maximum:"1e9" doc:"Nits that the material shines with, in its base colour; needs a material pattern."`
	Moves         *bool    `json:"moves,omitzero"`
	Breakable     *bool    `json:"breakable,omitzero"`
	Light         *Fixture `json:"light,omitzero" doc:"It is a fixture, and carries this light."`
}

// Fixture is what a fixture carries. Fields mean what they mean in a level; what is left out is the
// default of its kind.
type Fixture struct {
	Kind        string    `json:"kind" enum:"point,spot,dome,rect,tube"`
	Strength    float64   `json:"strength" exclusiveMinimum:"0" maximum:"1e9" doc:"Candela; nits of a rect or tube."`
	Color       string    `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$"`
	Kelvin      float64   `json:"kelvin,omitzero" minimum:"1000" maximum:"40000"`
	RangeM      float64   `json:"range_m,omitzero" minimum:"0" maximum:"100000"`
	RadiusM     float64   `json:"radius_m,omitzero" minimum:"0" maximum:"100"`
	OuterDeg    float64   `json:"outer_deg,omitzero" minimum:"0" maximum:"89.9"`
	WidthM      float64   `json:"width_m,omitzero" minimum:"0" maximum:"10000"`
	HeightM     float64   `json:"height_m,omitzero" minimum:"0" maximum:"10000"`
	LengthM     float64   `json:"length_m,omitzero" minimum:"0" maximum:"1000"`
	Offset      level.Vec `json:"offset,omitzero" doc:"From the thing's middle, metres of the level."`
	Toward      level.Vec `json:"toward,omitzero" doc:"Where it shines; down where left out."`
	CastsShadow *bool     `json:"casts_shadow,omitzero"`
}

// Caught says what a rule matched.
type Caught struct {
	Rule  string   // its patterns
	Does  string   // in words
	Names []string // of the things
}

// Parse reads rules, YAML or JSON. The error is a *level.Invalid with the path of each fault, or
// names the line for what is not YAML.
func Parse(text []byte) (*Rules, error) {
	if len(text) > MaxBytes {
		return nil, fault("", "the rules have %d bytes; the most is %d", len(text), MaxBytes)
	}
	asJSON, err := yaml.ToJSON(text)
	if err != nil {
		return nil, fault("", "%v", err)
	}
	var f Rules
	if err := level.DecodeKnown(asJSON, &f); err != nil {
		return nil, level.WithoutBytes(err)
	}
	return &f, f.Validate()
}

// Validate judges rules; the error is a *level.Invalid.
func (f *Rules) Validate() error {
	if err := level.CheckFields(f); err != nil {
		return err
	}
	for i := range f.Rules {
		r, at := &f.Rules[i], fmt.Sprintf("/rules/%d", i)
		switch {
		case r.Thing == "" && r.Material == "":
			return fault(at, "has neither a thing nor a material to match")
		case r.Lighting != "" && r.Material == "":
			return fault(at+"/lighting", "is of a material; the rule has no pattern for one")
		case r.Emission != nil && r.Material == "":
			return fault(at+"/emission", "is of a material; the rule has no pattern for one")
		case r.Does() == "":
			return fault(at, "does nothing")
		}
	}
	return nil
}

// Does says what a rule does, in words.
func (r *ThingRule) Does() string {
	var words []string
	say := func(is bool, word string) {
		if is {
			words = append(words, word)
		}
	}
	flag := func(v *bool, yes, no string) {
		say(v != nil && *v, yes)
		say(v != nil && !*v, no)
	}
	say(r.Skip, "left out")
	say(r.Blocker, "a blocker")
	flag(r.Visible, "visible", "not drawn")
	flag(r.CastsShadow, "casts shadows", "casts no shadow")
	flag(r.Collides, "collides", "is passed through")
	flag(r.ReceivesLight, "takes light", "takes no light")
	if r.Density != nil {
		words = append(words, fmt.Sprintf("%g texels a metre", *r.Density))
	}
	say(r.Lighting != "", r.Lighting)
	if r.Emission != nil {
		words = append(words, fmt.Sprintf("shines with %g nt", *r.Emission))
	}
	flag(r.Moves, "moves", "stands still")
	flag(r.Breakable, "can be broken", "cannot be broken")
	if r.Light != nil {
		words = append(words, "carries a "+r.Light.Kind+" light")
	}
	return strings.Join(words, ", ")
}

// Title are a rule's patterns.
func (r *ThingRule) Title() string {
	switch {
	case r.Thing == "":
		return "material " + r.Material
	case r.Material == "":
		return r.Thing
	}
	return r.Thing + " of " + r.Material
}

// Apply applies rules to the meshes of a level that comes in, and tells what each caught.
func (f *Rules) Apply(l *level.Level) []Caught {
	out := make([]Caught, len(f.Rules))
	materials := map[string]*level.Material{}
	for _, m := range l.Materials {
		materials[m.ID] = m
	}
	things, names := make([]*regexp.Regexp, len(f.Rules)), make([]*regexp.Regexp, len(f.Rules))
	for i := range f.Rules {
		out[i] = Caught{Rule: f.Rules[i].Title(), Does: f.Rules[i].Does(), Names: []string{}}
		things[i], names[i] = pattern(f.Rules[i].Thing), pattern(f.Rules[i].Material)
	}
	ids := l.NewIDs()
	var kept []*level.Mesh
	for _, m := range l.Meshes {
		title, stays := cmp.Or(m.Name, m.ID), true
		var light *Fixture
		for i := range f.Rules {
			material := materials[m.Surface.Material]
			if things[i] != nil && !things[i].MatchString(title) || names[i] != nil && (material == nil || !names[i].MatchString(cmp.Or(material.Name, material.ID))) {
				continue
			}
			r := &f.Rules[i]
			out[i].Names = append(out[i].Names, title)
			r.apply(m, material)
			stays = stays && !r.Skip
			if r.Light != nil {
				light = r.Light
			}
		}
		if !stays {
			continue
		}
		kept = append(kept, m)
		if light != nil {
			l.Lights = append(l.Lights, light.on(m, ids))
		}
	}
	letGo(l, kept)
	l.Meshes = kept
	dropUnused(l)
	return out
}

// letGo has what hangs on a mesh that is left out stand by itself where it is.
func letGo(l *level.Level, kept []*level.Mesh) {
	if len(kept) == len(l.Meshes) {
		return
	}
	gone := map[string]bool{}
	for _, m := range l.Meshes {
		gone[m.ID] = true
	}
	for _, m := range kept {
		delete(gone, m.ID)
	}
	var loose []*level.Entity
	var poses []geom.Pose
	w := l.World()
	for _, p := range l.Placed() {
		if gone[p.Parent] {
			loose, poses = append(loose, p.Entity), append(poses, w.Pose(p.Entity))
		}
	}
	for i, e := range loose {
		q := poses[i].Rotation
		e.Parent = ""
		e.Transform = level.Transform{Position: level.Vec(poses[i].Position), Rotation: [4]float64{q.V[0], q.V[1], q.V[2], q.W}}
	}
}

func (r *ThingRule) apply(m *level.Mesh, material *level.Material) {
	s := &m.Surface
	if r.Blocker {
		s.Visible, s.CastsShadow, s.Collides, s.ReceivesLight = false, true, false, false
	}
	for _, set := range []struct{ from, to *bool }{{r.Visible, &s.Visible}, {r.CastsShadow, &s.CastsShadow}, {r.Collides, &s.Collides}, {r.ReceivesLight, &s.ReceivesLight}, {r.Moves, &m.Moves}, {r.Breakable, &m.Breakable}} {
		if set.from != nil {
			*set.to = *set.from
		}
	}
	if r.Density != nil {
		s.Density = *r.Density
	}
	if r.Lighting != "" && material != nil {
		material.Lighting = r.Lighting
	}
	if r.Emission != nil && material != nil {
		material.Emission = *r.Emission
	}
}

// on is the light that a fixture carries: in its middle, or off it by the offset. What of the
// fixture is round it casts no shadow of it.
func (f *Fixture) on(m *level.Mesh, ids *level.IDs) *level.Light {
	name := cmp.Or(m.Name, m.ID)
	l := level.NewLight(ids.Fresh(name+" light"), f.Kind)
	l.Name, l.Parent = name+" light", m.ID
	l.Strength, l.Color, l.Kelvin, l.RangeM, l.RadiusM = f.Strength, f.Color, f.Kelvin, f.RangeM, f.RadiusM
	if f.OuterDeg > 0 {
		l.OuterDeg, l.InnerDeg = f.OuterDeg, min(l.InnerDeg, f.OuterDeg*0.6)
	}
	l.WidthM, l.HeightM, l.LengthM = cmp.Or(f.WidthM, l.WidthM), cmp.Or(f.HeightM, l.HeightM), cmp.Or(f.LengthM, l.LengthM)
	if f.CastsShadow != nil {
		l.Shadows.Cast = *f.CastsShadow
	}
	bounds := geom.NoBounds()
	for v := range m.Vertices() {
		bounds.Grow(v)
	}
	middle, half := bounds.Min.Add(bounds.Max).Mul(0.5), bounds.Max.Sub(bounds.Min).Mul(0.5)
	r := m.Transform.Rotation
	back := mgl64.Quat{W: r[3], V: geom.Vec3{r[0], r[1], r[2]}}.Inverse() // offset and direction are the level's
	off := back.Rotate(geom.Vec3(f.Offset))
	l.Transform.Position = level.Vec(middle.Add(off))
	if bounds.Contains(middle.Add(off)) {
		l.Shadows.NearM = half.Len() + off.Len() + 0.01
	}
	toward := geom.Vec3(f.Toward)
	if toward.Len() == 0 {
		toward = geom.Vec3{0, -1, 0}
	}
	q := back.Mul(geom.LookRotation(toward))
	l.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	return l
}

// dropUnused removes materials and images that nothing has any more.
func dropUnused(l *level.Level) {
	used := map[string]bool{}
	for _, m := range l.Meshes {
		used[m.Surface.Material] = true
	}
	l.Materials = slices.DeleteFunc(l.Materials, func(m *level.Material) bool { return !used[m.ID] })
	geometries := map[string]bool{}
	for _, m := range l.Meshes {
		geometries[m.Geometry] = true
	}
	l.Geometries = slices.DeleteFunc(l.Geometries, func(g *level.Geometry) bool { return !geometries[g.ID] })
	shown := map[string]bool{}
	for _, m := range l.Materials {
		shown[m.Image] = true
	}
	for _, light := range l.Lights {
		if light.Gobo != nil {
			shown[light.Gobo.Image] = true
		}
	}
	l.Images = slices.DeleteFunc(l.Images, func(v *level.Image) bool { return !shown[v.ID] })
}

// pattern is a pattern of names; nil for none.
func pattern(text string) *regexp.Regexp {
	if text == "" {
		return nil
	}
	quoted := regexp.QuoteMeta(text)
	return regexp.MustCompile(`(?is)^` + strings.NewReplacer(`\*`, `.*`, `\?`, `.`).Replace(quoted) + `$`)
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}
