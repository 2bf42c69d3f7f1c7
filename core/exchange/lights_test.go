package exchange_test

import (
	"encoding/csv"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
