package exchange_test

import (
	"encoding/csv"
	"strconv"
	"strings"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/exchange"
	"grotta/demo"
)

func TestLightsAsAList(t *testing.T) {
	l := demo.Saltmarsh()
	l.Lights[0].Name = "=SUM(A1)"
	rows := exchange.Lights(l)
	require.Len(t, rows, len(l.Lights))
	table, err := csv.NewReader(strings.NewReader(string(exchange.LightsCSV(l)))).ReadAll()
	require.NoError(t, err)
	require.Len(t, table, len(l.Lights)+1)
	column := map[string]int{}
	for i, name := range table[0] {
		column[name] = i
	}
	assert.Equal(t, "'=SUM(A1)", table[1][column["name"]], "no sheet takes it for a formula")
	for i, light := range l.Lights {
		cell := func(name string) float64 {
			v, err := strconv.ParseFloat(table[i+1][column[name]], 64)
			require.NoError(t, err)
			return v
		}
		pose := l.World().Pose(&light.Entity)
		assert.InEpsilon(t, l.Strength(light), cell("strength"), 1e-6)
		assert.InDelta(t, pose.Position[1], cell("y_m"), 1e-5)
		assert.InDelta(t, pose.Forward()[2], cell("toward_z"), 1e-5)
		assert.Equal(t, exchange.UnitOf(light.Kind), table[i+1][column["unit"]])
	}
}

// The list for programs says the same, with colours that are not rounded to eight bits.
func TestLightsAsJSON(t *testing.T) {
	l := demo.Saltmarsh()
	data, err := exchange.LightsJSON(l)
	require.NoError(t, err)
	var list struct {
		Space  string              `json:"space"`
		Lights []exchange.LightRow `json:"lights"`
	}
	require.NoError(t, json.Unmarshal(data, &list))
	assert.Contains(t, list.Space, "+Y up")
	assert.Equal(t, exchange.Lights(l), list.Lights)
	for i, light := range l.Lights {
		assert.Equal(t, [3]float64(l.Color(light)), list.Lights[i].Linear, light.ID)
		hue, err := color.ParseHex(list.Lights[i].Color)
		require.NoError(t, err)
		brightest := max(l.Color(light)[0], l.Color(light)[1], l.Color(light)[2])
		for c := range 3 { // a warm lamp is not clipped to yellow
			assert.InDelta(t, l.Color(light)[c]/brightest, hue[c], 0.005, light.ID)
		}
	}
}
