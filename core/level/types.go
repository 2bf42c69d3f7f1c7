package level

import (
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/photometry"
	"grotta/core/picture"
)

// Vec is a point or a direction in metres: x, y, z.
type Vec [3]float64

// Level is the whole document.
type Level struct {
	Format      string          `json:"format" enum:"grotta-level/1" default:"grotta-level/1" doc:"Format and major version."`
	Name        string          `json:"name" minLength:"1" maxLength:"120" default:"Untitled" doc:"What people call it."`
	Note        string          `json:"note,omitzero" maxLength:"2000"`
	Platform    string          `json:"platform,omitzero" maxLength:"64" doc:"Name of the platform profile it is checked against."`
	AlsoFor     []string        `json:"also_for,omitzero" maxItems:"8" doc:"Names of further platforms that it is made for and checked against."`
	Lightmap    Lightmap        `json:"lightmap"`
	Environment Environment     `json:"environment"`
	Fog         Fog             `json:"fog"`
	Look        Look            `json:"look"`
	Images      []*Image        `json:"images" initial:"[]" maxItems:"20000"`
	Materials   []*Material     `json:"materials" initial:"[]" maxItems:"20000"`
	Zones       []*Zone         `json:"zones" initial:"[]" maxItems:"20000"`
	Solids      []*Solid        `json:"solids" initial:"[]" maxItems:"20000"`
	Geometries  []*Geometry     `json:"geometries" initial:"[]" maxItems:"20000"`
	Meshes      []*Mesh         `json:"meshes" initial:"[]" maxItems:"20000"`
	Rigs        []*Rig          `json:"rigs" initial:"[]" maxItems:"20000"`
	Lights      []*Light        `json:"lights" initial:"[]" maxItems:"20000"`
	Glows       []*Glow         `json:"glows" initial:"[]" maxItems:"20000"`
	FogVolumes  []*FogVolume    `json:"fog_volumes" initial:"[]" maxItems:"20000"`
	Beams       []*Beam         `json:"beams" initial:"[]" maxItems:"20000"`
	Motes       []*Motes        `json:"motes" initial:"[]" maxItems:"20000"`
	Viewpoints  []*Viewpoint    `json:"viewpoints" initial:"[]" maxItems:"20000"`
	Paths       []*Path         `json:"paths" initial:"[]" maxItems:"20000"`
	Probes      []*ProbeGrid    `json:"probes" initial:"[]" maxItems:"20000"`
	Reflections []*Reflection   `json:"reflections" initial:"[]" maxItems:"20000"`
	Mixes       []*Mix          `json:"mixes" initial:"[]" maxItems:"1000"`
	Profiles    []*LightProfile `json:"profiles" initial:"[]" maxItems:"1000"`
	Imports     []*Import       `json:"imports" initial:"[]" maxItems:"1000"`
	Waivers     []*Waiver       `json:"waivers" initial:"[]" maxItems:"2000"`
	Extra       jsontext.Value  `json:",embed" hidden:"true"`
}

// Lightmap says how finely surfaces are sampled and into what pages they go.
type Lightmap struct {
	Density  float64 `json:"density" minimum:"0.25" maximum:"256" default:"6" doc:"Texels per metre where a surface sets none."`
	PageSize int     `json:"page_size" minimum:"64" maximum:"4096" multipleOf:"32" default:"512" doc:"Width and height of a page, in texels."`
	Bounces  bool    `json:"bounces" default:"true" doc:"Light that surfaces send on, coloured by them, until nothing is left of it."`
	Denoise  bool    `json:"denoise" default:"true" doc:"Smooth what came by bounces and from the sky, and the noise of samples in wide penumbras; edges of shadows stay as they are."`
	Backs    string  `json:"backs" enum:"stop,pass" default:"stop" doc:"Whether the back of a one-sided surface stops direct light; platforms differ."`
	Patches  bool    `json:"sky_patches" default:"false" doc:"Bake the sky as 145 layers, so that another sky, hour or rotation is a mix."`
}

