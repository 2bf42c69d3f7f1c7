package rest_test

import (
	"compress/gzip"
	"encoding/binary"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/core/level"
	"grotta/core/source"
	"grotta/service/store"
)

// furnished gives the house's level a floor and a lamp.
func furnished(t *testing.T, h *house) {
	floor := level.Default[level.Solid]()
	floor.ID, floor.Size = "floor", level.Vec{6, 0.2, 6}
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength, lamp.Transform.Position = 50, level.Vec{0, 2, 0}
	op, err := json.Marshal(level.Batch("furnish", level.Add("solids", &floor), level.Add("lights", lamp)))
	require.NoError(t, err)
	w := h.ask(t, "POST", "/api/v1/levels/"+h.level+"/operations", h.who["owner"], string(op))
	require.Equal(t, http.StatusOK, w.Code, w.Body)
}

func (h *house) preview(t *testing.T, who string, op level.Operation, src string) *httptest.ResponseRecorder {
	body, err := json.Marshal(api.NewPreview{Operation: op, Source: src})
	require.NoError(t, err)
	return h.ask(t, "POST", "/api/v1/levels/"+h.level+"/preview", h.who[who], string(body))
}

// A preview is the direct light of a source as a change would leave it, and changes nothing.
func TestPreviewIsTheDirectLightOfAChange(t *testing.T) {
	h := newHouse(t)
	furnished(t, h)
	moved := level.Set("lamp", map[string]any{"transform.position": []float64{1, 1, 0}, "strength": 80})
	w := h.preview(t, "viewer", moved, "lamp")
	require.Equal(t, http.StatusOK, w.Code, w.Body)
	data := w.Body.Bytes()
	n := binary.LittleEndian.Uint32(data)
	var head api.PreviewHead
	require.NoError(t, json.Unmarshal(data[4:4+n], &head))

	asker, err := h.store.UserID("owner")
	require.NoError(t, err)
	info, doc, err := h.store.Level(store.Asker{ID: asker, Name: "owner"}, h.level)
	require.NoError(t, err)
	assert.Equal(t, 2, info.Revision, "nothing was saved")
	next, _, err := doc.Apply(moved)
	require.NoError(t, err)
	p, err := bake.Prepare(next)
	require.NoError(t, err)
	want, err := p.Direct(t.Context(), []*source.Source{p.Source("lamp")}, bake.Draft)
	require.NoError(t, err)
	assert.Equal(t, want[0].Raw(), data[4+n:])
	assert.Equal(t, api.PreviewHead{Geometry: p.Geometry(), ID: "lamp", Color: p.Source("lamp").Color, Strength: 80, Weight: p.Source("lamp").Weight}, head)
}

// What comes with a block that carries it, as in a rig, shines from its place; the block has no shadow yet.
func TestPreviewOfWhatStandsOnSomethingNew(t *testing.T) {
	h := newHouse(t)
	furnished(t, h)
	stand := level.Default[level.Solid]()
	stand.ID, stand.Size, stand.Transform.Position = "stand", level.Vec{0.2, 1, 0.2}, level.Vec{1, 0.5, 1}
	candle := level.NewLight("candle", level.Point)
	candle.Strength, candle.Parent, candle.Transform.Position = 5, "stand", level.Vec{0, 1, 0}
	layerOf := func(op level.Operation) []byte {
		w := h.preview(t, "viewer", op, "candle")
		require.Equal(t, http.StatusOK, w.Code, w.Body)
		data := w.Body.Bytes()
		return data[4+binary.LittleEndian.Uint32(data):]
	}
	carried := layerOf(level.Batch("place", level.Add("solids", &stand), level.Add("lights", candle)))
	alone := *candle
	alone.Parent, alone.Transform.Position = "", level.Vec{1, 1.5, 1}
	assert.Equal(t, layerOf(level.Add("lights", &alone)), carried)
}

