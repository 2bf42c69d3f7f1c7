// Package platform reads profiles of the targets that levels are made for: what
// a target supports and what it refuses. A profile is YAML or JSON; its rules are
// judged in core/check.
package platform

import (
	"cmp"
	"embed"
	"fmt"
	"io/fs"
	"regexp"
	"slices"
	"strings"

	"grotta/core/intake"
	"grotta/core/level"
	"grotta/core/yaml"
)

// Format is the profile's format and major version.
const Format = "grotta-platform/1"

// MaxBytes is the largest profile that is read.
const MaxBytes = 256 << 10

// Profile states what one target takes.
type Profile struct {
	Format     string            `json:"format" enum:"grotta-platform/1"`
	Name       string            `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$" doc:"What levels and commands call it."`
	Title      string            `json:"title" minLength:"1" maxLength:"120"`
	Note       string            `json:"note,omitzero" maxLength:"2000"`
	Space      Space             `json:"space"`
	Values     Wording           `json:"values"`
	Lights     Lights            `json:"lights"`
	Air        AirKinds          `json:"air"`
	Look       LookKinds         `json:"look"`
	Limits     Limits            `json:"limits"`
	Build      OwnBuild          `json:"build"`
	Body       Body              `json:"body"`
	Play       Play              `json:"play"`
	Modes      Modes             `json:"modes"`
	Display    Display           `json:"display"`
	Severities map[string]string `json:"severities,omitzero" doc:"For a rule of the checks: off, advice, warning or error in place of its own."`
	Tiers      []Tier            `json:"tiers,omitzero" maxItems:"8" doc:"What weaker machines do not show."`

	ImportRules []intake.ThingRule `json:"import_rules,omitzero" maxItems:"500" doc:"What things are that come in from its editor, by their names."`
}

// Space is how the target measures places and angles.
type Space struct {
	UnitM   float64 `json:"unit_m" exclusiveMinimum:"0" maximum:"1000" doc:"Metres in one unit of the target."`
	Up      string  `json:"up" enum:"y,z"`
	Handed  string  `json:"handed" enum:"right,left"`
	Angles  string  `json:"angles" enum:"heading-tilt-roll,tilt-heading-roll,roll-tilt-heading" default:"heading-tilt-roll" doc:"The order in which its angles turn."`
	Heading string  `json:"heading" enum:"north,east" default:"north" doc:"Where a heading of 0 looks."`
	Tilt    string  `json:"tilt" enum:"up,down" default:"up" doc:"Where a tilt over 0 looks."`
}

// Wording is how the target writes colours and brightness.
type Wording struct {
	Color    string `json:"color" enum:"hex,srgb_255,srgb_1,linear_1" default:"hex"`
	Strength string `json:"strength" enum:"candela,lumen,relative" default:"candela" doc:"What the strength of a lamp is in; relative is a share of the brightest."`
}

// Lights says which lights exist there, and what they do.
type Lights struct {
	Kinds    []string          `json:"kinds" minItems:"1" maxItems:"7" enum:"point,spot,dome,directional,box,rect,tube" doc:"Kinds that the target has."`
	Instead  map[string]string `json:"instead,omitzero" doc:"For a kind that it lacks: the kind to use in its place."`
	Falloffs []string          `json:"falloffs,omitzero" maxItems:"4" enum:"inverse_square,linear,smooth,custom" doc:"Laws by which its lamps weaken; any if left out."`
	LeftOut  []string          `json:"left_out,omitzero" maxItems:"6" enum:"gobo,profile,flicker,softness,fog_share,shadow_depth" doc:"What of a light it does not have."`
	Backs    string            `json:"backs" enum:"stop,pass" default:"stop" doc:"Whether the backs of one-sided surfaces stop light there."`
	Dynamic  *Limit            `json:"dynamic,omitzero" doc:"Lights that are not baked, at once."`
}

// AirKinds says which fog and sprites exist there.
type AirKinds struct {
	Fog       []string `json:"fog,omitzero" maxItems:"4" enum:"haze,height,volumes,lit,none" doc:"Fog that the target has; all if left out."`
	Glows     []string `json:"glows,omitzero" maxItems:"6" enum:"soft,ring,star,streak,image,none" doc:"Shapes of glows that it has; all if left out."`
	GlowSizes []string `json:"glow_sizes,omitzero" maxItems:"2" enum:"world,screen" doc:"How glows may be sized there; both if left out."`
	LeftOut   []string `json:"left_out,omitzero" maxItems:"4" enum:"beams,motes,stars,sway" doc:"What it does not have."`
}

// LookKinds says which effects of the look exist there.
type LookKinds struct {
	LeftOut []string `json:"left_out,omitzero" maxItems:"9" enum:"exposure,balance,grade,bloom,depth_of_field,shafts,occlusion,sharpen,zones" doc:"Effects that it does not have; zones for looks of zones."`
	Why     string   `json:"why,omitzero" maxLength:"200"`
}

// OwnBuild is the target's own bake.
type OwnBuild struct {
	Minutes *Limit  `json:"minutes,omitzero" doc:"How long its build may take."`
	Machine string  `json:"machine,omitzero" maxLength:"200" doc:"What it is built on."`
	Speed   float64 `json:"speed" exclusiveMinimum:"0" maximum:"1000" default:"1" doc:"How fast that machine builds, as a multiple of the one that Grotta runs on."`
	Quality string  `json:"quality" enum:"draft,good,final" default:"final" doc:"The quality that is built."`
}

