package exchange

import (
	"bytes"
	"encoding/csv"
	"strconv"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/geom"
	"grotta/core/level"
)

// LightRow is a light as plain numbers, in the level's space: metres, y up, right-handed.
type LightRow struct {
	ID       string     `json:"id"`
	Name     string     `json:"name,omitzero"`
	Kind     string     `json:"kind"`
	On       bool       `json:"on"`
	Position [3]float64 `json:"position_m"`
	Toward   [3]float64 `json:"toward" doc:"Unit vector that it shines along."`
	Strength float64    `json:"strength"`
	Unit     string     `json:"unit" doc:"cd, lx or nt."`
	Color    string     `json:"color" doc:"sRGB; its brightest channel is full."`
	Linear   [3]float64 `json:"color_linear" doc:"Linear Rec. 709, of luminance 1 for lamps with a temperature."`
	Kelvin   float64    `json:"kelvin,omitzero"`
	RangeM   float64    `json:"range_m,omitzero"`
	InnerDeg float64    `json:"cone_inner_deg,omitzero" doc:"From the axis."`
	OuterDeg float64    `json:"cone_outer_deg,omitzero" doc:"From the axis."`
	Shadows  bool       `json:"shadows"`
}

// UnitOf is the unit of a light's strength.
func UnitOf(kind string) string {
	switch kind {
	case level.Directional, level.BoxLight:
		return "lx"
	case level.Rect, level.Tube:
		return "nt"
	}
	return "cd"
}

// Lights lists the lights of a level.
func Lights(l *level.Level) []LightRow {
	world := l.World()
	rows := make([]LightRow, 0, len(l.Lights))
	for _, light := range l.Lights {
		pose := world.Pose(&light.Entity)
		hue, _ := l.Color(light).Swatch()
		row := LightRow{
			ID: light.ID, Name: light.Name, Kind: light.Kind, On: light.Enabled, Position: pose.Position, Toward: pose.Forward(),
			Strength: l.Strength(light), Unit: UnitOf(light.Kind), Color: hue.Hex(), Linear: l.Color(light), Kelvin: light.Kelvin, RangeM: light.RangeM, Shadows: light.Shadows.Cast,
		}
		if light.Kind == level.Spot {
			row.InnerDeg, row.OuterDeg = light.InnerDeg, light.OuterDeg
		}
		rows = append(rows, row)
	}
	return rows
}

var lightColumns = []string{"id", "name", "kind", "on", "x_m", "y_m", "z_m", "toward_x", "toward_y", "toward_z", "strength", "unit", "colour", "kelvin", "range_m", "cone_inner_deg", "cone_outer_deg", "shadows"}

// LightsCSV is the list of a level's lights as comma-separated values (RFC 4180), with a first line
// of names. Text that a sheet would take for a formula has an apostrophe before it.
func LightsCSV(l *level.Level) []byte {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	number := func(v float64) string { return strconv.FormatFloat(v, 'g', 7, 64) }
	vector := func(v [3]float64) []string {
		v = geom.Vec3(v)
		return []string{number(v[0]), number(v[1]), number(v[2])}
	}
	w.Write(lightColumns)
	for _, r := range Lights(l) {
		cells := []string{plainCell(r.ID), plainCell(r.Name), r.Kind, strconv.FormatBool(r.On)}
		cells = append(append(cells, vector(r.Position)...), vector(r.Toward)...)
		cells = append(cells, number(r.Strength), r.Unit, r.Color, number(r.Kelvin), number(r.RangeM), number(r.InnerDeg), number(r.OuterDeg), strconv.FormatBool(r.Shadows))
		w.Write(cells)
	}
	w.Flush() // into memory, which does not fail
	return b.Bytes()
}

// LightsJSON is the list of a level's lights as JSON, with the space that it is in.
func LightsJSON(l *level.Level) ([]byte, error) {
	return json.Marshal(struct {
		Space  string     `json:"space"`
		Lights []LightRow `json:"lights"`
	}{"metres, degrees, +Y up, right-handed", Lights(l)}, jsontext.WithIndent("  "))
}

func plainCell(text string) string {
	if text != "" && (text[0] == '=' || text[0] == '+' || text[0] == '-' || text[0] == '@') {
		return "'" + text
	}
	return text
}
