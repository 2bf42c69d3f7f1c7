package level_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/level"
)

// Materials take a hue together and keep their luminance; names and numbers that cannot be are said.
func TestTintKeepsLuminance(t *testing.T) {
	l := level.New("Wood")
	for id, hex := range map[string]string{"leaf": "#4c7a33", "turf": "#5a6044", "bark": "#554433"} {
		m := level.Default[level.Material]()
		m.ID, m.Color = id, hex
		l.Materials = append(l.Materials, &m)
	}
	was := map[string]color.Linear{}
	for _, m := range l.Materials {
		was[m.ID] = m.Albedo()
	}
	op, err := l.TintMaterials([]string{"leaf", "turf"}, "#c0702a", 0.5)
	require.NoError(t, err)
	autumn, _, err := l.Apply(op)
	require.NoError(t, err)
	for _, m := range autumn.Materials {
		is, before := m.Albedo(), was[m.ID]
		if m.ID == "bark" {
			assert.Equal(t, before, is)
			continue
		}
		assert.InDelta(t, before.Luminance(), is.Luminance(), 0.004, "as bright, to 8 bits a channel")
		assert.Greater(t, is[0]/is[1], before[0]/before[1], "and redder")
	}
	for _, c := range []struct {
		ids    []string
		toward string
		share  float64
		where  string
	}{{[]string{"leaf", "moss"}, "#ffffff", 0.5, "/materials/1"}, {nil, "red", 0.5, "/toward"}, {nil, "#000000", 0.5, "/toward"}, {nil, "#ffffff", 1.5, "/share"}} {
		_, err := l.TintMaterials(c.ids, c.toward, c.share)
		assert.ErrorContains(t, err, c.where)
	}
}
