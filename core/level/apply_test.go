package level_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// crowd is a level with n lights, each carried by the one before if chained.
func crowd(n int, chained bool) *level.Level {
	l := level.New("Crowd")
	for i := range n {
		light := level.NewLight(fmt.Sprintf("l%d", i), level.Point)
		if chained && i > 0 {
			light.Parent = fmt.Sprintf("l%d", i-1)
		}
		l.Lights = append(l.Lights, light)
	}
	return l
}

// nested is any number of steps as batches of batches.
func nested(steps []level.Operation) level.Operation {
	var groups []level.Operation
	for len(steps) > 0 {
		n := min(len(steps), 1000)
		groups = append(groups, level.Batch("", steps[:n]...))
		steps = steps[n:]
	}
	return level.Batch("many", groups...)
}

// No step of an edit costs what the whole level costs. A quadratic one would take
// minutes here; the bound is far over what it takes and far under that.
func TestLargeEditsAreNotQuadratic(t *testing.T) {
	const n = 5000
	sets, removes, backward := make([]level.Operation, n), make([]level.Operation, n), make([]level.Operation, n)
	for i := range n {
		sets[i] = level.Set(fmt.Sprintf("l%d", i), map[string]any{"strength": i})
		removes[i] = level.Remove(fmt.Sprintf("l%d", i))
		backward[n-1-i] = removes[i]
	}
	followed := crowd(3000, false)
	for i := range 3000 {
		glow := level.Default[level.Glow]()
		glow.ID, glow.ColorFrom = fmt.Sprintf("g%d", i), fmt.Sprintf("l%d", i)
		followed.Glows = append(followed.Glows, &glow)
	}
	for name, c := range map[string]struct {
		level *level.Level
		op    level.Operation
	}{
		"5000 sets":                     {crowd(n, false), nested(sets)},
		"5000 removed":                  {crowd(n, false), nested(removes)},
		"5000 removed, last first":      {crowd(n, false), nested(backward)},
		"3000 that glows follow":        {followed, nested(removes[:3000])},
		"6000 that carry each other":    {crowd(6000, true), level.Set("l5999", map[string]any{"strength": 1})},
		"1000 of 6000 carriers removed": {crowd(6000, true), nested(removes[:1000])},
	} {
		began := time.Now()
		next, inverse, err := c.level.Apply(c.op)
		require.NoError(t, err, name)
		back, _, err := next.Apply(inverse)
		require.NoError(t, err, name)
		assert.Less(t, time.Since(began), 25*time.Second, name)
		assert.Equal(t, encode(t, c.level), encode(t, back), name)
	}
}

// An edit whose asker has gone stops.
func TestAnEditStopsWithItsContext(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, _, err := crowd(3, false).ApplyContext(ctx, level.Set("l1", map[string]any{"strength": 1}))
	assert.ErrorIs(t, err, context.Canceled)
}

// The list of parts that an operation may name is the document's own.
func TestOperationsNameTheParts(t *testing.T) {
	f, _ := reflect.TypeFor[level.Operation]().FieldByName("Part")
	assert.Equal(t, strings.Join(level.Parts, ","), f.Tag.Get("enum"))
}

// Whatever holds an id says of what by its tag, so that it is checked and cleared.
func TestFieldsThatHoldAnIDSayOfWhat(t *testing.T) {
	seen := 0
	var visit func(of reflect.Type, path string)
	visit = func(of reflect.Type, path string) {
		for of.Kind() == reflect.Pointer || of.Kind() == reflect.Slice {
			of = of.Elem()
		}
		if of.Kind() != reflect.Struct || of.PkgPath() != reflect.TypeFor[level.Level]().PkgPath() {
			return
		}
		for i := range of.NumField() {
			f := of.Field(i)
			if strings.Contains(strings.ToLower(f.Tag.Get("doc")), "id of ") && f.Type.Kind() == reflect.String {
				seen++
				assert.NotEmpty(t, f.Tag.Get("refers"), "%s.%s", path, f.Name)
			}
			visit(f.Type, path+"."+f.Name)
		}
	}
	visit(reflect.TypeFor[level.Level](), "level")
	assert.Greater(t, seen, 20)
}

// Any random edit and what takes it back leave the document as it was, and removing
// leaves nothing that dangles.
func TestRandomEditsAreTakenBack(t *testing.T) {
	for seed := range uint64(8) {
		r := rand.New(rand.NewPCG(seed, 3))
		l := leveltest.Huts(leveltest.Level(r))
		for range 60 {
			op := leveltest.Edit(r, l)
			next, inverse, err := l.Apply(op)
			require.NoError(t, err)
			back, _, err := next.Apply(inverse)
			require.NoError(t, err, op.Describe())
			require.JSONEq(t, encode(t, l), encode(t, back), op.Describe())
			_, _, err = level.Parse([]byte(encode(t, next)))
			require.NoError(t, err, op.Describe())
			l = next
		}
	}
}

// What a text claims is refused before it is allocated.
func TestTextsThatClaimTooMuch(t *testing.T) {
	head := `{"format":"grotta-level/1","name":"x",`
	many := func(one string, n int) string { return strings.TrimSuffix(strings.Repeat(one+",", n), ",") }
	for name, c := range map[string]struct{ text, want string }{
		"lights":         {head + `"lights":[` + many(`{}`, 3_000_000) + `]}`, "/lights has more than 20000 entries"},
		"faces":          {head + `"solids":[{"id":"a","faces":[` + many(`{}`, 1_000_000) + `]}]}`, "/solids/0/faces has more than 256 entries"},
		"unknown fields": {head + `"extra":[` + many(`{}`, 1_000_000) + `]}`, ""},
		"nesting":        {head + `"extra":` + strings.Repeat("[", 100_000), "is not JSON"},
		"planes":         {head + `"solids":[` + many(`{"id":"a","planes":[`+many(`{"normal":[1,0,0],"distance":1}`, 256)+`]}`, 300) + `]}`, "pairs of planes"},
	} {
		began := time.Now()
		_, _, err := level.Parse([]byte(c.text))
		if c.want == "" {
			assert.NoError(t, err, name)
		} else {
			assert.ErrorContains(t, err, c.want, name)
		}
		assert.Less(t, time.Since(began), 10*time.Second, name)
	}
	var op level.Operation
	assert.ErrorContains(t, level.Decode([]byte(`{"op":"set","fields":{"a":[`+many(`[]`, 400_000)+`]}}`), &op), "more than 250000 objects and lists")
	assert.ErrorContains(t, level.Decode([]byte(`{"op":"batch","steps":[`+many(`{}`, 400_000)+`]}`), &op), "/steps has more than 1000 entries")
}
