// Package preset lifts reusable pieces out of levels and puts them into others: a rig, a sky, a
// mood, a look, the set-up of a zone, a plan of densities or a whole environment. A preset is data
// only, holds all that it needs, and taking one is an ordinary operation. Update brings what was
// taken to a newer version and keeps what was changed since.
package preset

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/handover"
	"grotta/core/intake"
	"grotta/core/level"
)

// Format is the preset's format and major version.
const Format = "grotta-preset/1"

// Kinds of preset.
const (
	Rig         = "rig"
	Mood        = "mood"
	Look        = "look"
	Sky         = "sky"
	Zone        = "zone"
	Density     = "density"
	Environment = "environment"

	HandOver = "hand_over"
	Intake   = "import_rules"
	Platform = "platform"
)

// Kinds are all of them.
var Kinds = []string{Rig, Mood, Look, Sky, Zone, Density, Environment, HandOver, Intake, Platform}

// MaxBytes is the largest preset that is read.
const MaxBytes = 16 << 20

// Preset is a piece of a level. A rig's places are relative to its anchor: the middle of its
// lights, or of all its parts where it has none.
type Preset struct {
	Format  string        `json:"format" enum:"grotta-preset/1"`
	Kind    string        `json:"kind" enum:"rig,mood,look,sky,zone,density,environment,hand_over,import_rules,platform"`
	Mood    *MoodParts    `json:"mood,omitzero" doc:"mood, environment"`
	Look    *level.Look   `json:"look,omitzero"`
	Sky     *SkyParts     `json:"sky,omitzero"`
	Zone    *ZoneParts    `json:"zone,omitzero"`
	Density *DensityPlan  `json:"density,omitzero"`
	Zones   []*level.Zone `json:"zones,omitzero" maxItems:"1000" doc:"environment: the zones of its level; taken by those of the same id or name."`
	Rig     *level.Rig    `json:"rig,omitzero"`
	Parts   *level.Level  `json:"parts,omitzero" doc:"What it needs: a rig's members and their materials; the images of a sky."`

	HandOver *handover.File `json:"hand_over,omitzero" doc:"How a target writes what lights a level."`
	Intake   *intake.Rules  `json:"import_rules,omitzero" doc:"What things are that come in from an editor, by their names."`
	Platform string         `json:"platform,omitzero" maxLength:"200000" doc:"The text of a platform's profile, grotta-platform/1."`
}

// MoodParts is what a mood replaces.
type MoodParts struct {
	Ambient level.Ambient `json:"ambient"`
	Sky     level.Sky     `json:"sky"`
	Stars   level.Stars   `json:"stars"`
	Wind    level.Wind    `json:"wind"`
	Fog     level.Fog     `json:"fog"`
	Haze    *level.Haze   `json:"haze,omitzero" doc:"The fog's, in presets from before there was more fog than haze."`
	Look    level.Look    `json:"look"`
	Mode    string        `json:"mode,omitzero" enum:"indoor,outdoor" required:"false" doc:"None in presets from before a mood had it; those leave mode, sun and moon as they are."`
	Sun     *level.Sun    `json:"sun,omitzero" doc:"None: there is no sun."`
	Moon    *level.Sun    `json:"moon,omitzero" doc:"None: there is no moon."`
	Wetness *float64      `json:"wetness,omitzero" minimum:"0" maximum:"1" doc:"How wet surfaces are outdoors. None in presets from before a mood had it; those leave it as it is."`
}

// UnmarshalJSONFrom gives what is left out its default, so that a mood from before
// a field was there is still one.
func (m *MoodParts) UnmarshalJSONFrom(d *jsontext.Decoder) error {
	type plain MoodParts
	*m = level.Default[MoodParts]()
	return json.UnmarshalDecode(d, (*plain)(m))
}

// SkyParts is what a sky replaces.
type SkyParts struct {
	Sky   level.Sky   `json:"sky"`
	Stars level.Stars `json:"stars"`
}

