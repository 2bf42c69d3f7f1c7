package e2e

import (
	"bytes"
	"context"
	"image/png"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/demo"
	"grotta/e2e/harness"
)

// Any state of a level can be shot and compared: an older revision, without its
// look or air, with another mood, on a platform's display.
func TestShotsOfAnyState(t *testing.T) {
	t.Parallel()
	maren, l, _ := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	_, err = maren.Apply(ctx, l.ID, level.Set("", map[string]any{"look.exposure_ev": 2.0, "fog.haze.enabled": true, "fog.haze.density": 0.3, "fog.haze.start_m": 0.0, "fog.haze.luminance": 20.0}), 0)
	require.NoError(t, err)

	same, err := maren.Compare(ctx, l.ID, api.NewComparison{Width: 96, Height: 60})
	require.NoError(t, err)
	assert.Zero(t, same.Mean, "the same twice is alike")
	assert.Equal(t, 1.0, same.SSIM)
	for name, v := range map[string]api.Variant{"revision": {Revision: 1}, "air": {Air: "off"}, "look": {Look: "off"}} {
		got, err := maren.Compare(ctx, l.ID, api.NewComparison{A: api.Side{Variant: v}, Form: "difference", Width: 96, Height: 60})
		require.NoError(t, err, name)
		assert.Greater(t, got.Mean, 1.0, name)
		assert.Less(t, got.SSIM, 1.0, name)
		picture, err := png.Decode(bytes.NewReader(got.Picture))
		require.NoError(t, err, name)
		assert.Equal(t, 96, picture.Bounds().Dx())
	}

	// An older revision is what it was: as if the change were undone.
	old, _, err := maren.Shot(ctx, l.ID, api.NewShot{Variant: api.Variant{Revision: 1}, Width: 96, Height: 60})
	require.NoError(t, err)
	_, err = maren.Undo(ctx, l.ID)
	require.NoError(t, err)
	undone, _, err := maren.Shot(ctx, l.ID, api.NewShot{Width: 96, Height: 60})
	require.NoError(t, err)
	assert.Equal(t, undone, old)

	// A mood that is put on for the picture alone leaves the level be.
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "plain", Level: l.ID, Look: true})
	require.NoError(t, err)
	_, _, err = maren.Shot(ctx, l.ID, api.NewShot{Variant: api.Variant{Preset: "plain"}, Width: 96, Height: 60})
	require.NoError(t, err)
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, 3, doc.Level.Revision)

	// The set-up of a zone is put on the first zone, if there is one.
	zone, dark := level.Default[level.Zone](), level.Default[level.Look]()
	dark.ExposureEV = 14
	zone.ID, zone.Boxes, zone.Look = "whole", []level.Box{{Min: level.Vec{-20, -20, -20}, Max: level.Vec{20, 20, 20}}}, &dark
	zoned, other := demo.Room(), level.Default[level.Zone]()
	other.ID, other.Boxes = "other", zone.Boxes
	zoned.Zones = []*level.Zone{&other}
	from := demo.Room()
	from.Zones = []*level.Zone{&zone}
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "night-set", Level: importLevel(t, maren, from).ID, Zone: "whole"})
	require.NoError(t, err)
	in := importLevel(t, maren, zoned).ID
	seen := func(v api.Variant) float64 {
		shot, _, err := maren.Shot(ctx, in, api.NewShot{Variant: v, Width: 96, Height: 60})
		require.NoError(t, err)
		picture, err := png.Decode(bytes.NewReader(shot))
		require.NoError(t, err)
		return brightness(picture, 0, 0, 1, 1)
	}
	assert.Less(t, 10*seen(api.Variant{Preset: "night-set"}), seen(api.Variant{}), "its exposure shows")
	bare := level.New("Bare")
	_, _, err = maren.Shot(ctx, importLevel(t, maren, bare).ID, api.NewShot{Variant: api.Variant{Preset: "night-set"}, Width: 32, Height: 32})
	assert.ErrorContains(t, err, "no zone that could take it")

	for name, c := range map[string]struct {
		v      api.Variant
		status int
		says   string
	}{
		"no such revision": {api.Variant{Revision: 99}, 404, "revisions 1 to 3"},
		"no such preset":   {api.Variant{Preset: "ivo/none"}, 404, "ivo/none"},
		"a rig":            {api.Variant{Preset: "recipes/candle"}, 422, "is a rig"},
		"a bad version":    {api.Variant{Preset: "plain@x"}, 422, "after @ stands a version"},
		"no such platform": {api.Variant{Display: "none"}, 404, "none"},
		"a bad look":       {api.Variant{Look: "dim"}, 422, "on, off"},
	} {
		_, _, err := maren.Shot(ctx, l.ID, api.NewShot{Variant: c.v, Width: 32, Height: 32})
		assert.Equal(t, c.status, problemOf(t, err, name).Status, name)
		assert.ErrorContains(t, err, c.says, name)
	}
}

