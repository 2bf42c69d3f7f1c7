// Package handover writes the lights, sun, sky, fog, glows and zones of a level as text in the terms
// of another editor, and reads such text back. A hand-over file (grotta-handover/1) says how: the
// shape of the text, the class of each kind of thing, and for each field where its value comes from
// and how it is written. Every rule but a text template works in both directions.
package handover

import (
	"cmp"
	"embed"
	"fmt"
	"io/fs"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
	"grotta/core/yaml"
)

// Format is the file's format and major version.
const Format = "grotta-handover/1"

// MaxBytes is the largest hand-over file that is read.
const MaxBytes = 256 << 10

// File says how a target writes what lights a level.
type File struct {
	Format  string            `json:"format" enum:"grotta-handover/1"`
	Name    string            `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Title   string            `json:"title" minLength:"1" maxLength:"120"`
	Note    string            `json:"note,omitzero" maxLength:"2000"`
	Space   Frame             `json:"space"`
	Text    Text              `json:"text"`
	Rules   []Rule            `json:"rules" maxItems:"64" doc:"How each kind of thing is written; a kind without a rule is left out, and said."`
	Instead map[string]string `json:"instead,omitzero" doc:"For a kind of light without a rule: the kind that it is written as."`
}

// Frame is how the target measures and which way its axes point.
type Frame struct {
	UnitM float64  `json:"unit_m" exclusiveMinimum:"0" maximum:"1000" doc:"Metres in one unit of the target."`
	Axes  []string `json:"axes" maxItems:"3" doc:"What the target's first, second and third axis are in the level's axes: x (east), y (up) and z (south), with - for the other way. [x, -z, y] has north as its second axis and up as its third; handedness follows from them."`
}

// Text is the shape of what is written.
type Text struct {
	Shape     string `json:"shape" enum:"sections,json,csv,template"`
	Extension string `json:"extension" pattern:"^[a-z0-9]{1,8}$" default:"txt" doc:"Of the files that are written."`
	Head      string `json:"head,omitzero" maxLength:"4000" doc:"sections: text before the first."`
	Foot      string `json:"foot,omitzero" maxLength:"4000" doc:"sections: text after the last."`
	Begin     string `json:"begin,omitzero" maxLength:"200" doc:"sections: the line that begins one, such as \"[<class>]\"."`
	Pair      string `json:"pair,omitzero" maxLength:"200" doc:"sections: the line of a value, such as \"<name> = <value>\"."`
	End       string `json:"end,omitzero" maxLength:"200" doc:"sections: the line that ends one; none where the next begins or an empty line comes."`
	Comment   string `json:"comment,omitzero" maxLength:"8" doc:"sections: what a line that is not read begins with."`
	Quote     string `json:"quote" enum:"none,double" default:"none" doc:"sections: whether words stand in double quotes."`
	List      string `json:"list,omitzero" maxLength:"64" doc:"json: the name of the list of things; none for a list alone."`
	Class     string `json:"class,omitzero" maxLength:"64" doc:"json, csv, sections: the name of the value that holds the class."`
	Separator string `json:"separator" enum:"comma,semicolon,tab" default:"comma" doc:"csv: what stands between cells."`
	Template  string `json:"template,omitzero" maxLength:"65536" doc:"template: a Go text/template; it gets .Level, .Things and of each .Class, .ID, .Name and .Fields by name. Such text is not read back."`
	Decimals  int    `json:"decimals" minimum:"0" maximum:"12" default:"4" doc:"How many digits after the point numbers are rounded to."`
}

// Rule says how one kind of thing is written.
type Rule struct {
	Of      string   `json:"of" enum:"point,spot,dome,directional,box,rect,tube,sun,moon,sky,ambient,haze,height_fog,fog_volume,glow,beam,motes,zone,viewpoint"`
	Class   string   `json:"class,omitzero" pattern:"^[A-Za-z0-9_.:/-]{1,64}$" doc:"What the target calls it."`
	Falloff *Falloff `json:"falloff,omitzero" doc:"Point, spot, dome: the law by which light weakens in the target."`
	Fields  []Field  `json:"fields" maxItems:"64"`
}

// Falloff is how light weakens with distance in the target. A light that follows another law gets
// the strength with which it is as bright at match_m.
type Falloff struct {
	Law    string  `json:"law" enum:"inverse_square,linear,smooth"`
	MatchM float64 `json:"match_m" exclusiveMinimum:"0" maximum:"1000" default:"2" doc:"Metres at which a light is as bright there as here."`
	RangeM float64 `json:"range_m" exclusiveMinimum:"0" maximum:"100000" default:"20" doc:"linear, smooth: the range that a light without one gets."`
}

// Field says how one value is written.
type Field struct {
	Name  string            `json:"name,omitzero" pattern:"^[A-Za-z0-9_.:/ -]{1,64}$" doc:"What the target calls it; json: a.b is b within a."`
	From  string            `json:"from,omitzero" maxLength:"64" doc:"Where the value comes from: a field of the thing in the level document, such as range_m or shadows.cast; or position, direction, azimuth, altitude, roll, color, strength, min, max."`
	Value any               `json:"value,omitzero" doc:"In place of from: always this. Things are told apart by it when they are read back."`
	Unit  string            `json:"unit,omitzero" enum:"metres,degrees,radians,turns,candela,lumens,lux,nits" doc:"Lengths are in the target's unit, angles in degrees, and strengths in the light's own (candela, lux or nits) where it is left out."`
	Times float64           `json:"times" minimum:"-1e9" maximum:"1e9" default:"1" doc:"Multiplies the value, after its unit; not 0."`
	Plus  float64           `json:"plus" minimum:"-1e9" maximum:"1e9" default:"0" doc:"Is added after that."`
	Wrap  float64           `json:"wrap" minimum:"0" maximum:"1e6" default:"0" doc:"Brings an angle to 0 until this; 0 leaves it."`
	Color string            `json:"color,omitzero" enum:"srgb_255,srgb_1,linear_255,linear_1,hex" doc:"How a colour is written; srgb_255 where left out."`
	Lit   bool              `json:"lit,omitzero" required:"false" doc:"Colour, linear: times the strength, in unit and times."`
	Part  string            `json:"part,omitzero" enum:"x,y,z,r,g,b" doc:"One number of a place, direction or colour: x, y, z are the target's first, second and third axis."`
	Words map[string]string `json:"words,omitzero" doc:"What the target says for a value, such as true: \"yes\"."`
	Omit  any               `json:"omit,omitzero" doc:"The value that is not written, as the target takes it where none stands."`
	Parts []Field           `json:"parts,omitzero" maxItems:"16" doc:"In place of from: several values in one, in this order."`
	Join  string            `json:"join" maxLength:"8" default:" " doc:"What stands between the numbers of one value; json has a list."`
}

// UnmarshalJSONFrom gives what is left out its default.
func (f *Field) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Field
	*f = level.Default[Field]()
	return json.UnmarshalDecode(d, (*plain)(f))
}

// UnmarshalJSONFrom gives what is left out its default.
func (f *Falloff) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain Falloff
	*f = level.Default[Falloff]()
	return json.UnmarshalDecode(d, (*plain)(f))
}

// Parse reads a hand-over file, YAML or JSON, and judges all of it. The error is a *level.Invalid
// with the path of each fault, or names the line for what is not YAML.
func Parse(text []byte) (*File, error) {
	if len(text) > MaxBytes {
		return nil, fault("", "the hand-over file has %d bytes; the most is %d", len(text), MaxBytes)
	}
	asJSON, err := yaml.ToJSON(text)
	if err != nil {
		return nil, fault("", "%v", err)
	}
	f := level.Default[File]()
	if err := level.DecodeKnown(asJSON, &f); err != nil {
		return nil, level.WithoutBytes(err)
	}
	return &f, f.Validate()
}

// Validate judges a hand-over file; the error is a *level.Invalid.
func (f *File) Validate() error {
	if err := level.CheckFields(f); err != nil {
		return err
	}
	if _, err := newSpace(&f.Space); err != nil {
		return err
	}
	if len(f.Rules) == 0 {
		return fault("/rules", "is empty; without a rule nothing is written")
	}
	if err := f.checkText(); err != nil {
		return err
	}
	seen := map[string]int{}
	for i := range f.Rules {
		r, at := &f.Rules[i], fmt.Sprintf("/rules/%d", i)
		if other, twice := seen[r.Of]; twice {
			return fault(at+"/of", "is %q, as in rule %d; a kind has one rule", r.Of, other)
		}
		seen[r.Of] = i
		if err := f.checkRule(r, at); err != nil {
			return err
		}
	}
	for from, to := range f.Instead {
		if _, has := seen[to]; !has || !isLight(from) || !isLight(to) {
			return fault("/instead/"+from, "is %q; kinds of light are needed, the second with a rule", to)
		}
	}
	return f.checkApart()
}

// checkText judges the shape.
func (f *File) checkText() error {
	t := &f.Text
	if t.Extension == "" {
		t.Extension = "txt"
	}
	switch t.Shape {
	case "sections":
		if t.Begin == "" {
			return fault("/text/begin", "is missing; it is the line that begins a section, such as \"[<class>]\"")
		}
		if !strings.Contains(t.Begin, "<class>") && t.Class == "" {
			return fault("/text/begin", "has no <class>, and /text/class does not name a value for it")
		}
		if strings.Count(t.Pair, "<name>") != 1 || strings.Count(t.Pair, "<value>") != 1 || strings.Index(t.Pair, "<name>") > strings.Index(t.Pair, "<value>") {
			return fault("/text/pair", "is %q; a line with <name> and then <value> is needed, such as \"<name> = <value>\"", t.Pair)
		}
		if between := t.Pair[strings.Index(t.Pair, "<name>")+len("<name>") : strings.Index(t.Pair, "<value>")]; between == "" {
			return fault("/text/pair", "has nothing between <name> and <value>")
		}
		for _, line := range []struct{ at, text string }{{"begin", t.Begin}, {"pair", t.Pair}, {"end", t.End}} {
			if strings.ContainsAny(line.text, "\r\n") {
				return fault("/text/"+line.at, "has more than one line")
			}
		}
	case "template":
		if _, err := newTemplate(t.Template); err != nil {
			return fault("/text/template", "%v", err)
		}
	}
	return nil
}

func (f *File) checkRule(r *Rule, at string) error {
	if r.Class == "" && f.Text.Shape == "sections" {
		return fault(at+"/class", "is missing")
	}
	if r.Falloff != nil && !weakens(r.Of) {
		return fault(at+"/falloff", "is for point, spot and dome; this is a rule for %s", r.Of)
	}
	names := map[string]bool{f.Text.Class: f.Text.Class != ""}
	for i := range r.Fields {
		field, at := &r.Fields[i], fmt.Sprintf("%s/fields/%d", at, i)
		if field.Name == "" {
			return fault(at+"/name", "is missing")
		}
		if names[field.Name] {
			return fault(at+"/name", "is %q, which this rule has already", field.Name)
		}
		names[field.Name] = true
		if err := checkField(r.Of, field, at); err != nil {
			return err
		}
	}
	for name := range names {
		for other := range names {
			if strings.HasPrefix(other, name+".") && f.Text.Shape == "json" {
				return fault(at+"/fields", "have both %q and %q; a value cannot be a number and hold others", name, other)
			}
		}
	}
	return nil
}

func checkField(of string, f *Field, at string) error {
	ways := 0
	for _, is := range []bool{f.From != "", f.Value != nil, len(f.Parts) > 0} {
		if is {
			ways++
		}
	}
	if ways != 1 {
		return fault(at, "needs one of from, value and parts")
	}
	if f.Times == 0 {
		return fault(at+"/times", "is 0; nothing could be read back from it")
	}
	if f.Value != nil && !isPlain(f.Value) || f.Omit != nil && !isPlain(f.Omit) {
		return fault(at, "has a list or an object for a value; a text, a number or true or false is needed")
	}
	for i := range f.Parts {
		part, at := &f.Parts[i], fmt.Sprintf("%s/parts/%d", at, i)
		if len(part.Parts) > 0 {
			return fault(at+"/parts", "is within parts")
		}
		if err := checkField(of, part, at); err != nil {
			return err
		}
		if s, err := originOf(of, part); part.From != "" && err == nil && s.numbers(part) != 1 {
			return fault(at, "is more than one number; say which with part")
		}
	}
	if f.From != "" {
		if _, err := originOf(of, f); err != nil {
			return fault(at+"/from", "%v", err)
		}
	}
	seen := map[string]string{}
	for _, value := range slices.Sorted(maps.Keys(f.Words)) {
		word := f.Words[value]
		if other, twice := seen[word]; twice {
			return fault(at+"/words", "has %q for both %s and %s; it could not be read back", word, other, value)
		}
		seen[word] = value
	}
	return nil
}

// checkApart finds two rules that could not be told apart when their text is read back.
func (f *File) checkApart() error {
	if f.Text.Shape == "template" {
		return nil
	}
	for i := range f.Rules {
		for j := range i {
			if f.Rules[i].Class == f.Rules[j].Class && !constantsDiffer(&f.Rules[i], &f.Rules[j]) {
				return fault(fmt.Sprintf("/rules/%d", i), "(%s) and rule %d (%s) have one class and no field with a value that differs; they could not be told apart when read back", f.Rules[i].Of, j, f.Rules[j].Of)
			}
		}
	}
	return nil
}

func constantsDiffer(a, b *Rule) bool {
	for i := range a.Fields {
		for j := range b.Fields {
			x, y := &a.Fields[i], &b.Fields[j]
			if x.Name == y.Name && x.Value != nil && y.Value != nil && plainText(x.Value) != plainText(y.Value) {
				return true
			}
		}
	}
	return false
}

// rule is the one of a kind; nil where there is none.
func (f *File) rule(of string) *Rule {
	for i := range f.Rules {
		if f.Rules[i].Of == of {
			return &f.Rules[i]
		}
	}
	return nil
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}

func isPlain(v any) bool {
	switch v.(type) {
	case string, float64, bool:
		return true
	}
	return false
}

//go:embed files/*.yaml
var shipped embed.FS

// Shipped are the hand-over files that come with Grotta, by name.
func Shipped() ([]*File, error) {
	names, err := fs.Glob(shipped, "files/*.yaml")
	if err != nil {
		return nil, err
	}
	var all []*File
	for _, name := range names {
		text, err := shipped.ReadFile(name)
		if err != nil {
			return nil, err
		}
		f, err := Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, f)
	}
	slices.SortFunc(all, func(a, b *File) int { return cmp.Compare(a.Name, b.Name) })
	return all, nil
}

// Source is the text of a shipped file, with its comments; nil where there is none of the name.
func Source(name string) []byte {
	if !plainName.MatchString(name) {
		return nil
	}
	text, err := shipped.ReadFile("files/" + name + ".yaml")
	if err != nil {
		return nil
	}
	return text
}

var plainName = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,63}$`)
