package level_test

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// texts are a level's things by their ids, as JSON; the level itself has the id "".
func texts(t *testing.T, l *level.Level) map[string]string {
	t.Helper()
	out := map[string]string{}
	bare := *l
	encode := func(id string, v any) {
		text, err := level.Encode(v)
		require.NoError(t, err)
		out[id] = string(text)
	}
	for _, part := range level.Parts {
		list := reflect.ValueOf(&bare).Elem().FieldByNameFunc(func(name string) bool {
			f, _ := reflect.TypeFor[level.Level]().FieldByName(name)
			return f.Tag.Get("json") == part
		})
		for k := range list.Len() {
			encode(part+"/"+list.Index(k).Elem().FieldByName("ID").String(), list.Index(k).Interface())
		}
		list.SetZero()
	}
	encode("", &bare)
	return out
}

func TestDifferenceMakesTheOtherState(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 11))
		first := leveltest.Huts(leveltest.Level(r))
		second := first
		for range 1 + r.IntN(15) {
			next, _, err := second.Apply(leveltest.Edit(r, second))
			require.NoError(t, err)
			second = next
		}
		for _, way := range [][2]*level.Level{{first, second}, {second, first}} {
			op, changes, err := way[0].Difference(t.Context(), way[1])
			require.NoError(t, err)
			assert.Len(t, changes, len(op.Steps))
			if len(op.Steps) == 0 {
				continue
			}
			got, inverse, err := way[0].Apply(op)
			require.NoError(t, err)
			assert.Equal(t, texts(t, way[1]), texts(t, got), "seed %d", seed)
			back, _, err := got.Apply(inverse)
			require.NoError(t, err)
			assert.Equal(t, texts(t, way[0]), texts(t, back))
		}
		_, none, err := second.Difference(t.Context(), second)
		require.NoError(t, err)
		assert.Empty(t, none)
	}
}

func TestDifferenceSaysWhatDiffers(t *testing.T) {
	before := level.New("Yard")
	before.Lights = append(before.Lights, level.NewLight("lamp", level.Point), level.NewLight("old", level.Point))
	after, _, err := before.Apply(level.Batch("",
		level.Set("lamp", map[string]any{"strength": 40, "shadows.cast": false, "name": "Great lens"}),
		level.Set("", map[string]any{"look.exposure_ev": 2}),
		level.Remove("old"),
		level.Operation{Op: level.OpAdd, Part: "lights", Entity: map[string]any{"id": "new", "kind": "spot"}},
	))
	require.NoError(t, err)
	op, changes, err := before.Difference(t.Context(), after)
	require.NoError(t, err)
	lamp := before.Light("lamp")
	assert.Equal(t, []level.Change{
		{Part: "lights", ID: "old", Name: "old", Kind: level.OpRemove},
		{Name: "Yard", Kind: level.OpSet, Fields: []level.FieldChange{{Path: "look.exposure_ev", From: before.Look.ExposureEV, To: 2.0}}},
		{Part: "lights", ID: "lamp", Name: "Great lens", Kind: level.OpSet, Fields: []level.FieldChange{
			{Path: "name", To: "Great lens"}, {Path: "shadows.cast", From: true, To: false}, {Path: "strength", From: lamp.Strength, To: 40.0},
		}},
		{Part: "lights", ID: "new", Name: "new", Kind: level.OpAdd},
	}, changes)
	assert.Len(t, op.Steps, 4)

	// One thing alone; what is not asked for stays.
	op, changes, err = after.Difference(t.Context(), before, "lamp")
	require.NoError(t, err)
	require.Len(t, changes, 1)
	got, _, err := after.Apply(op)
	require.NoError(t, err)
	assert.Equal(t, lamp.Strength, got.Light("lamp").Strength)
	assert.Nil(t, got.Light("old"))
	assert.NotNil(t, got.Light("new"))
}
