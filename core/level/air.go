package level

import "github.com/go-json-experiment/json/jsontext"

// Where lit fog shows light.
const (
	LitNowhere    = "none"
	LitVolumes    = "volumes"
	LitEverywhere = "everywhere"
)

// Fog is the air: what of it is everywhere. Fog volumes stand beside it.
type Fog struct {
	Haze   Haze           `json:"haze"`
	Height HeightFog      `json:"height"`
	Lit    string         `json:"lit" enum:"none,volumes,everywhere" default:"volumes" doc:"Where lights with a fog share show in it: nowhere, in fog volumes that ask for it, or in all of the level."`
	Phase  float64        `json:"phase" minimum:"-0.9" maximum:"0.9" default:"0.4" doc:"Which way lit fog sends light: 0 evenly, toward 0.9 onward, so that it is brightest against the light."`
	Extra  jsontext.Value `json:",embed" hidden:"true"`
}

// Haze hides what is far. With a density it follows exp(-density d) from its
// start on; else it grows evenly from start to end.
type Haze struct {
	Enabled   bool    `json:"enabled" default:"false"`
	StartM    float64 `json:"start_m" minimum:"0" maximum:"100000" default:"10"`
	EndM      float64 `json:"end_m" minimum:"0" maximum:"100000" default:"200"`
	Density   float64 `json:"density" minimum:"0" maximum:"100" default:"0" doc:"Per metre; 0 uses start and end."`
	Max       float64 `json:"max" minimum:"0" maximum:"1" default:"0.9" doc:"The most it hides."`
	SkyShare  float64 `json:"sky_share" minimum:"0" maximum:"1" default:"1" doc:"How much of that holds for the sky, its sun, moon and stars."`
	Color     string  `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#3a4450"`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"1" doc:"Nits of a white haze; the colour scales it."`
	ColorFrom string  `json:"color_from,omitzero" maxLength:"64" refers:"lights" or:"sky" doc:"\"sky\" for the sky's own radiance at the horizon, or the id of a light for its colour."`
}

// HeightFog lies low: its density is even up to its base and falls by e with
// every falloff_m above.
type HeightFog struct {
	Enabled   bool    `json:"enabled" default:"false"`
	BaseM     float64 `json:"base_m" minimum:"-10000" maximum:"10000" default:"0"`
	FalloffM  float64 `json:"falloff_m" exclusiveMinimum:"0" maximum:"10000" default:"3"`
	Density   float64 `json:"density" minimum:"0" maximum:"100" default:"0.02" doc:"Per metre, at the base and below."`
	Max       float64 `json:"max" minimum:"0" maximum:"1" default:"0.9" doc:"The most it hides."`
	Color     string  `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#8a949c"`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"1" doc:"Nits of a white fog; the colour scales it."`
	ColorFrom string  `json:"color_from,omitzero" maxLength:"64" refers:"lights" or:"sky" doc:"\"sky\", or the id of a light for its colour."`
}

// FogVolume is a box of fog along the axes, centred on its position. Where
// volumes meet, densities add and colours blend by them.
type FogVolume struct {
	Entity
	Size      Vec     `json:"size" exclusiveMinimum:"0" initial:"[4,2,4]" doc:"Metres."`
	EdgeM     float64 `json:"edge_m" minimum:"0" maximum:"1000" default:"0.5" doc:"Metres inside its faces over which it comes in."`
	Density   float64 `json:"density" minimum:"0" maximum:"100" default:"0.08" doc:"Per metre."`
	Color     string  `json:"color" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" default:"#8a949c"`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"0.5" doc:"Nits of a white fog where no light is computed in it; the colour scales it."`
	ColorFrom string  `json:"color_from,omitzero" maxLength:"64" refers:"lights" or:"sky" doc:"\"sky\", or the id of a light for its colour."`
	Lit       bool    `json:"lit" default:"true" doc:"Lights with a fog share show in it, shadowed by the level."`
	Priority  int     `json:"priority" minimum:"-1000" maximum:"1000" default:"0" doc:"Which are kept where there are more than the view takes."`
}

// Glow is a camera-facing sprite round a source.
type Glow struct {
	Entity
	Shape      string  `json:"shape" enum:"soft,ring,star,streak,image" default:"soft"`
	Image      string  `json:"image,omitzero" maxLength:"64" refers:"images" clears:"shape" doc:"image: id of an image; its light is added."`
	SizeMode   string  `json:"size_mode" enum:"world,screen" default:"world" doc:"world shrinks with distance; screen stays."`
	SizeM      float64 `json:"size_m" exclusiveMinimum:"0" maximum:"1000" default:"0.6" doc:"world: diameter, metres."`
	SizeShare  float64 `json:"size_share" exclusiveMinimum:"0" maximum:"2" default:"0.08" doc:"screen: diameter, share of the picture's height."`
	Luminance  float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"50" doc:"Nits in its middle."`
	Opacity    float64 `json:"opacity" minimum:"0" maximum:"1" default:"1"`
	Color      string  `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$"`
	ColorFrom  string  `json:"color_from,omitzero" maxLength:"64" refers:"lights" doc:"Id of the light whose colour it takes and with which it goes out."`
	ToleranceM float64 `json:"tolerance_m" minimum:"0" maximum:"100" default:"0.3" doc:"How much geometry it may shine through; over this it fades."`
	FadeStartM float64 `json:"fade_start_m" minimum:"0" maximum:"100000" default:"0" doc:"Distance from which it fades."`
	FadeEndM   float64 `json:"fade_end_m" minimum:"0" maximum:"100000" default:"0" doc:"Distance at which it is gone; 0 is never."`
}