// ZoneParts is the set-up of a zone, without its place.
type ZoneParts struct {
	Mode    string         `json:"mode" enum:"indoor,outdoor" default:"indoor"`
	Ambient *level.Ambient `json:"ambient,omitzero"`
	Fog     *level.Fog     `json:"fog,omitzero"`
	Look    *level.Look    `json:"look,omitzero"`
	BlendM  float64        `json:"blend_m" minimum:"0" maximum:"1000" default:"1"`
	Play    string         `json:"play" enum:"none,compete,story" default:"none"`
	Wetness *float64       `json:"wetness,omitzero" minimum:"0" maximum:"1" doc:"None takes the level's."`
}

// DensityPlan is how finely surfaces are sampled, by their material.
type DensityPlan struct {
	Density   float64           `json:"density" minimum:"0.25" maximum:"256" default:"6" doc:"Texels per metre where a surface sets none."`
	PageSize  int               `json:"page_size" minimum:"64" maximum:"4096" multipleOf:"32" default:"512"`
	Materials []MaterialDensity `json:"materials" initial:"[]" maxItems:"2000"`
}

// MaterialDensity is the density of what is made of a material.
type MaterialDensity struct {
	Material string  `json:"material" minLength:"1" maxLength:"120" doc:"Its name, or its id where it has none; letters may be large or small."`
	Density  float64 `json:"density" minimum:"0" maximum:"256" doc:"Texels per metre; 0 takes the level's."`
}

// Parse reads a preset and judges all of it; the error is a *level.Invalid.
func Parse(text []byte) (*Preset, error) {
	if len(text) > MaxBytes {
		return nil, fault("", "the preset has %d bytes; the most is %d", len(text), MaxBytes)
	}
	var p Preset
	if err := level.Decode(text, &p); err != nil {
		return nil, err
	}
	if p.Mood != nil && p.Mood.Haze != nil {
		p.Mood.Fog.Haze, p.Mood.Haze = *p.Mood.Haze, nil
	}
	return &p, p.Validate()
}

// Validate judges a preset as the level document is judged.
func (p *Preset) Validate() error {
	if p.Format != Format {
		return fault("/format", "is %q; this Grotta reads %q", p.Format, Format)
	}
	if !slices.Contains(Kinds, p.Kind) {
		return fault("/kind", "is %q; allowed is %v", p.Kind, Kinds)
	}
	if err := p.holdsItsOwn(); err != nil {
		return err
	}
	switch p.Kind {
	case HandOver:
		return p.HandOver.Validate()
	case Intake:
		return p.Intake.Validate()
	case Platform:
		return validPlatform(p.Platform)
	case Rig:
		return p.validRig()
	}
	for path, part := range map[string]any{"/mood": p.Mood, "/look": p.Look, "/sky": p.Sky, "/zone": p.Zone, "/density": p.Density} {
		if err := checkPart(path, part); err != nil {
			return err
		}
	}
	return p.validShown()
}

// holdsItsOwn tells whether a preset has what its kind says, and nothing else.
func (p *Preset) holdsItsOwn() error {
	has := map[string]bool{
		"mood": p.Mood != nil, "look": p.Look != nil, "sky": p.Sky != nil, "zone": p.Zone != nil, "density": p.Density != nil,
		"rig": p.Rig != nil, "hand_over": p.HandOver != nil, "import_rules": p.Intake != nil, "platform": p.Platform != "",
	}
	own := p.Kind
	if own == Environment {
		own = Mood
	}
	if !has[own] {
		return fault("/kind", "is %q, and the preset has no %s; a mood or an environment needs a mood, a look a look, and so on", p.Kind, own)
	}
	for name, there := range has {
		if there && name != own {
			return fault("/"+name, "stands in a preset of the kind %q; it holds %s alone", p.Kind, own)
		}
	}
	if p.Kind == Rig && p.Parts == nil {
		return fault("/parts", "are missing; a rig needs its parts")
	}
	return nil
}

