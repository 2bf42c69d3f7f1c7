package level

import (
	"cmp"
	"fmt"

	"github.com/go-json-experiment/json/jsontext"
)

// Mix is a kept state of all lights: which are on, how strong, of what colour. It changes
// nothing until it is applied.
type Mix struct {
	ID       string         `json:"id" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Name     string         `json:"name,omitzero" maxLength:"120"`
	Note     string         `json:"note,omitzero" maxLength:"2000"`
	Settings []MixSetting   `json:"settings" initial:"[]" maxItems:"20000"`
	Extra    jsontext.Value `json:",embed" hidden:"true"`
}

// MixSetting is the state of one light in a mix.
type MixSetting struct {
	Light    string  `json:"light,omitzero" maxLength:"64" refers:"lights" doc:"Id of the light; none once it was removed, and then the setting is passed over."`
	Enabled  bool    `json:"enabled" default:"true"`
	Strength float64 `json:"strength" minimum:"0" maximum:"1e9" default:"100"`
	Color    string  `json:"color,omitzero" pattern:"^#([0-9a-fA-F]{6}|[0-9a-fA-F]{12})$"`
	Kelvin   float64 `json:"kelvin,omitzero" minimum:"1000" maximum:"40000"`
}

// MixNow is the state of all lights as they are.
func (l *Level) MixNow(id, name string) *Mix {
	m := &Mix{ID: id, Name: name, Settings: []MixSetting{}}
	for _, light := range l.Lights {
		m.Settings = append(m.Settings, MixSetting{light.ID, light.Enabled, light.Strength, light.Color, light.Kelvin})
	}
	return m
}

// Operation sets the lights as they are in the mix. Lights that it does not name stay as they
// are; an operation without steps changes nothing.
func (m *Mix) Operation(l *Level) Operation {
	op := Batch(fmt.Sprintf("Apply the mix %s", cmp.Or(m.Name, m.ID)))
	lights := map[string]*Light{}
	for _, light := range l.Lights {
		lights[light.ID] = light
	}
	for _, s := range m.Settings {
		light := lights[s.Light]
		if light == nil {
			continue
		}
		fields := map[string]any{}
		set := func(name string, is, wanted any, none bool) {
			if is == wanted {
				return
			}
			if fields[name] = wanted; none {
				fields[name] = nil
			}
		}
		set("enabled", light.Enabled, s.Enabled, false)
		set("strength", light.Strength, s.Strength, false)
		set("color", light.Color, s.Color, s.Color == "")
		set("kelvin", light.Kelvin, s.Kelvin, s.Kelvin == 0)
		if len(fields) > 0 {
			op.Steps = append(op.Steps, Set(light.ID, fields))
		}
	}
	return op
}

// Mix returns the mix with an id, or nil.
func (l *Level) Mix(id string) *Mix { return ByID[Mix](l, id) }