// Entity is what every placed or named thing has.
type Entity struct {
	ID        string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$" doc:"Stable, unique in the level."`
	Name      string         `json:"name,omitzero" maxLength:"120"`
	Enabled   bool           `json:"enabled" default:"true"`
	Zone      string         `json:"zone,omitzero" maxLength:"64" refers:"zones" doc:"Id of a zone; where not set, the zone its position lies in."`
	Tags      []string       `json:"tags,omitzero" maxItems:"32"`
	Note      string         `json:"note,omitzero" maxLength:"2000"`
	Transform Transform      `json:"transform"`
	Parent    string         `json:"parent,omitzero" maxLength:"64" refers:"placed" doc:"Id of the entity that carries this one."`
	Rig       string         `json:"rig,omitzero" maxLength:"64" refers:"rigs" doc:"Id of the rig it belongs to."`
	Extra     jsontext.Value `json:",embed" hidden:"true"`
}

// Transform places an entity in its parent's space.
type Transform struct {
	Position Vec        `json:"position" initial:"[0,0,0]" doc:"Metres."`
	Rotation [4]float64 `json:"rotation" initial:"[0,0,0,1]" doc:"Unit quaternion x, y, z, w."`
}

// Image is a picture that a sky, a gobo or a material shows.
type Image struct {
	ID      string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name    string         `json:"name,omitzero" maxLength:"120"`
	Data    []byte         `json:"data" doc:"PNG, JPEG or Radiance HDR, in base64."`
	Credit  string         `json:"credit,omitzero" maxLength:"200" doc:"Whom to name when it is shown."`
	Licence string         `json:"licence,omitzero" maxLength:"120"`
	Extra   jsontext.Value `json:",embed" hidden:"true"`

	picture *picture.Picture // what Decode made of the data
}

// Import remembers how a file was read that came in, so that it is read alike when it comes again.
type Import struct {
	ID       string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	File     string         `json:"file" minLength:"1" maxLength:"255" doc:"What the file is called, without its folder."`
	UnitM    float64        `json:"unit_m" exclusiveMinimum:"0" maximum:"10000" default:"1" doc:"Metres in a unit of the file."`
	Up       string         `json:"up" enum:"y,z" default:"y" doc:"The file's axis that points up."`
	Forward  string         `json:"forward,omitzero" enum:"x,-x,y,-y,z,-z" doc:"The file's axis that points north; none for the usual one of its up."`
	Handed   string         `json:"handed,omitzero" enum:"right,left" doc:"Of the file's axes; none is right."`
	Scene    string         `json:"scene,omitzero" maxLength:"120" doc:"glTF: the scene that was read; none for the one that the file opens with."`
	At       Vec            `json:"at,omitzero" minimum:"-32000" maximum:"32000" doc:"Where the file's origin stands in the level, metres."`
	TurnDeg  float64        `json:"turn_deg,omitzero" minimum:"-360" maximum:"360" doc:"How far the file is turned there, clockwise seen from above."`
	TerrainM float64        `json:"terrain_m,omitzero" minimum:"0" maximum:"100000" doc:"Of terrain: how wide it is."`
	HeightM  float64        `json:"height_m,omitzero" minimum:"0" maximum:"10000" doc:"Of terrain: from black to white."`
	Cells    int            `json:"cells,omitzero" minimum:"0" maximum:"1024" doc:"Of terrain: along its longer side; 0 for one a pixel, at most 192."`
	Rules    string         `json:"rules,omitzero" maxLength:"200" doc:"The preset of import rules that held, [owner/]name[@version]."`
	Platform string         `json:"platform,omitzero" maxLength:"200" doc:"The platform whose import rules held where no others were said."`
	Extra    jsontext.Value `json:",embed" hidden:"true"`
}

// Waiver says that a finding of the checks is known and meant, and why.
type Waiver struct {
	ID     string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Rule   string         `json:"rule" pattern:"^[a-z]+\\.[a-z-]+$" maxLength:"64" doc:"The rule, such as limits.lights."`
	About  []string       `json:"about,omitzero" maxItems:"20000" doc:"Ids of entities; it holds for findings about nothing else. None for findings about no entity."`
	Zone   string         `json:"zone,omitzero" maxLength:"64" doc:"The zone of the finding, if it has one."`
	Reason string         `json:"reason" minLength:"1" maxLength:"400" doc:"Why it is meant."`
	By     string         `json:"by,omitzero" maxLength:"64" doc:"Who waived it."`
	Extra  jsontext.Value `json:",embed" hidden:"true"`
}

