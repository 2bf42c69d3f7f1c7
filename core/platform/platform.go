// Package platform reads profiles of the targets that levels are made for: what
// a target supports and what it refuses. A profile is YAML or JSON; its rules are
// judged in core/check.
package platform

import (
	"cmp"
	"embed"
	"fmt"
	"io/fs"
	"slices"

	"grotta/core/level"
	"grotta/core/yaml"
)

// Format is the profile's format and major version.
const Format = "grotta-platform/1"

// MaxBytes is the largest profile that is read.
const MaxBytes = 256 << 10

// Profile states what one target takes.
type Profile struct {
	Format string `json:"format" enum:"grotta-platform/1"`
	Name   string `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$" doc:"What levels and commands call it."`
	Title  string `json:"title" minLength:"1" maxLength:"120"`
	Note   string `json:"note,omitzero" maxLength:"2000"`
	Space  Space  `json:"space"`
	Lights Lights `json:"lights"`
	Limits Limits `json:"limits"`
	Play   Play   `json:"play"`
	Modes  Modes  `json:"modes"`

	Display Display `json:"display"`
}

// Display is what the target does to light before it is seen.
type Display struct {
	LightMax float64 `json:"light_max" minimum:"0" maximum:"1000" default:"0" doc:"The most light on a surface, on each channel, times white; what is over it is cut. 0 is no limit."`
}

// Modes are what the target leaves out indoors and outdoors.
type Modes struct {
	Indoor  Mode `json:"indoor"`
	Outdoor Mode `json:"outdoor"`
}

// Mode is what the target leaves out in one of them. Sun, moon, sky and ambient
// go by the level's mode, local lights by that of their zone.
type Mode struct {
	LeavesOut []string `json:"leaves_out,omitzero" maxItems:"5" enum:"sun,moon,sky,ambient,local" doc:"What does not light there."`
	Why       string   `json:"why,omitzero" maxLength:"200"`
}

// Space is how the target measures.
type Space struct {
	UnitM  float64 `json:"unit_m" exclusiveMinimum:"0" maximum:"1000" doc:"Metres in one unit of the target."`
	Up     string  `json:"up" enum:"y,z"`
	Handed string  `json:"handed" enum:"right,left"`
}

// Lights says which kinds exist there.
type Lights struct {
	Kinds   []string          `json:"kinds" enum:"point,spot,dome,directional,box,rect,tube" doc:"Kinds that the target has."`
	Instead map[string]string `json:"instead,omitzero" doc:"For a kind that it lacks: the kind to use in its place."`
	Backs   string            `json:"backs" enum:"stop,pass" default:"stop" doc:"Whether the backs of one-sided surfaces stop light there."`
	Dynamic *Limit            `json:"dynamic,omitzero" doc:"Lights that are not baked, at once."`
}

// Limit is the most of something. A limit that is left out does not bind.
type Limit struct {
	Max float64 `json:"max" minimum:"0" maximum:"1e12"`
	Why string  `json:"why" minLength:"1" maxLength:"200" doc:"The reason, in a line."`
}

// OverlapLimit is the most shadow-casting lights at one point.
type OverlapLimit struct {
	Max     int    `json:"max" minimum:"0" maximum:"1000"`
	Reserve int    `json:"reserve" minimum:"0" maximum:"1000" doc:"Kept free for lamps that players carry."`
	Why     string `json:"why" minLength:"1" maxLength:"200"`
}

// Limits are what the target refuses to go beyond.
type Limits struct {
	Lights        *Limit        `json:"lights,omitzero" doc:"Lights in all."`
	ZoneLights    *Limit        `json:"zone_lights,omitzero" doc:"Lights in one zone."`
	ShadowOverlap *OverlapLimit `json:"shadow_overlap,omitzero"`
	LightmapPages *Limit        `json:"lightmap_pages,omitzero"`
	LightmapBytes *Limit        `json:"lightmap_bytes,omitzero" doc:"Of all pages, at bytes_per_texel."`
	PageSize      *Limit        `json:"page_size,omitzero" doc:"Texels along a page."`
	Densities     []float64     `json:"densities,omitzero" maxItems:"64" doc:"Densities that surfaces may have, texels a metre; any if left out."`
	BytesPerTexel float64       `json:"bytes_per_texel" exclusiveMinimum:"0" maximum:"64" default:"8"`
}

// Play is how dark a player may find it, as mean lux on the floor of a zone.
type Play struct {
	StoryLux   float64 `json:"story_lux" minimum:"0" maximum:"1e6" default:"0.5"`
	CompeteLux float64 `json:"compete_lux" minimum:"0" maximum:"1e6" default:"5"`
	Why        string  `json:"why,omitzero" maxLength:"200"`
}

// Parse reads a profile, YAML or JSON. The error is a *level.Invalid with the
// path of each fault, or names the line for what is not YAML.
func Parse(text []byte) (*Profile, error) {
	if len(text) > MaxBytes {
		return nil, &level.Invalid{Faults: []level.Fault{{Message: fmt.Sprintf("the profile has %d bytes; the most is %d", len(text), MaxBytes)}}}
	}
	asJSON, err := yaml.ToJSON(text)
	if err != nil {
		return nil, &level.Invalid{Faults: []level.Fault{{Message: err.Error()}}}
	}
	p := level.Default[Profile]()
	if err := level.DecodeKnown(asJSON, &p); err != nil {
		return nil, level.WithoutBytes(err)
	}
	if err := level.CheckFields(&p); err != nil {
		return nil, err
	}
	return &p, nil
}

//go:embed profiles/*.yaml
var shipped embed.FS

// Shipped are the profiles that come with Grotta, by name.
func Shipped() ([]*Profile, error) {
	files, err := fs.Glob(shipped, "profiles/*.yaml")
	if err != nil {
		return nil, err
	}
	var all []*Profile
	for _, name := range files {
		text, err := shipped.ReadFile(name)
		if err != nil {
			return nil, err
		}
		p, err := Parse(text)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, p)
	}
	slices.SortFunc(all, func(a, b *Profile) int { return cmp.Compare(a.Name, b.Name) })
	return all, nil
}

// Named finds a shipped profile; the error lists those there are.
func Named(name string) (*Profile, error) {
	all, err := Shipped()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, p := range all {
		if p.Name == name {
			return p, nil
		}
		names = append(names, p.Name)
	}
	return nil, &Unknown{name, names}
}

// Unknown is the error of a platform that is not there.
type Unknown struct {
	Name  string
	Names []string
}

func (e *Unknown) Error() string {
	return fmt.Sprintf("no platform is called %q; there are %v", e.Name, e.Names)
}