func TestPreviewsThatCannotBe(t *testing.T) {
	h := newHouse(t)
	furnished(t, h)
	for name, c := range map[string]struct {
		op   level.Operation
		src  string
		code int
		says string
	}{
		"geometry moves":     {level.Set("floor", map[string]any{"size": []float64{9, 0.2, 9}}), "lamp", http.StatusConflict, "moves geometry"},
		"no such source":     {level.Set("lamp", map[string]any{"strength": 1}), "lantern", http.StatusNotFound, "lantern"},
		"the source goes":    {level.Remove("lamp"), "lamp", http.StatusNotFound, "lamp"},
		"a value out of all": {level.Set("lamp", map[string]any{"strength": -1}), "lamp", http.StatusUnprocessableEntity, "strength"},
		"nothing to change":  {level.Remove("nobody"), "lamp", http.StatusUnprocessableEntity, "nobody"},
	} {
		w := h.preview(t, "owner", c.op, c.src)
		assert.Equal(t, c.code, w.Code, name)
		assert.Contains(t, w.Body.String(), c.says, name)
	}
}

// What is large is gzipped for those who take that, and comes out the same.
func TestAnswersAreCompressed(t *testing.T) {
	h := newHouse(t)
	furnished(t, h)
	get := func(encoding string) *httptest.ResponseRecorder {
		r := httptest.NewRequestWithContext(t.Context(), "GET", "/api/v1/levels/"+h.level, nil)
		r.Host = "127.0.0.1:8460"
		r.Header.Set("Authorization", "Bearer "+h.who["owner"])
		r.Header.Set("Accept-Encoding", encoding)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		require.Equal(t, http.StatusOK, w.Code)
		return w
	}
	plain, packed := get(""), get("gzip")
	assert.Empty(t, plain.Header().Get("Content-Encoding"))
	require.Equal(t, "gzip", packed.Header().Get("Content-Encoding"))
	assert.Less(t, packed.Body.Len(), plain.Body.Len()/2)
	z, err := gzip.NewReader(packed.Body)
	require.NoError(t, err)
	text, err := io.ReadAll(z)
	require.NoError(t, err)
	assert.Equal(t, plain.Body.String(), string(text))
}

// The air of a change that is only tried has what is dragged where it would be, and changes nothing.
func TestPreviewOfTheAir(t *testing.T) {
	h := newHouse(t)
	furnished(t, h)
	ask := func(op level.Operation) *httptest.ResponseRecorder {
		body, err := json.Marshal(api.TriedChange{Operation: op})
		require.NoError(t, err)
		return h.ask(t, "POST", "/api/v1/levels/"+h.level+"/air/preview", h.who["viewer"], string(body))
	}
	halo := level.Default[level.Glow]()
	halo.ID, halo.Parent, halo.Transform.Position, halo.Luminance = "halo", "lamp", level.Vec{0, 0.5, 0}, 300
	w := ask(level.Batch("try", level.Add("glows", &halo), level.Set("lamp", map[string]any{"transform.position": []float64{1, 2, 3}})))
	require.Equal(t, http.StatusOK, w.Code, w.Body)
	var got api.AirReport
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &got))
	require.Len(t, got.Air.Glows, 1)
	assert.InDeltaSlice(t, []float64{1, 2.5, 3}, got.Air.Glows[0].At[:], 1e-9, "where it hangs, at the place that the lamp would have")
	assert.Equal(t, 2, got.Revision)
	assert.NotEmpty(t, got.Sight)

	w = h.ask(t, "GET", "/api/v1/levels/"+h.level+"/air", h.who["viewer"], "")
	require.NoError(t, json.Unmarshal(w.Body.Bytes(), &got))
	assert.Empty(t, got.Air.Glows, "nothing was saved")
	assert.Equal(t, http.StatusUnprocessableEntity, ask(level.Set("lamp", map[string]any{"strength": -1})).Code)
	assert.NotEqual(t, http.StatusOK, ask(level.Remove("nobody")).Code)
}