// LightProfile says how a luminaire shines in each direction.
type LightProfile struct {
	ID      string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name    string         `json:"name,omitzero" maxLength:"120"`
	Data    []byte         `json:"data" doc:"IES LM-63 (1986 to 2002), photometry of type C, in base64."`
	Credit  string         `json:"credit,omitzero" maxLength:"200" doc:"Whom to name when it is used."`
	Licence string         `json:"licence,omitzero" maxLength:"120"`
	Extra   jsontext.Value `json:",embed" hidden:"true"`

	shape *photometry.Profile // what Read made of the data
}

// Material is how a surface looks and what it sends back.
type Material struct {
	ID           string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name         string         `json:"name,omitzero" maxLength:"120"`
	Color        string         `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#b4b4b4" doc:"Base colour; its linear value is the albedo."`
	Emission     float64        `json:"emission" minimum:"0" maximum:"1e9" default:"0" doc:"Nits, of the base colour; a source of light like any other."`
	TwoSided     bool           `json:"two_sided" default:"false" doc:"A mesh has two sides, each with light of its own, as of cloth, leaves or paper; else its back is dark."`
	Translucency float64        `json:"translucency" minimum:"0" maximum:"1" default:"0" doc:"Share of the light that a mesh scatters that leaves on its other side, such as 0.4 of a curtain or 0.5 of a leaf. A mesh with any has two sides."`
	Metalness    float64        `json:"metalness" minimum:"0" maximum:"1" default:"0" doc:"1 for a metal, which mirrors in its base colour; 0 for all else, which mirrors 4 % of what falls on it straight, and more aslant."`
	Roughness    float64        `json:"roughness" minimum:"0" maximum:"1" default:"1" doc:"How wide a surface spreads what it mirrors: 0 is a mirror; from 0.7 it passes over to matt, which is 1."`
	Porosity     float64        `json:"porosity" minimum:"0" maximum:"1" default:"0.5" doc:"How much water it takes in where it is wet, which darkens it: 1 for sand and cloth, 0 for glass and glazed tiles. A metal takes none."`
	Water        *Water         `json:"water,omitzero" doc:"Fills blocks of the material with water, which mirrors, tints and lets light through; its colour is what deep water sends back. What shines is no water. Leave out for none."`
	Lighting     string         `json:"lighting" enum:"baked,dynamic" default:"baked" doc:"Dynamic surfaces take no lightmap; probes light them."`
	Image        string         `json:"image,omitzero" maxLength:"64" refers:"images" doc:"Id of an image that multiplies the colour."`
	ImageM       float64        `json:"image_m" exclusiveMinimum:"0" maximum:"1000" default:"1" doc:"Metres that one repeat of the image covers, where a mesh has no uvs."`
	Cutoff       float64        `json:"alpha_cutoff" minimum:"0" maximum:"1" default:"0" doc:"What of the image is less solid than this lets light through; 0 is all solid."`
	Extra        jsontext.Value `json:",embed" hidden:"true"`

	soaked float64 // share of it that is dark with water; see Wet
}

// HasTwoSides tells whether both sides of a mesh are lit.
func (m *Material) HasTwoSides() bool { return m.TwoSided || m.Translucency > 0 }

// Surface is what one flat face carries. On a solid or mesh it holds for every
// face that has no entry of its own.
type Surface struct {
	Material      string  `json:"material,omitzero" maxLength:"64" refers:"materials" doc:"Id of a material; none is a plain grey."`
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
	Carrier
}

// Carrier says what may become of a thing while the level is played, and so of a
// light that it carries.
type Carrier struct {
	Moves     bool `json:"moves,omitzero" required:"false" doc:"It moves; a light that it carries cannot be baked."`
	Breakable bool `json:"breakable,omitzero" required:"false" doc:"It can be broken; a baked light that it carries would shine on."`
}

// Triangles is an indexed triangle mesh, counter-clockwise seen from outside.
type Triangles struct {
	Positions []float64 `json:"positions,omitzero" maxItems:"18000000" doc:"x, y, z of each vertex, metres."`
	Indices   []uint32  `json:"indices,omitzero" maxItems:"6000000" doc:"Three vertices of each triangle."`
	UVs       []float64 `json:"uvs,omitzero" maxItems:"12000000" doc:"u, v of each vertex in its material's image; v runs down."`
	Normals   []float64 `json:"normals,omitzero" maxItems:"18000000" doc:"x, y, z of the direction that each vertex faces, of any length: the mesh is lit as a curved surface. Leave out for flat triangles."`
}

