package level

import (
	"github.com/go-json-experiment/json/jsontext"
)

// Vec is a point or a direction in metres: x, y, z.
type Vec [3]float64

// Level is the whole document.
type Level struct {
	Format      string         `json:"format" enum:"grotta-level/1" default:"grotta-level/1" doc:"Format and major version."`
	Name        string         `json:"name" minLength:"1" maxLength:"120" default:"Untitled" doc:"What people call it."`
	Note        string         `json:"note,omitzero" maxLength:"2000"`
	Platform    string         `json:"platform,omitzero" maxLength:"64" doc:"Name of the platform profile it is checked against."`
	Lightmap    Lightmap       `json:"lightmap"`
	Environment Environment    `json:"environment"`
	Fog         Fog            `json:"fog"`
	Look        Look           `json:"look"`
	Materials   []*Material    `json:"materials" initial:"[]"`
	Zones       []*Zone        `json:"zones" initial:"[]"`
	Solids      []*Solid       `json:"solids" initial:"[]"`
	Meshes      []*Mesh        `json:"meshes" initial:"[]"`
	Rigs        []*Rig         `json:"rigs" initial:"[]"`
	Lights      []*Light       `json:"lights" initial:"[]"`
	Glows       []*Glow        `json:"glows" initial:"[]"`
	Viewpoints  []*Viewpoint   `json:"viewpoints" initial:"[]"`
	Extra       jsontext.Value `json:",embed" hidden:"true"`
}

// Lightmap says how finely surfaces are sampled and into what pages they go.
type Lightmap struct {
	Density  float64 `json:"density" minimum:"0.25" maximum:"256" default:"6" doc:"Texels per metre where a surface sets none."`
	PageSize int     `json:"page_size" minimum:"64" maximum:"4096" multipleOf:"32" default:"512" doc:"Width and height of a page, in texels."`
}

// Entity is what every placed or named thing has.
type Entity struct {
	ID        string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$" doc:"Stable, unique in the level."`
	Name      string         `json:"name,omitzero" maxLength:"120"`
	Enabled   bool           `json:"enabled" default:"true"`
	Zone      string         `json:"zone,omitzero" maxLength:"64" doc:"Id of a zone; where not set, the zone its position lies in."`
	Tags      []string       `json:"tags,omitzero" maxItems:"32"`
	Note      string         `json:"note,omitzero" maxLength:"2000"`
	Transform Transform      `json:"transform"`
	Parent    string         `json:"parent,omitzero" maxLength:"64" doc:"Id of the entity that carries this one."`
	Rig       string         `json:"rig,omitzero" maxLength:"64" doc:"Id of the rig it belongs to."`
	Extra     jsontext.Value `json:",embed" hidden:"true"`
}

// Transform places an entity in its parent's space.
type Transform struct {
	Position Vec        `json:"position" initial:"[0,0,0]" doc:"Metres."`
	Rotation [4]float64 `json:"rotation" initial:"[0,0,0,1]" doc:"Unit quaternion x, y, z, w."`
}

// Material is how a surface looks and what it sends back.
type Material struct {
	ID       string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name     string         `json:"name,omitzero" maxLength:"120"`
	Color    string         `json:"color" pattern:"^#[0-9a-fA-F]{6}$" default:"#b4b4b4" doc:"Base colour; its linear value is the albedo."`
	Emission float64        `json:"emission" minimum:"0" maximum:"1e9" default:"0" doc:"Nits, of the base colour. Seen, but lights nothing yet."`
	Extra    jsontext.Value `json:",embed" hidden:"true"`
}

// Surface is what one flat face carries. On a solid or mesh it holds for every
// face that has no entry of its own.
type Surface struct {
	Material      string  `json:"material,omitzero" maxLength:"64" doc:"Id of a material; none is a plain grey."`
	Density       float64 `json:"density" minimum:"0" maximum:"256" default:"0" doc:"Texels per metre; 0 takes the level's."`
	Visible       bool    `json:"visible" default:"true"`
	CastsShadow   bool    `json:"casts_shadow" default:"true"`
	Collides      bool    `json:"collides" default:"true"`
	ReceivesLight bool    `json:"receives_light" default:"true"`
}