// Body is the player's, for where one can walk and what one sees.
type Body struct {
	HeightM  float64 `json:"height_m" minimum:"0.2" maximum:"10" default:"1.8"`
	EyeM     float64 `json:"eye_m" minimum:"0.1" maximum:"10" default:"1.65"`
	StepM    float64 `json:"step_m" minimum:"0.01" maximum:"5" default:"0.45" doc:"The highest step that is walked up."`
	SlopeDeg float64 `json:"slope_deg" minimum:"1" maximum:"89" default:"46" doc:"The steepest ground that is walked on."`
}

// Tier is a machine that shows less.
type Tier struct {
	Name    string   `json:"name" minLength:"1" maxLength:"64"`
	LeftOut []string `json:"left_out" minItems:"1" maxItems:"7" enum:"shadows,dynamic_lights,glows,beams,motes,fog_volumes,effects" doc:"What it does not show."`
	Share   float64  `json:"share" minimum:"0" maximum:"1" default:"0.1" doc:"How many of the players have it."`
	Why     string   `json:"why,omitzero" maxLength:"200"`
}

// Limit is the most of something. A limit that is left out does not bind.
type Limit struct {
	Max float64 `json:"max" exclusiveMinimum:"0" maximum:"1e12"`
	Why string  `json:"why" minLength:"1" maxLength:"200" doc:"The reason, in a line."`
}

// OverlapLimit is the most shadow-casting lights at one point.
type OverlapLimit struct {
	Max     int    `json:"max" minimum:"1" maximum:"1000"`
	Reserve int    `json:"reserve" minimum:"0" maximum:"1000" doc:"Kept free for lamps that players carry."`
	Why     string `json:"why" minLength:"1" maxLength:"200"`
}

// Limits are what the target refuses to go beyond.
type Limits struct {
	Lights        *Limit        `json:"lights,omitzero" doc:"Lights in all."`
	ZoneLights    *Limit        `json:"zone_lights,omitzero" doc:"Lights in one zone."`
	ViewLights    *Limit        `json:"view_lights,omitzero" doc:"Lights that reach what one viewpoint sees."`
	SurfaceLights *Limit        `json:"surface_lights,omitzero" doc:"Lights that reach one surface."`
	LightSurfaces *Limit        `json:"light_surfaces,omitzero" doc:"Surfaces that one light reaches."`
	ShadowOverlap *OverlapLimit `json:"shadow_overlap,omitzero"`
	LightmapPages *Limit        `json:"lightmap_pages,omitzero"`
	LightmapBytes *Limit        `json:"lightmap_bytes,omitzero" doc:"Of all pages, at bytes_per_texel."`
	PageSize      *Limit        `json:"page_size,omitzero" doc:"Texels along a page."`
	Densities     []float64     `json:"densities,omitzero" maxItems:"64" minimum:"0.01" maximum:"256" doc:"Densities that surfaces may have, texels a metre; any if left out."`
	BytesPerTexel float64       `json:"bytes_per_texel" exclusiveMinimum:"0" maximum:"64" default:"8"`
	Glows         *Limit        `json:"glows,omitzero"`
	FogVolumes    *Limit        `json:"fog_volumes,omitzero"`
	Motes         *Limit        `json:"motes,omitzero" doc:"Specks in the air at once."`
	Probes        *Limit        `json:"probes,omitzero"`
	Reflections   *Limit        `json:"reflections,omitzero"`
	Triangles     *Limit        `json:"triangles,omitzero"`
	GoboSide      *Limit        `json:"gobo_side,omitzero" doc:"Pixels along the image of a gobo."`
	ThinWallM     float64       `json:"thin_wall_m" minimum:"0" maximum:"1" default:"0" doc:"A wall that is thinner than this lets light through there; 0 for none."`
}

// Display is what the target does to light before it is seen.
type Display struct {
	LightMax float64 `json:"light_max" minimum:"0" maximum:"1000" default:"0" doc:"The most light on a surface, on each channel, times white; what is over it is cut. 0 is no limit."`
	Bits     int     `json:"bits" minimum:"4" maximum:"16" default:"8" doc:"Bits of a channel on the display."`
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

// Play is how dark a player may find it, as mean lux on the floor of a zone, and how uneven.
type Play struct {
	StoryLux   float64 `json:"story_lux" minimum:"0" maximum:"1e6" default:"0.5"`
	CompeteLux float64 `json:"compete_lux" minimum:"0" maximum:"1e6" default:"5"`
	Contrast   float64 `json:"contrast" minimum:"1" maximum:"1e6" default:"400" doc:"Where players compete: the most that bright ground may be over dark ground, as a ratio of the 95th to the 5th percentile."`
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
		return nil, withLines(text, level.WithoutBytes(err))
	}
	if err := level.CheckFields(&p); err != nil {
		return nil, withLines(text, err)
	}
	if faults := p.contradictions(); len(faults) > 0 {
		return nil, withLines(text, &level.Invalid{Faults: faults})
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

// Source is the text of a profile that comes with Grotta, with its comments; nil where there is none.
func Source(name string) []byte {
	if !plainName.MatchString(name) {
		return nil
	}
	text, err := shipped.ReadFile("profiles/" + name + ".yaml")
	if err != nil {
		return nil
	}
	return text
}

var plainName = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]{0,63}$`)

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
	return fmt.Sprintf("no platform is called %q; there are %s", e.Name, strings.Join(e.Names, ", "))
}