// Geometry is triangles that several meshes show, each in its place.
type Geometry struct {
	ID   string `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name string `json:"name,omitzero" maxLength:"120"`
	Triangles
	Extra jsontext.Value `json:",embed" hidden:"true"`
}

// Mesh is triangles in their place: its own, or those of a geometry, which several meshes show.
// In a validated level a mesh with a geometry holds the triangles of that, shared and not copied.
type Mesh struct {
	Entity
	Geometry string `json:"geometry,omitzero" maxLength:"64" refers:"geometries" doc:"Id of the geometry that it shows; leave out its own positions, indices, uvs and normals then."`
	Scale    Vec    `json:"scale,omitzero" exclusiveMinimum:"0" maximum:"10000" doc:"Times its positions along each of its own axes; leave out for 1. What it carries is not scaled."`
	Triangles
	Surface Surface `json:"surface"`
	Sways   *Sway   `json:"sways,omitzero" doc:"How it bends with the wind; leave out for not at all."`
	Carrier
}

// Sway is how a mesh bends with the wind, its foot fast and its top most.
type Sway struct {
	ReachM  float64 `json:"reach_m" minimum:"0" maximum:"100" default:"0.3" doc:"How far a wind of 10 m/s takes its top, metres."`
	PeriodS float64 `json:"period_s" minimum:"0.1" maximum:"600" default:"2.5" doc:"Seconds of one swing."`
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
	Fog      *Fog           `json:"fog,omitzero" doc:"Takes the place of the level's for an eye inside."`
	Look     *Look          `json:"look,omitzero" doc:"Takes the place of the level's for an eye inside."`
	Wetness  *float64       `json:"wetness,omitzero" minimum:"0" maximum:"1" doc:"Takes the place of the level's for surfaces whose middle lies inside."`
	BlendM   float64        `json:"blend_m" minimum:"0" maximum:"1000" default:"1" doc:"Metres inside its border over which its fog and look come in."`
	Play     string         `json:"play" enum:"none,compete,story" default:"none" doc:"What a player does here, so how dark it may be."`
	Extra    jsontext.Value `json:",embed" hidden:"true"`
}

// Light kinds.
const (
	Point       = "point"       // a point, or a ball with a radius, to all sides
	Spot        = "spot"        // a cone
	Dome        = "dome"        // one half-space, evenly
	Directional = "directional" // parallel, from a disc in the sky
	BoxLight    = "box"         // parallel, through a rectangle
	Rect        = "rect"        // a shining rectangle, one side
	Tube        = "tube"        // a shining cylinder
)

// Falloff laws of lights that have a place.
const (
	InverseSquare = "inverse_square" // 1/d², windowed to the range where there is one
	Linear        = "linear"         // 1 - d/range
	Smooth        = "smooth"         // (1 - (d/range)²)²
	Custom        = "custom"         // 1 / (a + b d + c d²)
)

// Light is a source without a body. It shines along its own -Z; a tube lies
// along its own X.
type Light struct {
	Entity
	Kind         string   `json:"kind" enum:"point,spot,dome,directional,box,rect,tube" default:"point"`
	Color        string   `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" doc:"sRGB; leave out for the rig's key colour, or white."`
	Kelvin       float64  `json:"kelvin,omitzero" minimum:"1000" maximum:"40000" doc:"Colour temperature, in place of a colour; luminance 1."`
	Strength     float64  `json:"strength" minimum:"0" maximum:"1e9" default:"100" doc:"Candela (point, spot, dome), lux (directional, box) or nits (rect, tube)."`
	RangeM       float64  `json:"range_m" minimum:"0" maximum:"100000" default:"0" doc:"Metres to where it ends; 0 is unbounded."`
	Falloff      string   `json:"falloff" enum:"inverse_square,linear,smooth,custom" default:"inverse_square" doc:"How point, spot and dome weaken; linear and smooth end at range_m."`
	FalloffTerms Vec      `json:"falloff_terms" minimum:"0" maximum:"1e6" initial:"[0,0,1]" doc:"a, b, c of the custom falloff 1 / (a + b d + c d²)."`
	InnerDeg     float64  `json:"inner_deg" minimum:"0" maximum:"89.9" default:"25" doc:"Spot: from the axis to where it starts to fade."`
	OuterDeg     float64  `json:"outer_deg" exclusiveMinimum:"0" maximum:"89.9" default:"40" doc:"Spot: from the axis to where it ends."`
	RadiusM      float64  `json:"radius_m" minimum:"0" maximum:"100" default:"0" doc:"Point, spot, dome: radius of the shining ball, which softens shadows. Tube: its own; 0 counts as 0.01."`
	AngularDeg   float64  `json:"angular_deg" minimum:"0" maximum:"90" default:"0" doc:"Directional, box: how wide its disc stands in the sky; softens shadows."`
	WidthM       float64  `json:"width_m" exclusiveMinimum:"0" maximum:"10000" default:"1" doc:"Rect, box: metres along its own X."`
	HeightM      float64  `json:"height_m" exclusiveMinimum:"0" maximum:"10000" default:"1" doc:"Rect, box: metres along its own Y."`
	LengthM      float64  `json:"length_m" exclusiveMinimum:"0" maximum:"1000" default:"1.2" doc:"Tube: metres along its own X."`
	BounceScale  float64  `json:"bounce_scale" minimum:"0" maximum:"10" default:"1" doc:"Multiplies what of its light comes by bounces; 1 is as in nature."`
	Bake         string   `json:"bake" enum:"baked,dynamic,both" default:"baked" doc:"How the platform is to have it: in the lightmap, by itself at run time, or both."`
	FogShare     float64  `json:"fog_share" minimum:"0" maximum:"100" default:"0" doc:"How strongly lit fog shows it; 1 is as in nature, 0 not at all."`
	Surfaces     bool     `json:"lights_surfaces" default:"true" doc:"It lights surfaces; off, it lights fog alone."`
	Follows      string   `json:"follows" enum:"none,sun,moon" default:"none" doc:"Directional, box: takes direction, colour and strength from there."`
	Flicker      *Flicker `json:"flicker,omitzero" doc:"How it changes in time."`
	Gobo         *Gobo    `json:"gobo,omitzero" doc:"Spot: an image that it projects."`
	Profile      string   `json:"profile,omitzero" maxLength:"64" refers:"profiles" doc:"Point, spot: id of a profile; the strength is that of its brightest direction. Its axis is the light's own -Z; its horizontal angles turn from the light's +X toward +Y."`
	Shadows      Shadows  `json:"shadows"`
}