func checkPart(path string, part any) error {
	var err error
	switch v := part.(type) {
	case *MoodParts:
		if v != nil {
			err = level.CheckFields(v)
		}
	case *level.Look:
		if v != nil {
			err = level.CheckFields(v)
		}
	case *SkyParts:
		if v != nil {
			err = level.CheckFields(v)
		}
	case *ZoneParts:
		if v != nil {
			err = level.CheckFields(v)
		}
	case *DensityPlan:
		if v != nil {
			err = level.CheckFields(v)
		}
	}
	if bad, ok := err.(*level.Invalid); ok {
		for i := range bad.Faults {
			bad.Faults[i].Path = path + bad.Faults[i].Path
		}
	}
	return err
}

func (p *Preset) validRig() error {
	if len(p.Parts.Rigs) != 1 || p.Parts.Rigs[0].ID != p.Rig.ID {
		return fault("/parts/rigs", "must hold the preset's own rig and no other")
	}
	for _, e := range p.Parts.Placed() {
		if e.Rig != p.Rig.ID {
			return fault(fmt.Sprintf("/parts/%s/%d/rig", e.Part, e.Index), "is %q; every part belongs to the rig %q", e.Rig, p.Rig.ID)
		}
	}
	return p.Parts.Validate()
}

// validShown judges the images that a sky shows.
func (p *Preset) validShown() error {
	if p.Parts != nil {
		if err := p.Parts.Validate(); err != nil {
			return err
		}
		if n := len(p.Parts.Placed()); n > 0 {
			return fault("/parts", "have %d placed things; a preset of the kind %q holds images alone", n, p.Kind)
		}
	}
	if s := p.sky(); s != nil && s.Image != "" && (p.Parts == nil || p.Parts.Image(s.Image) == nil) {
		return fault("/parts/images", "lack %q, which the sky shows", s.Image)
	}
	for i, z := range p.Zones {
		if err := level.CheckFields(z); err != nil {
			bad, ok := err.(*level.Invalid)
			for k := range bad.Faults {
				if ok {
					bad.Faults[k].Path = fmt.Sprintf("/zones/%d%s", i, bad.Faults[k].Path)
				}
			}
			return err
		}
	}
	return nil
}

// sky is the sky of a preset; nil where it has none.
func (p *Preset) sky() *level.Sky {
	switch {
	case p.Mood != nil:
		return &p.Mood.Sky
	case p.Sky != nil:
		return &p.Sky.Sky
	}
	return nil
}

// Hash names a preset by its content.
func (p *Preset) Hash() (string, error) {
	text, err := level.Encode(p)
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), nil
}

// Shown is an image or a profile that a preset holds, with whom to name for it.
type Shown struct {
	What    string `json:"what" enum:"image,profile"`
	Name    string `json:"name"`
	Credit  string `json:"credit,omitzero"`
	Licence string `json:"licence,omitzero"`
}

// Credits lists the images and profiles of a level or of a preset's parts.
func Credits(l *level.Level) []Shown {
	var out []Shown
	if l == nil {
		return out
	}
	for _, v := range l.Images {
		out = append(out, Shown{"image", nameOr(v.Name, v.ID), v.Credit, v.Licence})
	}
	for _, v := range l.Profiles {
		out = append(out, Shown{"profile", nameOr(v.Name, v.ID), v.Credit, v.Licence})
	}
	return out
}

func nameOr(name, id string) string {
	if name == "" {
		return id
	}
	return name
}

// Uncredited names what a preset holds without credit or licence, so that it cannot be shared.
func (p *Preset) Uncredited() (names []string) {
	for _, s := range Credits(p.Parts) {
		if s.Credit == "" || s.Licence == "" {
			names = append(names, s.Name)
		}
	}
	return names
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}