// Starter rigs are placed against a surface by one call, follow their key, and are
// undone as one.
func TestStarterRigsByTheService(t *testing.T) {
	t.Parallel()
	maren, l, _ := room(t)
	presets, err := maren.Presets(ctx)
	require.NoError(t, err)
	n := 0
	for _, p := range presets {
		if p.Owner != "recipes" || p.Kind != "rig" {
			continue
		}
		n++
		_, err := maren.ApplyPreset(ctx, l.ID, api.ApplyPreset{Owner: p.Owner, Name: p.Name, At: &level.Vec{0, 2.7, 0.5}, Normal: &level.Vec{0, -1, 0}})
		require.NoError(t, err, p.Name)
	}
	assert.GreaterOrEqual(t, n, 24)
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Len(t, doc.Document.Rigs, n)
	assert.NotEmpty(t, doc.Document.Beams)
	assert.NotEmpty(t, doc.Document.Motes)
	air, err := maren.Air(ctx, l.ID)
	require.NoError(t, err)
	assert.Len(t, air.Air.Glows, len(doc.Document.Glows))
	require.NotEmpty(t, air.Costs, "mist that is lit has a cost")
	assert.Positive(t, air.Costs[0].Rays)
	for range n {
		_, err := maren.Undo(ctx, l.ID)
		require.NoError(t, err)
	}
	doc, err = maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Empty(t, doc.Document.Rigs)
	assert.Empty(t, doc.Document.FogVolumes)
}

// The fog's block of half-floats holds each volume at its place.
func TestFogBlock(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := maren.ApplyPreset(ctx, l.ID, api.ApplyPreset{Owner: "recipes", Name: "lantern-in-mist", At: &level.Vec{0, 0, 0}, Normal: &level.Vec{0, 1, 0}})
	require.NoError(t, err)
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, g.URL+"/api/v1/levels/"+l.ID+"/fog", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+maren.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	word := func(i int) int {
		return int(data[4*i]) | int(data[4*i+1])<<8 | int(data[4*i+2])<<16 | int(data[4*i+3])<<24
	}
	w, h, d := word(0), word(1), word(2)
	assert.Equal(t, []int{0, w, h, d}, []int{word(3), word(4), word(5), word(6)}, "one volume fills it")
	assert.Len(t, data, 4*(3+4+1)+2*2*4*w*h*d)
}