// Flicker changes a light's strength in time, the same on every machine.
type Flicker struct {
	Pattern string  `json:"pattern" enum:"candle,faulty,pulse" default:"candle" doc:"An uneasy flame, a failing tube, or an even swell."`
	RateHz  float64 `json:"rate_hz" exclusiveMinimum:"0" maximum:"60" default:"6" doc:"Changes a second."`
	Depth   float64 `json:"depth" minimum:"0" maximum:"1" default:"0.35" doc:"How far it dips: 1 goes dark."`
}

// Gobo is an image in front of a spot light.
type Gobo struct {
	Image  string  `json:"image" maxLength:"64" refers:"images" clears:"." doc:"Id of the image; white lets all light through."`
	FovDeg float64 `json:"fov_deg" exclusiveMinimum:"0" maximum:"170" default:"60" doc:"How wide the image opens, degrees."`
	FocusM float64 `json:"focus_m" minimum:"0" maximum:"100000" default:"5" doc:"Metres to where it is sharp."`
	Blur   float64 `json:"blur" minimum:"0" maximum:"1" default:"0" doc:"How soft it is away from there: the share of the image that is averaged at twice the focus."`
	Spill  float64 `json:"spill" minimum:"0" maximum:"1" default:"0" doc:"Share of the light that goes past the image."`
}