// Face is the surface of one face, by its index.
type Face struct {
	Index int `json:"index" minimum:"0" maximum:"255"`
	Surface
}

// Plane bounds a solid: points p with normal·p <= distance are inside.
type Plane struct {
	Normal   Vec     `json:"normal"`
	Distance float64 `json:"distance"`
}

// Solid is a convex block: a box by its size, or any convex shape by its planes,
// in its own space. Faces are numbered as the planes are; a box has, in order,
// +x, -x, +y, -y, +z, -z.
type Solid struct {
	Entity
	Size    Vec     `json:"size,omitzero" minimum:"0" doc:"Metres, of a box centred on the position; leave out where planes are given."`
	Planes  []Plane `json:"planes,omitzero" maxItems:"256"`
	Surface Surface `json:"surface"`
	Faces   []Face  `json:"faces,omitzero" maxItems:"256"`
}

// Mesh is an indexed triangle mesh, counter-clockwise seen from outside, in its
// own space.
type Mesh struct {
	Entity
	Positions []float64 `json:"positions" doc:"x, y, z of each vertex, metres."`
	Indices   []uint32  `json:"indices" doc:"Three vertices of each triangle."`
	Surface   Surface   `json:"surface"`
}

// Box is an axis-aligned region.
type Box struct {
	Min Vec `json:"min"`
	Max Vec `json:"max"`
}

// Zone is a named region with its own ambient. Where zones overlap, the higher
// priority holds, then the smaller volume.
type Zone struct {
	ID       string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name     string         `json:"name,omitzero" maxLength:"120"`
	Boxes    []Box          `json:"boxes" initial:"[]" maxItems:"64"`
	Priority int            `json:"priority" minimum:"-1000" maximum:"1000" default:"0"`
	Mode     string         `json:"mode" enum:"indoor,outdoor" default:"indoor"`
	Ambient  *Ambient       `json:"ambient,omitzero" doc:"Takes the place of the level's inside."`
	Play     string         `json:"play" enum:"none,compete,story" default:"none" doc:"What a player does here, so how dark it may be."`
	Extra    jsontext.Value `json:",embed" hidden:"true"`
}

// Light kinds that can be computed.
const (
	Point       = "point"
	Spot        = "spot"
	Directional = "directional"
)

// Light is a source without a body. It shines along its own -Z.
type Light struct {
	Entity
	Kind       string  `json:"kind" enum:"point,spot,directional" default:"point"`
	Color      string  `json:"color,omitzero" pattern:"^#[0-9a-fA-F]{6}$" doc:"sRGB; leave out for the rig's key colour, or white."`
	Kelvin     float64 `json:"kelvin,omitzero" minimum:"1000" maximum:"40000" doc:"Colour temperature, in place of a colour; luminance 1."`
	Strength   float64 `json:"strength" minimum:"0" maximum:"1e9" default:"100" doc:"Candela (point, spot) or lux (directional)."`
	RangeM     float64 `json:"range_m" minimum:"0" maximum:"100000" default:"0" doc:"Metres to where it ends; 0 is unbounded."`
	InnerDeg   float64 `json:"inner_deg" minimum:"0" maximum:"89.9" default:"25" doc:"Spot: from the axis to where it starts to fade."`
	OuterDeg   float64 `json:"outer_deg" exclusiveMinimum:"0" maximum:"89.9" default:"40" doc:"Spot: from the axis to where it ends."`
	RadiusM    float64 `json:"radius_m" minimum:"0" maximum:"100" default:"0" doc:"Point, spot: radius of the shining ball; softens shadows."`
	AngularDeg float64 `json:"angular_deg" minimum:"0" maximum:"90" default:"0" doc:"Directional: how wide its disc stands in the sky; softens shadows."`
	Shadows    Shadows `json:"shadows"`
}

// Shadows says how a light is stopped.
type Shadows struct {
	Cast  bool    `json:"cast" default:"true"`
	NearM float64 `json:"near_m" minimum:"0" maximum:"1000" default:"0" doc:"What is closer to the source than this casts no shadow, such as its own fixture."`
}

