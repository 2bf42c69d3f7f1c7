package level

import "github.com/go-json-experiment/json/jsontext"

// Look is what happens after the light, in this order: occlusion, the air, depth
// of field, shafts, bloom, exposure, balance, tone, grade, sharpening.
type Look struct {
	Enabled    bool           `json:"enabled" default:"true" doc:"Off shows light as a plain camera does: exposure, and what is over white cut off."`
	ExposureEV float64        `json:"exposure_ev" minimum:"-10" maximum:"25" default:"6" doc:"EV at ISO 100: white is 1.2 x 2^EV nits."`
	Tone       string         `json:"tone" enum:"clamp,headroom,filmic" default:"filmic" doc:"How what is over white is shown: cut; brought to white in its own hue; or rolled off."`
	Headroom   float64        `json:"headroom" minimum:"1" maximum:"64" default:"4" doc:"headroom: each channel is cut at this many times white before its hue is kept. filmic: the value that comes to white."`
	Balance    Balance        `json:"balance"`
	Grade      Grade          `json:"grade"`
	Bloom      Bloom          `json:"bloom"`
	Focus      Focus          `json:"depth_of_field"`
	Shafts     ScreenShafts   `json:"shafts"`
	Occlusion  Occlusion      `json:"occlusion"`
	Sharpen    float64        `json:"sharpen" minimum:"-1" maximum:"1" default:"0" doc:"Over 0 sharpens, under 0 blurs, by one pixel."`
	Extra      jsontext.Value `json:",embed" hidden:"true"`
}

// Balance says what light a camera takes for white.
type Balance struct {
	Enabled bool    `json:"enabled" default:"true"`
	Kelvin  float64 `json:"kelvin" minimum:"1000" maximum:"40000" default:"6504" doc:"Light of this temperature shows as white: higher warms the picture."`
	Tint    float64 `json:"tint" minimum:"-1" maximum:"1" default:"0" doc:"Toward magenta over 0, toward green under 0, by up to half a stop of green."`
}

// Grade is the colour decision list of the ASC, version 1.2: (in x slope +
// offset) ^ power on each encoded channel, then saturation.
type Grade struct {
	Enabled    bool    `json:"enabled" default:"true"`
	Slope      Vec     `json:"slope" minimum:"0" maximum:"16" initial:"[1,1,1]"`
	Offset     Vec     `json:"offset" minimum:"-1" maximum:"1" initial:"[0,0,0]"`
	Power      Vec     `json:"power" minimum:"0.01" maximum:"16" initial:"[1,1,1]"`
	Saturation float64 `json:"saturation" minimum:"0" maximum:"4" default:"1"`
}

// Bloom is the light that a lens spreads round what is bright.
type Bloom struct {
	Enabled   bool    `json:"enabled" default:"false"`
	Threshold float64 `json:"threshold" minimum:"0" maximum:"64" default:"1" doc:"What is brighter than this many times white spreads."`
	Strength  float64 `json:"strength" minimum:"0" maximum:"4" default:"0.25"`
	Radius    float64 `json:"radius" exclusiveMinimum:"0" maximum:"0.25" default:"0.02" doc:"Standard deviation, share of the picture's height."`
}

// Focus is depth of field: a thin lens before a sensor 24 mm high.
type Focus struct {
	Enabled bool    `json:"enabled" default:"false"`
	FocusM  float64 `json:"focus_m" exclusiveMinimum:"0" maximum:"100000" default:"4"`
	FStop   float64 `json:"f_stop" minimum:"0.5" maximum:"64" default:"2.8" doc:"The smaller, the less is sharp."`
}

// ScreenShafts are streaks away from the sun over the picture, where it is seen.
type ScreenShafts struct {
	Enabled  bool    `json:"enabled" default:"false"`
	Strength float64 `json:"strength" minimum:"0" maximum:"4" default:"0.3"`
	Length   float64 `json:"length" exclusiveMinimum:"0" maximum:"1" default:"0.5" doc:"Share of the way from the sun's place to each pixel."`
}

// Occlusion darkens corners that the picture shows, beside what the light does.
type Occlusion struct {
	Enabled  bool    `json:"enabled" default:"false"`
	Strength float64 `json:"strength" minimum:"0" maximum:"2" default:"0.6"`
	RadiusM  float64 `json:"radius_m" exclusiveMinimum:"0" maximum:"10" default:"0.4"`
}