// Shadows says how a light is stopped.
type Shadows struct {
	Cast     bool    `json:"cast" default:"true"`
	Softness float64 `json:"softness" minimum:"0" maximum:"4" default:"1" doc:"Multiplies the source's size for the edges of its shadows alone."`
	NearM    float64 `json:"near_m" minimum:"0" maximum:"1000" default:"0" doc:"What is closer to the source than this casts no shadow, such as its own fixture."`
	ReachM   float64 `json:"reach_m" minimum:"0" maximum:"100000" default:"0" doc:"Surfaces farther from the source than this get no shadow from it; 0 is no end."`
	FadeM    float64 `json:"fade_m" minimum:"0" maximum:"100000" default:"1" doc:"Shadows fade over this much before reach_m."`
	Depth    float64 `json:"depth" minimum:"0" maximum:"1" default:"1" doc:"How much of the light a shadow takes away."`
}

// Ambient is light that comes evenly from everywhere, unshadowed.
type Ambient struct {
	Color    string  `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#ffffff"`
	Strength float64 `json:"strength" minimum:"0" maximum:"1e9" default:"0" doc:"Lux on every surface."`
	SkyFill  float64 `json:"sky_fill" minimum:"0" maximum:"10" default:"0" doc:"Adds this share of what the sky sends to open level ground, in the sky's colour, to every surface and unshadowed."`
}

// Environment is what surrounds the level.
type Environment struct {
	Mode    string         `json:"mode" enum:"indoor,outdoor" default:"outdoor" doc:"Some platforms leave lights out by it; the checks say which."`
	Ambient Ambient        `json:"ambient"`
	Sun     *Sun           `json:"sun,omitzero" doc:"Leave out for none."`
	Moon    *Sun           `json:"moon,omitzero" doc:"Leave out for none."`
	Sky     Sky            `json:"sky"`
	Stars   Stars          `json:"stars"`
	Wind    Wind           `json:"wind"`
	Wetness float64        `json:"wetness" minimum:"0" maximum:"1" default:"0" doc:"How wet surfaces are outdoors: 1 is a film of water, which darkens what is porous and mirrors."`
	Extra   jsontext.Value `json:",embed" hidden:"true"`
}

// Sun is a disc in the sky, the sun's or the moon's. It stands at its azimuth
// and altitude, or, where a place is given, where that day and hour put it.
type Sun struct {
	Enabled     bool    `json:"enabled" default:"true"`
	AzimuthDeg  float64 `json:"azimuth_deg" minimum:"-360" maximum:"360" default:"150" doc:"Clockwise from north, seen from above; the level's north is -Z and its east is +X."`
	AltitudeDeg float64 `json:"altitude_deg" minimum:"-90" maximum:"90" default:"35" doc:"Above the horizon; below it the disc lights nothing."`
	Place       *Place  `json:"place,omitzero" doc:"Takes the place of both angles."`
	NorthDeg    float64 `json:"north_deg" minimum:"-360" maximum:"360" default:"0" doc:"Turns the level's north clockwise from -Z."`
	Color       string  `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$"`
	Kelvin      float64 `json:"kelvin,omitzero" minimum:"1000" maximum:"40000" doc:"In place of a colour."`
	Lux         float64 `json:"lux" minimum:"0" maximum:"1e9" default:"60000" doc:"On a surface that faces it."`
	AngularDeg  float64 `json:"angular_deg" minimum:"0" maximum:"90" default:"0.53" doc:"How wide the disc is; softens shadows."`
	FogShare    float64 `json:"fog_share" minimum:"0" maximum:"100" default:"0" doc:"How strongly lit fog shows it; 1 is as in nature, 0 not at all."`
	Disc        Disc    `json:"disc"`
	Shadows     Shadows `json:"shadows"`
}

// Disc is a sun or moon as it is seen. It stands where its light comes from,
// unless cut from it.
type Disc struct {
	Shown       bool    `json:"shown" default:"true"`
	AngularDeg  float64 `json:"angular_deg" minimum:"0" maximum:"90" default:"0" doc:"How wide it looks; 0 is as wide as it shines."`
	Luminance   float64 `json:"luminance" minimum:"0" maximum:"2e9" default:"0" doc:"Nits; 0 is what its light comes to over its width."`
	Cut         bool    `json:"cut" default:"false" doc:"It stands at its own angles, not where the light comes from."`
	AzimuthDeg  float64 `json:"azimuth_deg" minimum:"-360" maximum:"360" default:"150"`
	AltitudeDeg float64 `json:"altitude_deg" minimum:"-90" maximum:"90" default:"35"`
}