// Glow is a camera-facing sprite round a source.
type Glow struct {
	Entity
	SizeM     float64 `json:"size_m" exclusiveMinimum:"0" maximum:"1000" default:"0.6" doc:"Diameter, metres."`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"50" doc:"Nits in its middle."`
	Color     string  `json:"color,omitzero" pattern:"^#[0-9a-fA-F]{6}$"`
	ColorFrom string  `json:"color_from,omitzero" maxLength:"64" doc:"Id of the light whose colour it takes and with which it goes out."`
}

// Ambient is light that comes evenly from everywhere, unshadowed.
type Ambient struct {
	Color    string  `json:"color" pattern:"^#[0-9a-fA-F]{6}$" default:"#ffffff"`
	Strength float64 `json:"strength" minimum:"0" maximum:"1e9" default:"0" doc:"Lux on every surface."`
}

// Environment is what surrounds the level.
type Environment struct {
	Mode    string         `json:"mode" enum:"indoor,outdoor" default:"outdoor"`
	Ambient Ambient        `json:"ambient"`
	Sky     Sky            `json:"sky"`
	Extra   jsontext.Value `json:",embed" hidden:"true"`
}

// Sky is what is seen where there is no surface. It lights nothing yet; that is
// the ambient's part.
type Sky struct {
	Color     string  `json:"color" pattern:"^#[0-9a-fA-F]{6}$" default:"#1c2430"`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"1" doc:"Nits of a white sky; the colour scales it."`
}

// Fog is the air.
type Fog struct {
	Haze  Haze           `json:"haze"`
	Extra jsontext.Value `json:",embed" hidden:"true"`
}

// Haze hides what is far. With a density it follows exp(-density d) from its
// start on; else it grows evenly from start to end.
type Haze struct {
	Enabled   bool    `json:"enabled" default:"false"`
	StartM    float64 `json:"start_m" minimum:"0" maximum:"100000" default:"10"`
	EndM      float64 `json:"end_m" minimum:"0" maximum:"100000" default:"200"`
	Density   float64 `json:"density" minimum:"0" maximum:"100" default:"0" doc:"Per metre; 0 uses start and end."`
	Max       float64 `json:"max" minimum:"0" maximum:"1" default:"0.9" doc:"The most it hides."`
	Color     string  `json:"color" pattern:"^#[0-9a-fA-F]{6}$" default:"#3a4450"`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"1" doc:"Nits of a white haze; the colour scales it."`
}

// Look is what happens after the light.
type Look struct {
	ExposureEV float64        `json:"exposure_ev" minimum:"-10" maximum:"25" default:"6" doc:"EV at ISO 100: white is 1.2 x 2^EV nits."`
	Tone       string         `json:"tone" enum:"clamp,filmic" default:"filmic"`
	Extra      jsontext.Value `json:",embed" hidden:"true"`
}

// Rig is a fixture and its light, glow and other parts as one named group.
// Members say they belong by their rig field.
type Rig struct {
	ID          string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name        string         `json:"name,omitzero" maxLength:"120"`
	KeyColor    string         `json:"key_color,omitzero" pattern:"^#[0-9a-fA-F]{6}$" doc:"Colour of its lights that have none of their own."`
	KeyKelvin   float64        `json:"key_kelvin,omitzero" minimum:"1000" maximum:"40000"`
	KeyStrength float64        `json:"key_strength" minimum:"0" maximum:"1e6" default:"1" doc:"Multiplies the strength of its lights."`
	Note        string         `json:"note,omitzero" maxLength:"2000"`
	Preset      string         `json:"preset,omitzero" maxLength:"120" doc:"The preset and version it came from."`
	Extra       jsontext.Value `json:",embed" hidden:"true"`
}

// Viewpoint is a saved camera.
type Viewpoint struct {
	Entity
	FovDeg float64 `json:"fov_deg" minimum:"5" maximum:"150" default:"60" doc:"Vertical field of view."`
}