// The same by command line: shots of all views, frames of a path, a comparison,
// the air, a grade there and back.
func TestPicturesByCommandLine(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	s.ok("level", "create", "Yard", "--from", "room")
	s.ok("preset", "apply", "recipes/candle", "--to", "Yard", "--at", "1.4,0.8,-0.9", "--on", "0,1,0")
	s.ok("bake", "Yard", "--quality", "draft")

	file := filepath.Join(s.dir, "one.png")
	s.ok("shot", "Yard", "--view", "door", "--size", "96x60", "--samples", "1", "--look", "off", "--air", "off", "--display", "pocket", "--out", file)
	picture, err := os.ReadFile(file)
	require.NoError(t, err)
	shown, err := png.Decode(bytes.NewReader(picture))
	require.NoError(t, err)
	assert.Equal(t, 96, shown.Bounds().Dx())
	assert.Contains(t, s.ok("shot", "Yard", "--view", "all", "--size", "64x40", "--at", "1", "--out", filepath.Join(s.dir, "all")), "1 pictures in")
	assert.FileExists(t, filepath.Join(s.dir, "all", "door.png"))

	edit := filepath.Join(s.dir, "path.json")
	require.NoError(t, os.WriteFile(edit, []byte(`{"op":"add","part":"paths","entity":{"id":"walk","keys":[{"at_s":0,"position":[0,1.6,1.5]},{"at_s":1,"position":[0,1.6,0.5]}]}}`), 0o600))
	s.ok("level", "edit", "Yard", edit)
	files := decode[struct {
		Files []string `json:"files"`
	}](t, s.ok("--json", "shot", "Yard", "--path", "walk", "--fps", "4", "--size", "64x40", "--samples", "1", "--out", filepath.Join(s.dir, "frames"))).Files
	require.Len(t, files, 5)
	first, err := os.ReadFile(files[0])
	require.NoError(t, err)
	last, err := os.ReadFile(files[4])
	require.NoError(t, err)
	assert.NotEqual(t, first, last, "the camera went on")
	assert.Equal(t, "walk-00004.png", filepath.Base(files[4]))

	got := decode[struct{ Mean float64 }](t, s.ok("--json", "compare", "Yard", "Yard,at=1", "--size", "96x60", "--form", "divider", "--out", filepath.Join(s.dir, "c.png")))
	assert.Greater(t, got.Mean, 0.0, "the candle made a difference")
	assert.FileExists(t, filepath.Join(s.dir, "c.png"))

	s.ok("level", "add", "Yard", "fog_volumes", "--id", "mist", "--at", "0,1,0", "size=[3,2,3]", "density=0.2")
	s.ok("level", "add", "Yard", "beams", "--id", "shine", "--at", "0,2,0", "--aim", "0,-1,0", "length_m=2")
	assert.Contains(t, s.ok("level", "show", "Yard"), "1 fog volume, 1 glow, 1 beam")
	air := s.ok("air", "Yard")
	assert.Contains(t, air, "VANISHES AT")
	assert.Regexp(t, `mist +\d+ +candle-flame`, air, "the candle shows in it")
	s.ok("level", "remove", "Yard", "mist", "shine")
	assert.Contains(t, s.ok("level", "show", "Yard"), "0 fog volumes, 1 glow, 0 beams")
	cc := filepath.Join(s.dir, "grade.cc")
	s.ok("grade", "Yard", "--out", cc)
	text, err := os.ReadFile(cc)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(cc, bytes.Replace(text, []byte("<Saturation>1<"), []byte("<Saturation>0.5<"), 1), 0o600))
	s.ok("grade", "Yard", "--from", cc)
	assert.Contains(t, s.ok("--json", "level", "show", "Yard"), `"saturation": 0.5`)

	for _, c := range []struct {
		args []string
		code int
		says string
	}{
		{[]string{"shot", "Yard", "--size", "big"}, 2, "1280x800"},
		{[]string{"shot", "Yard", "--path", "none"}, 1, "it has walk"},
		{[]string{"shot", "Yard", "--path", "walk", "--fps", "0"}, 2, "--fps is 0"},
		{[]string{"compare", "Yard", "Yard,hue=3"}, 2, `"hue=3" is not understood`},
		{[]string{"compare", "Yard", "Yard,at=x"}, 2, "at is a revision"},
		{[]string{"grade", "Yard", "--from", edit}, 1, "holds no ColorCorrection"},
	} {
		_, errOut, code := s.run("", c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errOut)
		assert.Contains(t, errOut, c.says, c.args)
	}
}

// A picture that is watched tells how far it is, to whoever watches the level; it
// can be given up.
func TestShotTellsHowFarItIs(t *testing.T) {
	t.Parallel()
	c, l, _ := room(t)
	watching, stop := context.WithCancel(ctx)
	defer stop()
	ready, events := make(chan struct{}), make(chan api.ShotEvent, 1000)
	over := make(chan error, 1)
	go func() {
		over <- c.Watch(watching, l.ID, func() { close(ready) }, func(e client.Event) {
			var at api.ShotEvent
			if e.Kind == "shot" && json.Unmarshal(e.Data, &at) == nil {
				events <- at
			}
		})
	}()
	<-ready
	_, _, err := c.Shot(ctx, l.ID, api.NewShot{Width: 64, Height: 48})
	require.NoError(t, err)
	_, _, err = c.Shot(ctx, l.ID, api.NewShot{Width: 320, Height: 200, Watch: "mine"})
	require.NoError(t, err)
	most, told := 0.0, 0
	for most < 1 {
		select {
		case e := <-events:
			assert.Equal(t, "mine", e.Watch, "the other is not watched")
			assert.Equal(t, l.ID, e.Level)
			most, told = max(most, e.Done), told+1
		case <-time.After(5 * time.Second):
			require.Fail(t, "the end was not told")
		}
	}
	assert.Greater(t, told, 20)

	giving, up := context.WithTimeout(ctx, 50*time.Millisecond)
	defer up()
	start := time.Now()
	_, _, err = c.Shot(giving, l.ID, api.NewShot{Width: 4096, Height: 4096, Samples: 4})
	require.ErrorIs(t, err, context.DeadlineExceeded)
	_, _, err = c.Shot(ctx, l.ID, api.NewShot{Width: 64, Height: 48})
	require.NoError(t, err)
	assert.Less(t, time.Since(start), 20*time.Second, "what nobody waits for takes no time from others")
	stop()
	assert.ErrorIs(t, <-over, context.Canceled)
}