// Stars are points of light over the sky, the same in every level.
type Stars struct {
	Count int     `json:"count" minimum:"0" maximum:"5000" default:"0"`
	Lux   float64 `json:"lux" minimum:"0" maximum:"1" default:"0.00002" doc:"Of the brightest at the eye; seen only, they light nothing."`
}

// Wind is how the air moves.
type Wind struct {
	FromDeg  float64 `json:"from_deg" minimum:"-360" maximum:"360" default:"250" doc:"Azimuth that it comes from, clockwise from north."`
	SpeedMps float64 `json:"speed_mps" minimum:"0" maximum:"60" default:"0" doc:"Metres a second; it carries motes and bends what sways."`
}

// Place is where and when, for a sun or moon by the almanac.
type Place struct {
	LatitudeDeg  float64 `json:"latitude_deg" minimum:"-90" maximum:"90" default:"54.5" doc:"North is positive."`
	LongitudeDeg float64 `json:"longitude_deg" minimum:"-180" maximum:"180" default:"8.7" doc:"East is positive."`
	At           string  `json:"at" pattern:"^\\d{4}-\\d{2}-\\d{2}T\\d{2}:\\d{2}(:\\d{2})?Z$" default:"2026-06-21T12:00:00Z" doc:"Date and time, UTC."`
}

// Sky kinds.
const (
	SkySolid    = "solid"
	SkyGradient = "gradient"
	SkyClear    = "clear"
	SkyOvercast = "overcast"
	SkyImage    = "image"
)

// Sky is what is seen where there is no surface, and what of it lights.
type Sky struct {
	Kind         string  `json:"kind" enum:"solid,gradient,clear,overcast,image" default:"solid" doc:"One colour; from horizon to zenith; the clear or overcast sky of the CIE; or an image."`
	Color        string  `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#1c2430" doc:"Of the zenith."`
	HorizonColor string  `json:"horizon_color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#8a8f94" doc:"Gradient: where sky and ground meet."`
	GroundColor  string  `json:"ground_color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#1a1a18" doc:"Gradient, clear, overcast: below the horizon."`
	Luminance    float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"0" doc:"Nits of a white zenith, which the colour scales; multiplies an image."`
	Image        string  `json:"image,omitzero" maxLength:"64" refers:"images" clears:"kind" doc:"Id of an equirectangular image; its middle is north."`
	Lights       bool    `json:"lights" default:"true" doc:"It lights the level, not only the view."`
	RotationDeg  float64 `json:"rotation_deg" minimum:"-360" maximum:"360" default:"0" doc:"About the vertical, clockwise from above."`
}

// Rig is a fixture and its light, glow and other parts as one named group.
// Members say they belong by their rig field.
type Rig struct {
	ID          string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name        string         `json:"name,omitzero" maxLength:"120"`
	KeyColor    string         `json:"key_color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" doc:"Colour of its lights that have none of their own."`
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

// Path is a camera's way through a level.
type Path struct {
	Entity
	Keys []Key `json:"keys" minItems:"0" maxItems:"1000" initial:"[]" doc:"In order of time."`
}

// Key is where a path's camera is at a time.
type Key struct {
	AtS      float64    `json:"at_s" minimum:"0" maximum:"3600"`
	Position Vec        `json:"position"`
	Rotation [4]float64 `json:"rotation" initial:"[0,0,0,1]" doc:"Unit quaternion x, y, z, w; the camera looks along -Z."`
	FovDeg   float64    `json:"fov_deg" minimum:"5" maximum:"150" default:"60"`
}

// ProbeGrid is a box of air, centred on its position and along the axes, in which
// light is captured for things that move.
type ProbeGrid struct {
	Entity
	Size     Vec     `json:"size" exclusiveMinimum:"0" initial:"[4,2,4]" doc:"Metres."`
	SpacingM float64 `json:"spacing_m" minimum:"0.1" maximum:"1000" default:"1" doc:"The most between two probes."`
}

// Reflection is a point from which a cube of the surroundings is captured, for
// things that mirror within its box.
type Reflection struct {
	Entity
	Size Vec `json:"size" exclusiveMinimum:"0" initial:"[6,4,6]" doc:"Metres: the box, along the axes, of what it serves."`
	Side int `json:"side" minimum:"16" maximum:"512" multipleOf:"16" default:"64" doc:"Texels along a face; 16, 32, 64, 128, 256 or 512."`
}