// Beam is the visible body of a light: the cone of a lamp, or a shaft from an
// opening. It starts at its position and goes along its own -Z, or follows a
// light.
type Beam struct {
	Entity
	Form      string  `json:"form" enum:"cone,shaft" default:"cone"`
	Light     string  `json:"light,omitzero" maxLength:"64" refers:"lights" doc:"Id of the light that it follows in place, direction and colour; a cone takes its angle, a shaft its opening."`
	Color     string  `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$" doc:"In place of the light's."`
	StartM    float64 `json:"start_m" minimum:"0" maximum:"1000" default:"0.05" doc:"Where along its axis it begins to show."`
	LengthM   float64 `json:"length_m" exclusiveMinimum:"0" maximum:"10000" default:"6"`
	AngleDeg  float64 `json:"angle_deg" exclusiveMinimum:"0" maximum:"80" default:"25" doc:"cone: from its axis to its rim, where no spot gives it."`
	Width     float64 `json:"width" exclusiveMinimum:"0" maximum:"10" default:"1" doc:"Multiplies how wide it is."`
	WidthM    float64 `json:"width_m" exclusiveMinimum:"0" maximum:"1000" default:"1" doc:"shaft: along its own X, where no light gives it."`
	HeightM   float64 `json:"height_m" exclusiveMinimum:"0" maximum:"1000" default:"1" doc:"shaft: along its own Y, where no light gives it."`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"2" doc:"Nits that a metre of it adds at its start, seen from the side."`
	Opacity   float64 `json:"opacity" minimum:"0" maximum:"1" default:"1"`
	Falloff   float64 `json:"falloff" minimum:"0" maximum:"8" default:"1.5" doc:"How fast it fades along its length: (1 - s)^falloff."`
	Facing    float64 `json:"facing" minimum:"0" maximum:"8" default:"1" doc:"How much brighter it is looked into than from the side; from behind it is not seen. 0 is alike from everywhere."`
}

// Motes are specks that drift in the air, the same at the same time on every
// machine.
type Motes struct {
	Entity
	Form      string  `json:"form" enum:"box,cone,shaft" default:"box" doc:"box: centred; cone, shaft: from its position along its own -Z."`
	Size      Vec     `json:"size" exclusiveMinimum:"0" initial:"[2,2,2]" doc:"Metres. A cone is x wide at its end, a shaft x by y; both are z long."`
	Falls     string  `json:"falls" enum:"none,rain,snow,leaves" default:"none" doc:"What comes down from the top of an upright box, at its own speed, until it meets a surface: rain in streaks, snow and leaves swaying. life_s is then not used."`
	RateHz    float64 `json:"rate_hz" minimum:"0" maximum:"1000" default:"20" doc:"New ones a second."`
	LifeS     float64 `json:"life_s" exclusiveMinimum:"0" maximum:"60" default:"6"`
	SizeMinM  float64 `json:"size_min_m" exclusiveMinimum:"0" maximum:"1" default:"0.004" doc:"Diameter."`
	SizeMaxM  float64 `json:"size_max_m" exclusiveMinimum:"0" maximum:"1" default:"0.01"`
	SpeedMps  float64 `json:"speed_mps" minimum:"0" maximum:"20" default:"0.08" doc:"Metres a second, each its own way, beside the wind."`
	WindShare float64 `json:"wind_share" minimum:"0" maximum:"1" default:"0.2" doc:"How much of the wind carries them."`
	Luminance float64 `json:"luminance" minimum:"0" maximum:"1e9" default:"20" doc:"Nits of the brightest."`
	Opacity   float64 `json:"opacity" minimum:"0" maximum:"1" default:"1"`
	Color     string  `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$"`
	ColorFrom string  `json:"color_from,omitzero" maxLength:"64" refers:"lights" doc:"Id of the light whose colour they take and with which they go out."`
	EdgeM     float64 `json:"edge_m" minimum:"0" maximum:"100" default:"0.3" doc:"Metres inside the border over which they fade."`
}

// fallMps is how fast what falls does so, metres a second. Rain is that of drops of 2 mm (Gunn and Kinzer, "The
// terminal velocity of fall for water droplets in stagnant air", 1949).
var fallMps = map[string]float64{"rain": 6.5, "snow": 1.1, "leaves": 0.9}

// SlowestFall is the speed of the slowest of what falls, beside the mean.
const SlowestFall = 0.8

// FallMps is how fast its motes fall, 0 where they do not.
func (m *Motes) FallMps() float64 { return fallMps[m.Falls] }

// Life is how long a mote is there, in seconds: what falls needs as long as the slowest does from top to bottom.
func (m *Motes) Life() float64 {
	if speed := m.FallMps(); speed > 0 {
		return m.Size[1] / (speed * SlowestFall)
	}
	return m.LifeS
}
