package e2e

import (
	"bytes"
	"image"
	"image/png"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
	"grotta/e2e/harness"
	"grotta/service"
	"grotta/service/hooks"
)

// trio is a service with three people: two who light together, and a stranger; and a level of maren's.
type trio struct {
	g                *harness.Grotta
	maren, ivo, olga *client.Client
	level            api.LevelInfo
}

func three(t *testing.T) *trio {
	t.Helper()
	g := start(t)
	maren, _, err := g.Demo(ctx)
	require.NoError(t, err)
	require.NoError(t, g.Store.AddUser("olga", harness.Password))
	return &trio{g: g, maren: maren, ivo: as(t, g, "ivo"), olga: as(t, g, "olga")}
}

// needs are what people who light together need, as docs/sharing.md lists it; each is done by real
// clients of a running service.
var needs = map[string]func(t *testing.T, p *trio){
	"A mood with its sky image works in another's level": func(t *testing.T, p *trio) {
		painted := importLevel(t, p.maren, withSky(t, "Maren", "CC0-1.0"))
		_, err := p.maren.SavePreset(ctx, api.NewPreset{Name: "painted", Level: painted.ID})
		require.NoError(t, err)
		require.NoError(t, p.maren.SharePreset(ctx, "painted", api.Share{With: []string{"ivo"}}))
		var shots [][]byte
		for _, l := range []*level.Level{demo.Room(), under(t, demo.Room(), "#ff0000")} {
			room := importLevel(t, p.ivo, l)
			_, err := p.ivo.ApplyPreset(ctx, room.ID, api.ApplyPreset{Owner: "maren", Name: "painted"})
			require.NoError(t, err)
			shot, _, err := p.ivo.Shot(ctx, room.ID, api.NewShot{Width: 160, Height: 100, Samples: 1})
			require.NoError(t, err)
			shots = append(shots, shot)
		}
		assert.Equal(t, shots[0], shots[1], "whatever the level had before")
	},
	"Parts alone: the sky without the lighting": func(t *testing.T, p *trio) {
		would, err := p.maren.WouldApply(ctx, p.level.ID, api.ApplyPreset{Owner: "recipes", Name: "clear-noon", Only: []string{"sky"}})
		require.NoError(t, err)
		require.Len(t, would, 1)
		for _, f := range would[0].Fields {
			assert.True(t, strings.HasPrefix(f.Path, "environment.sky"), f.Path)
		}
		_, err = p.maren.ApplyPreset(ctx, p.level.ID, api.ApplyPreset{Owner: "recipes", Name: "clear-noon", Only: []string{"sea"}})
		assert.ErrorContains(t, err, "has ambient, fog")
	},
	"Rigs that follow one original, with what each has of its own": func(t *testing.T, p *trio) {
		_, err := p.maren.SavePreset(ctx, api.NewPreset{Name: "pier-lamp", Level: p.level.ID, Rig: "lantern-1"})
		require.NoError(t, err)
		heard := make(chan struct{}, 16)
		listens, stop := watching(t, p.maren, p.level.ID, "revision", heard)
		<-listens
		linked, err := p.maren.LinkRigs(ctx, p.level.ID, api.LinkRigs{Name: "pier-lamp"})
		require.NoError(t, err)
		select {
		case <-heard:
		case <-time.After(10 * time.Second):
			require.Fail(t, "who watches the level is not told")
		}
		stop()
		assert.Equal(t, []string{"lantern-1", "lantern-2", "lantern-3", "lantern-4"}, linked.Rigs)
		set := func(id string, fields map[string]any) {
			_, err := p.maren.Apply(ctx, p.level.ID, level.Set(id, fields), 0)
			require.NoError(t, err)
		}
		set("lantern-4-light", map[string]any{"strength": 11.0})
		set("lantern-2-light", map[string]any{"strength": 55.0, "radius_m": 0.09})
		origin := func(rig string) api.Origin {
			all, err := p.maren.Origins(ctx, p.level.ID)
			require.NoError(t, err)
			for _, o := range all {
				if o.Rig == rig {
					return o
				}
			}
			require.Fail(t, "no origin of "+rig)
			return api.Origin{}
		}
		given, err := p.maren.GiveToOthers(ctx, p.level.ID, origin("lantern-2").ID, api.GiveToOthers{Changes: "softer"})
		require.NoError(t, err)
		assert.Equal(t, api.Given{Preset: "maren/pier-lamp", Version: 2, Updated: given.Updated}, given)
		assert.Equal(t, 3, given.Updated.Origins)
		require.Len(t, given.Updated.Clashes, 1, "the strength of the fourth, which both have changed")
		doc, err := p.maren.Level(ctx, p.level.ID)
		require.NoError(t, err)
		for id, strength := range map[string]float64{"lantern-1-light": 55, "lantern-2-light": 55, "lantern-3-light": 55, "lantern-4-light": 11} {
			assert.Equal(t, strength, doc.Document.Light(id).Strength, id)
			assert.Equal(t, 0.09, doc.Document.Light(id).RadiusM, id)
		}
		for _, rig := range linked.Rigs {
			assert.Equal(t, 2, origin(rig).Version, rig)
		}
		_, err = p.maren.Undo(ctx, p.level.ID)
		require.NoError(t, err)
		assert.Equal(t, 1, origin("lantern-3").Version, "undo takes the version back")
		assert.Equal(t, 2, origin("lantern-2").Version)

		set("lantern-3-light", map[string]any{"radius_m": 0.2})
		_, err = p.maren.GiveToOthers(ctx, p.level.ID, origin("lantern-3").ID, api.GiveToOthers{})
		assert.ErrorContains(t, err, "version 2 is there; bring it to that one first")

		// Somebody else's preset: what follows it follows one's own then.
		_, err = p.maren.ApplyPreset(ctx, p.level.ID, api.ApplyPreset{Owner: "recipes", Name: "candle", Places: []preset.Spot{{At: level.Vec{0, 5, 0}}, {At: level.Vec{1, 5, 0}}}})
		require.NoError(t, err)
		doc, err = p.maren.Level(ctx, p.level.ID)
		require.NoError(t, err)
		rig := doc.Document.Rigs[len(doc.Document.Rigs)-1].ID
		set(rig, map[string]any{"key_strength": 3.0})
		given, err = p.maren.GiveToOthers(ctx, p.level.ID, origin(rig).ID, api.GiveToOthers{})
		require.NoError(t, err)
		assert.Equal(t, "maren/candle", given.Preset)
		assert.Equal(t, 1, given.Updated.Origins)

		_, err = p.maren.LinkRigs(ctx, p.level.ID, api.LinkRigs{Name: "pier-lamp", Rigs: []string{rig}})
		assert.ErrorContains(t, err, "is not like the preset")
		_, err = p.olga.LinkRigs(ctx, p.level.ID, api.LinkRigs{Owner: "recipes", Name: "candle"})
		assert.Error(t, err, "a stranger's level")
	},
	"Into zones": func(t *testing.T, p *trio) {
		_, err := p.maren.ApplyPreset(ctx, p.level.ID, api.ApplyPreset{Owner: "recipes", Name: "underground", Zones: []string{"kitchen"}, Only: []string{"ambient"}})
		require.NoError(t, err)
		doc, err := p.maren.Level(ctx, p.level.ID)
		require.NoError(t, err)
		assert.Equal(t, 0.03, level.ByID[level.Zone](doc.Document, "kitchen").Ambient.Strength)
	},
	"One rig to many places, as one change": func(t *testing.T, p *trio) {
		before := current(t, p.maren, p.level.ID)
		_, err := p.maren.ApplyPreset(ctx, p.level.ID, api.ApplyPreset{Owner: "recipes", Name: "candle", Places: []preset.Spot{{At: level.Vec{1, 1, 1}}, {At: level.Vec{2, 1, 1}}, {At: level.Vec{3, 1, 1}}}})
		require.NoError(t, err)
		assert.Equal(t, before+1, current(t, p.maren, p.level.ID))
		origins, err := p.maren.Origins(ctx, p.level.ID)
		require.NoError(t, err)
		assert.Len(t, origins, 3)
	},
	"Versions that stay": func(t *testing.T, p *trio) {
		for i, note := range []string{"one", "two"} {
			_, err := p.maren.Apply(ctx, p.level.ID, level.Set("", map[string]any{"look.exposure_ev": float64(i)}), 0)
			require.NoError(t, err)
			_, err = p.maren.SavePreset(ctx, api.NewPreset{Name: "look", Level: p.level.ID, Kind: "look", Note: note, Changes: note})
			require.NoError(t, err)
		}
		versions, err := p.maren.PresetVersions(ctx, "maren", "look")
		require.NoError(t, err)
		require.Len(t, versions, 2)
		assert.NotEqual(t, versions[0].Hash, versions[1].Hash)
		require.NoError(t, p.maren.DeletePreset(ctx, "look"))
		again, err := p.maren.SavePreset(ctx, api.NewPreset{Name: "look", Level: p.level.ID, Kind: "look"})
		require.NoError(t, err)
		assert.Equal(t, 3, again.Version)
	},
	"Told of a newer version, and taking it without losing changes": func(t *testing.T, p *trio) {
		_, err := p.maren.ApplyPreset(ctx, p.level.ID, api.ApplyPreset{Owner: "ivo", Name: "morning-fog"})
		require.NoError(t, err)
		_, err = p.maren.Apply(ctx, p.level.ID, level.Set("", map[string]any{"fog.haze.max": 0.4, "fog.haze.start_m": 5.0}), 0)
		require.NoError(t, err)
		_, mood, err := p.ivo.Preset(ctx, "ivo", "morning-fog", 0)
		require.NoError(t, err)
		mood.Mood.Fog.Haze.Max, mood.Mood.Fog.Haze.Density = 0.6, 0.5
		text, err := level.Encode(mood)
		require.NoError(t, err)
		_, err = p.ivo.UploadPreset(ctx, "morning-fog", text, api.PresetMeta{Changes: "thicker"})
		require.NoError(t, err)
		notices, err := p.maren.Notices(ctx, true)
		require.NoError(t, err)
		assert.Contains(t, notices[0].Text, "version 2")
		would, err := p.maren.UpdateOrigins(ctx, p.level.ID, api.UpdateOrigins{Dry: true})
		require.NoError(t, err)
		require.Len(t, would.Clashes, 1)
		_, err = p.maren.UpdateOrigins(ctx, p.level.ID, api.UpdateOrigins{})
		require.NoError(t, err)
		doc, err := p.maren.Level(ctx, p.level.ID)
		require.NoError(t, err)
		assert.Equal(t, []float64{0.4, 5, 0.5}, []float64{doc.Document.Fog.Haze.Max, doc.Document.Fog.Haze.StartM, doc.Document.Fog.Haze.Density})
	},
	"Found by words, tags, colour and brightness": func(t *testing.T, p *trio) {
		page, err := p.ivo.FindPresets(ctx, api.PresetSearch{Words: "fog", Tags: []string{"morning"}, Kinds: []string{"mood"}})
		require.NoError(t, err)
		assert.Len(t, page.Items, 2)
		page, err = p.olga.FindPresets(ctx, api.PresetSearch{Colour: "green", Kinds: []string{"rig"}})
		require.NoError(t, err)
		require.Len(t, page.Items, 1)
		assert.Equal(t, "way-out-sign", page.Items[0].Name)
	},
	"A picture on a neutral stage": func(t *testing.T, p *trio) {
		jpeg, err := p.olga.PresetPicture(ctx, "recipes", "candle", 0)
		require.NoError(t, err)
		m, _, err := image.Decode(bytes.NewReader(jpeg))
		require.NoError(t, err)
		assert.Equal(t, 360, m.Bounds().Dx())
		brightest := uint32(0)
		for y := range m.Bounds().Dy() {
			for x := range m.Bounds().Dx() {
				r, _, _, _ := m.At(x, y).RGBA()
				brightest = max(brightest, r)
			}
		}
		assert.Greater(t, brightest, uint32(0xe000))
		_, err = p.olga.PresetPicture(ctx, "maren", "secret", 0)
		problem(t, err, 404, "not-found")
	},
	"Nothing is shared without credit and licence": func(t *testing.T, p *trio) {
		l := importLevel(t, p.maren, withSky(t, "", ""))
		_, err := p.maren.SavePreset(ctx, api.NewPreset{Name: "bare", Level: l.ID, Kind: "sky"})
		require.NoError(t, err)
		assert.ErrorContains(t, p.maren.SharePreset(ctx, "bare", api.Share{With: []string{"ivo"}}), "Dusk cannot be shared")
		_, text, err := p.maren.Credits(ctx, l.ID)
		require.NoError(t, err)
		assert.Contains(t, text, "Dusk (image): nobody is named, no licence is stated")
	},
	"A bundle file": func(t *testing.T, p *trio) {
		zip, err := p.maren.WriteBundle(ctx, []string{"recipes/candle", "ivo/morning-fog"})
		require.NoError(t, err)
		_, err = p.olga.ReadBundle(ctx, zip)
		require.NoError(t, err)
		again, err := p.olga.WriteBundle(ctx, []string{"candle", "morning-fog"})
		require.NoError(t, err)
		assert.Equal(t, zip, again, "byte for byte")
		info, _, err := p.olga.Preset(ctx, "olga", "morning-fog", 0)
		require.NoError(t, err)
		assert.Equal(t, "olga", info.Author, "nobody is an author by a file's word")
		assert.Equal(t, "ivo", info.MadeBy)
		_, err = p.olga.ReadBundle(ctx, zip[:100])
		assert.ErrorContains(t, err, "no zip archive")
	},
	"A link that expires and can be withdrawn": func(t *testing.T, p *trio) {
		link, err := p.maren.NewShareLink(ctx, api.NewShareLink{Kind: "level", Level: p.level.ID, Role: "editor", Hours: 1})
		require.NoError(t, err)
		opened, err := p.olga.OpenLink(ctx, link.Secret)
		require.NoError(t, err)
		assert.Equal(t, p.level.ID, opened.Level)
		_, err = p.olga.Apply(ctx, p.level.ID, level.Set("", map[string]any{"note": "hello"}), 0)
		require.NoError(t, err)
		links, err := p.maren.ShareLinks(ctx)
		require.NoError(t, err)
		assert.Equal(t, "olga", links[0].Uses[0].User)
		require.NoError(t, p.maren.WithdrawLink(ctx, link.ID))
		_, err = p.olga.Level(ctx, p.level.ID)
		problem(t, err, 404, "not-found")
	},
	"An invitation": func(t *testing.T, p *trio) {
		link, err := p.maren.NewShareLink(ctx, api.NewShareLink{Kind: "join"})
		require.NoError(t, err)
		require.NoError(t, (&client.Client{URL: p.g.URL}).Join(ctx, api.Join{Secret: link.Secret, Name: "nils", Password: harness.Password}))
		err = (&client.Client{URL: p.g.URL}).Join(ctx, api.Join{Secret: link.Secret, Name: "nora", Password: harness.Password})
		assert.ErrorContains(t, err, "has expired, was withdrawn")
		_, err = (&client.Client{URL: p.g.URL}).SignIn(ctx, "nils", harness.Password, api.NewToken{Name: "x"})
		require.NoError(t, err)
		_, err = p.ivo.NewShareLink(ctx, api.NewShareLink{Kind: "join"})
		problem(t, err, 403, "not-allowed")
	},
	"A team": func(t *testing.T, p *trio) {
		require.NoError(t, p.maren.NewTeam(ctx, api.NewTeam{Name: "station"}))
		require.NoError(t, p.maren.SetTeamMember(ctx, "station", "olga", "commenter"))
		require.NoError(t, p.maren.ShareLevelWithTeam(ctx, p.level.ID, "station", "editor"))
		_, err := p.olga.AddComment(ctx, p.level.ID, api.NewComment{Text: "Nice."})
		require.NoError(t, err)
		_, err = p.olga.Apply(ctx, p.level.ID, level.Set("", map[string]any{"note": "x"}), 0)
		problem(t, err, 403, "not-allowed")
		require.NoError(t, p.maren.SetTeamMember(ctx, "station", "olga", "editor"))
		_, err = p.olga.Apply(ctx, p.level.ID, level.Set("", map[string]any{"note": "x"}), 0)
		require.NoError(t, err)
	},
	"Presets of a team": func(t *testing.T, p *trio) {
		_, err := p.maren.SavePreset(ctx, api.NewPreset{Name: "house-dusk", Level: p.level.ID})
		require.NoError(t, err)
		require.NoError(t, p.maren.NewTeam(ctx, api.NewTeam{Name: "keepers"}))
		require.NoError(t, p.maren.SetTeamMember(ctx, "keepers", "olga", "viewer"))
		require.NoError(t, p.maren.SharePreset(ctx, "house-dusk", api.Share{With: []string{}, Teams: []string{"keepers"}}))
		room, err := p.olga.CreateLevel(ctx, api.NewLevel{From: "room"})
		require.NoError(t, err)
		_, err = p.olga.ApplyPreset(ctx, room.ID, api.ApplyPreset{Owner: "maren", Name: "house-dusk"})
		require.NoError(t, err, "a viewer takes it")
		darker := api.NewPreset{Owner: "maren", Name: "house-dusk", Level: room.ID, Changes: "darker"}
		_, err = p.olga.SavePreset(ctx, darker)
		problem(t, err, 403, "not-allowed")
		require.NoError(t, p.maren.SetTeamMember(ctx, "keepers", "olga", "editor"))
		_, err = p.olga.Apply(ctx, room.ID, level.Set("", map[string]any{"look.exposure_ev": 7.0}), 0)
		require.NoError(t, err)
		saved, err := p.olga.SavePreset(ctx, darker)
		require.NoError(t, err, "an editor saves a version")
		assert.Equal(t, []any{"maren", 2, "olga"}, []any{saved.Owner, saved.Version, saved.Author})
		_, err = p.ivo.SavePreset(ctx, api.NewPreset{Owner: "maren", Name: "house-dusk", Level: room.ID})
		assert.Error(t, err, "who is in no team of it does not know it")
		_, err = p.olga.SavePreset(ctx, api.NewPreset{Owner: "maren", Name: "another", Level: room.ID})
		assert.Error(t, err, "presets of others are not made")
	},
	"Hand over a level": func(t *testing.T, p *trio) {
		require.NoError(t, p.maren.GiveLevel(ctx, p.level.ID, "olga"))
		doc, err := p.olga.Level(ctx, p.level.ID)
		require.NoError(t, err)
		assert.Equal(t, "owner", doc.Level.Role)
		problem(t, p.maren.GiveLevel(ctx, p.level.ID, "ivo"), 403, "not-allowed")
	},
	"Comments with mentions, threads and notices": func(t *testing.T, p *trio) {
		require.NoError(t, p.maren.ShareLevel(ctx, p.level.ID, "ivo", "commenter"))
		heard := make(chan struct{}, 8)
		watch, stop := watching(t, p.maren, p.level.ID, "talk", heard)
		defer stop()
		<-watch
		first, err := p.ivo.AddComment(ctx, p.level.ID, api.NewComment{Text: "Too dark, @maren", At: &level.Vec{1, 2, 3}})
		require.NoError(t, err)
		select {
		case <-heard:
		case <-time.After(5 * time.Second):
			t.Error("nobody was told")
		}
		_, err = p.maren.AddComment(ctx, p.level.ID, api.NewComment{Text: "Better?", Thread: first.ID})
		require.NoError(t, err)
		for c, kind := range map[*client.Client]string{p.maren: "mention", p.ivo: "answer"} {
			notices, err := c.Notices(ctx, true)
			require.NoError(t, err)
			assert.Equal(t, kind, notices[0].Kind)
		}
		yes := true
		require.NoError(t, p.maren.ChangeComment(ctx, p.level.ID, first.ID, api.CommentChange{Resolved: &yes}))
		_, err = p.olga.Comments(ctx, p.level.ID)
		problem(t, err, 404, "not-found")
	},
	"A review of a revision with its findings": func(t *testing.T, p *trio) {
		require.NoError(t, p.maren.ShareLevel(ctx, p.level.ID, "ivo", "viewer"))
		r, err := p.maren.AskReview(ctx, p.level.ID, api.NewReview{Reviewer: "ivo"})
		require.NoError(t, err)
		assert.Equal(t, 1, r.Errors, "the demo's overlapping shadows")
		r, err = p.ivo.AnswerReview(ctx, p.level.ID, r.ID, api.ReviewAnswer{State: "changes_wanted", Text: "The gallery."})
		require.NoError(t, err)
		assert.Equal(t, "changes_wanted", r.State)
		_, err = p.maren.AskReview(ctx, p.level.ID, api.NewReview{Reviewer: "olga"})
		assert.ErrorContains(t, err, "share it first")
	},
	"A variant that follows its original": func(t *testing.T, p *trio) {
		v, err := p.maren.NewVariant(ctx, p.level.ID, api.NewVariant{Name: "pocket", Platform: "pocket", Follows: true})
		require.NoError(t, err)
		_, err = p.maren.Apply(ctx, v.Level.ID, level.Set("hatch-lamp", map[string]any{"shadows.cast": false}), 0)
		require.NoError(t, err)
		_, err = p.maren.Apply(ctx, p.level.ID, level.Set("hatch-lamp", map[string]any{"strength": 9.5}), 0)
		require.NoError(t, err)
		until(t, func() bool {
			doc, err := p.maren.Level(ctx, v.Level.ID)
			return err == nil && doc.Document.Light("hatch-lamp").Strength == 9.5 && !doc.Document.Light("hatch-lamp").Shadows.Cast
		})
		done, err := p.maren.MergeVariant(ctx, v.Level.ID, api.NewMerge{Into: "original"})
		require.NoError(t, err)
		assert.Empty(t, done.Clashes)
		doc, err := p.maren.Level(ctx, p.level.ID)
		require.NoError(t, err)
		assert.False(t, doc.Document.Light("hatch-lamp").Shadows.Cast)
	},
	"A copy with its history": func(t *testing.T, p *trio) {
		_, err := p.maren.Apply(ctx, p.level.ID, level.Set("hatch-lamp", map[string]any{"strength": 9.5}), 0)
		require.NoError(t, err)
		own, err := p.maren.CopyLevel(ctx, p.level.ID, api.LevelCopy{History: true})
		require.NoError(t, err)
		history, err := p.maren.History(ctx, own.ID, 0, 10)
		require.NoError(t, err)
		assert.Len(t, history, 3)
	},
	"A platform shared with others": func(t *testing.T, p *trio) {
		text, err := p.maren.PlatformFile(ctx, "pocket")
		require.NoError(t, err)
		_, err = p.maren.AddPlatform(ctx, bytes.Replace(text, []byte("name: pocket"), []byte("name: mine"), 1))
		require.NoError(t, err)
		_, err = p.ivo.Check(ctx, p.level.ID, "maren/mine")
		require.Error(t, err)
		require.NoError(t, p.maren.ShareLevel(ctx, p.level.ID, "ivo", "viewer"))
		require.NoError(t, p.maren.SharePreset(ctx, "mine", api.Share{With: []string{"ivo"}}))
		report, err := p.ivo.Check(ctx, p.level.ID, "maren/mine")
		require.NoError(t, err)
		assert.Equal(t, "mine", report.Platform)
		versions, err := p.ivo.PresetVersions(ctx, "maren", "mine")
		require.NoError(t, err)
		assert.Len(t, versions, 1)
	},
	"A webhook, signed": func(t *testing.T, p *trio) {
		type message struct {
			header http.Header
			body   []byte
		}
		got := make(chan message, 4)
		server := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			var b bytes.Buffer
			_, _ = b.ReadFrom(r.Body)
			got <- message{r.Header, b.Bytes()}
		}))
		defer server.Close()
		_, err := p.ivo.NewWebhook(ctx, server.URL)
		assert.ErrorContains(t, err, "/url is an address of this machine")

		open, err := harness.StartWith(t.TempDir(), func(o *service.Options) { o.PrivateWebhooks = true })
		require.NoError(t, err)
		defer open.Stop()
		maren, ivo := as(t, open, "maren"), as(t, open, "ivo")
		hook, err := ivo.NewWebhook(ctx, server.URL)
		require.NoError(t, err)
		l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room"})
		require.NoError(t, err)
		require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "viewer"))
		select {
		case m := <-got:
			seconds, err := strconv.ParseInt(m.header.Get("webhook-timestamp"), 10, 64)
			require.NoError(t, err)
			assert.Equal(t, hooks.Sign(hook.Secret, m.header.Get("webhook-id"), time.Unix(seconds, 0), m.body), m.header.Get("webhook-signature"))
			assert.Contains(t, string(m.body), "shares this level")
		case <-time.After(15 * time.Second):
			t.Error("nothing was sent")
		}
	},
	"Who did what": func(t *testing.T, p *trio) {
		require.NoError(t, p.maren.ShareLevel(ctx, p.level.ID, "ivo", "viewer"))
		entries, err := p.maren.Audit(ctx, "maren", "share-level", p.level.ID, 0, 10)
		require.NoError(t, err)
		require.Len(t, entries, 1)
		assert.Contains(t, entries[0].About, "/members/ivo")
		_, err = p.ivo.Audit(ctx, "", "", "", 0, 10)
		problem(t, err, 403, "scope")
	},
	"A level as it was": func(t *testing.T, p *trio) {
		_, err := p.maren.Apply(ctx, p.level.ID, level.Set("hatch-lamp", map[string]any{"strength": 77.0}), 0)
		require.NoError(t, err)
		for path, want := range map[string]string{"": `"strength":77`, "?revision=1": ""} {
			text := fetch(t, p.maren, "/api/v1/levels/"+p.level.ID+path)
			assert.Equal(t, want != "", strings.Contains(text, `"strength":77,`) || strings.Contains(text, `"strength":77}`), path)
		}
		assert.NotContains(t, fetch(t, p.maren, "/api/v1/levels/"+p.level.ID+"/export?format=json&revision=1"), `"strength":77,`)
		assert.Contains(t, fetch(t, p.maren, "/api/v1/levels/"+p.level.ID+"/check?revision=1"), `"revision":1`)
	},
}

// Every row of the table in docs/sharing.md is done here, and nothing is done that has no row.
func TestNeedsOfPeopleWhoLightTogether(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../docs/sharing.md")
	require.NoError(t, err)
	rows := map[string]bool{}
	for _, m := range regexp.MustCompile(`(?m)^\| ([A-Z][^|]*?) +\|`).FindAllStringSubmatch(string(text), -1) {
		rows[m[1]] = true
	}
	delete(rows, "Need")
	delete(rows, "Kind")
	for name := range needs {
		assert.True(t, rows[name], "docs/sharing.md has no row %q", name)
	}
	for name := range rows {
		assert.Contains(t, needs, name, "a row of docs/sharing.md that no test does")
	}
	p := three(t)
	for name, do := range needs {
		t.Run(name, func(t *testing.T) {
			own := *p
			var err error
			own.level, err = p.maren.CreateLevel(ctx, api.NewLevel{From: "demo"})
			require.NoError(t, err)
			do(t, &own)
		})
	}
}

func importLevel(t *testing.T, c *client.Client, l *level.Level) api.LevelInfo {
	t.Helper()
	info, err := harness.Import(ctx, c, l)
	require.NoError(t, err)
	return info
}

// withSky is a room under a painted sky.
func withSky(t *testing.T, credit, licence string) *level.Level {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, 32, 16))
	for i := range m.Pix {
		m.Pix[i] = uint8(40 + i%190)
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	l, _, err := demo.Room().Apply(level.Batch("", level.Add("images", &level.Image{ID: "dusk", Name: "Dusk", Data: b.Bytes(), Credit: credit, Licence: licence}),
		level.Set("", map[string]any{"environment.sky.kind": "image", "environment.sky.image": "dusk", "environment.sky.luminance": 3.0})))
	require.NoError(t, err)
	return l
}

// under is a level under a sky of one colour, with a moon.
func under(t *testing.T, l *level.Level, color string) *level.Level {
	t.Helper()
	next, _, err := l.Apply(level.Set("", map[string]any{"environment.sky.color": color, "environment.sky.luminance": 900.0, "environment.moon": level.Default[level.Sun](), "fog.haze.enabled": true}))
	require.NoError(t, err)
	return next
}

// fetch reads a path of the API as text.
func fetch(t *testing.T, c *client.Client, path string) string {
	t.Helper()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.URL+path, nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	var b bytes.Buffer
	_, err = b.ReadFrom(res.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, res.StatusCode, b.String())
	return b.String()
}

// watching hears events of one kind of a level; ready is closed once it listens.
func watching(t *testing.T, c *client.Client, id, kind string, heard chan<- struct{}) (ready <-chan struct{}, stop func()) {
	t.Helper()
	listens := make(chan struct{})
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.URL+"/api/v1/levels/"+id+"/events", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	go func() {
		part := make([]byte, 4096)
		text := ""
		for first := true; ; {
			n, err := res.Body.Read(part)
			text += string(part[:n])
			if first && strings.Contains(text, "event: beat") {
				close(listens)
				first = false
			}
			for strings.Contains(text, "event: "+kind) {
				text = strings.Replace(text, "event: "+kind, "", 1)
				heard <- struct{}{}
			}
			if err != nil {
				return
			}
		}
	}()
	return listens, func() { res.Body.Close() }
}

// The same on the command line, as two people do it.
func TestSharingByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	ivo := newShell(t, g.URL)
	_, errOut, code := ivo.run(harness.Password+"\n", "login", "ivo", "--password-stdin")
	require.Zero(t, code, errOut)

	assert.Contains(t, s.ok("preset", "list", "candle", "--kind", "rig"), "ring-of-candles")
	assert.Contains(t, s.ok("preset", "list", "no-such-thing"), "Presets have tags such as")
	both := s.ok("preset", "list", "--kind", "rig", "--kind", "look") + s.ok("preset", "list", "--kind", "look,rig")
	assert.Equal(t, 2, strings.Count(both, "recipes/candle "), "any of several kinds")
	assert.Equal(t, 2, strings.Count(both, "recipes/plain-camera "))
	_, errOut, code = s.run("", "preset", "list", "--kind", "lamp")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "rig")
	snow := s.ok("preset", "list", "--tag", "day", "--tag", "snow")
	assert.Contains(t, snow, "recipes/snow-light")
	assert.NotContains(t, snow, "recipes/clear-noon", "all of several tags")
	assert.Contains(t, s.ok("preset", "show", "recipes/candle"), "dark, orange, warm")
	assert.Contains(t, s.ok("preset", "apply", "recipes/full-moon", "--to", saltmarsh, "--only", "moon,stars", "--dry-run"), "environment.moon")
	s.ok("preset", "apply", "recipes/candle", "--to", saltmarsh, "--at", "1,1,2", "--at", "2,1,2", "--on", "0,1,0")
	assert.Contains(t, s.ok("level", "origins", saltmarsh), "recipes/candle@1")
	assert.Contains(t, s.ok("level", "credits", saltmarsh), "recipes/candle@1 (preset): Grotta, CC0-1.0")
	_, errOut, code = s.run("", "level", "update", saltmarsh)
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "everything is at that version already")

	_, errOut, code = s.run("", "preset", "save", "attic", "--level", saltmarsh, "--zone", "attic")
	assert.Equal(t, 1, code)
	assert.Regexp(t, `/zone is "attic"; the level has these zones: \w.*, \w`, errOut)
	s.ok("preset", "save", "pier-lamp", "--level", saltmarsh, "--rig", "lantern-1")
	assert.Contains(t, s.ok("level", "link", saltmarsh, "pier-lamp"), "lantern-1, lantern-2, lantern-3, lantern-4 now follow pier-lamp")
	s.ok("light", "set", saltmarsh, "lantern-3-light", "strength=9")
	assert.Contains(t, s.ok("level", "give-others", saltmarsh, "lantern-3", "--changes", "dimmer"), "3 others brought to maren/pier-lamp@2")
	_, errOut, code = s.run("", "level", "give-others", saltmarsh, "work-lamp-1")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "follows no preset")

	file := filepath.Join(t.TempDir(), "light.zip")
	s.ok("preset", "pack", "recipes/candle", "ivo/morning-fog", "--out", file)
	assert.Contains(t, s.ok("preset", "unpack", file), "maren/morning-fog")
	s.ok("preset", "rename", "candle", "taper")
	s.ok("preset", "fork", "recipes/torch", "my-torch")
	s.ok("preset", "apply", "taper", "--to", saltmarsh, "--at", "1,1,2")
	_, errOut, code = s.run("", "preset", "delete", "taper")
	assert.Equal(t, 2, code)
	assert.Contains(t, errOut, "Saltmarsh Light")
	s.ok("preset", "delete", "taper", "--yes")
	picture := filepath.Join(t.TempDir(), "torch.jpg")
	s.ok("preset", "picture", "my-torch", "--out", picture)

	s.ok("team", "create", "station")
	s.ok("team", "member", "station", "ivo", "--as", "commenter")
	s.ok("level", "share", saltmarsh, "--team", "station", "--as", "editor")
	assert.Contains(t, s.ok("team", "list"), "ivo (commenter)")
	id := strings.TrimSpace(ivo.ok("comment", "add", saltmarsh, "Too dark, @maren", "--at", "1,2,3"))
	assert.Contains(t, s.ok("notices", "--read"), "Too dark")
	assert.Contains(t, s.ok("notices"), "Nothing new.")
	s.ok("comment", "settle", saltmarsh, id)
	assert.Contains(t, s.ok("comment", "list", saltmarsh), "Nothing is open.")
	assert.Contains(t, s.ok("comment", "list", saltmarsh, "--all"), "settled by maren")
	review := decode[api.Review](t, s.ok("review", "ask", saltmarsh, "ivo", "--json"))
	ivo.ok("review", "answer", saltmarsh, review.ID, "--approve")
	assert.Contains(t, s.ok("review", "list", saltmarsh), "approved")

	s.ok("variant", "create", saltmarsh, "pocket", "--platform", "pocket")
	s.ok("light", "set", saltmarsh, "hatch-lamp", "strength=9.5")
	assert.Contains(t, s.ok("variant", "list", saltmarsh), "behind")
	variant := saltmarsh + ", pocket"
	assert.Contains(t, s.ok("variant", "merge", variant, "--dry-run"), "9.5")
	s.ok("variant", "merge", variant)

	s.run("", "fit", saltmarsh, "--platform", "pocket", "--variant", "small")
	_, _, code = s.run("", "check", saltmarsh+", small", "--platform", "pocket", "--fail-on", "error")
	assert.Zero(t, code, "the variant keeps to the limits")

	link := strings.TrimSpace(s.ok("link", "create", "--level", variant))
	assert.Contains(t, ivo.ok("link", "open", link), "You may see the level")
	assert.Contains(t, s.ok("link", "list"), "ivo")
	assert.Contains(t, s.ok("audit", "--action", "share-level-with-team"), "maren")
	for _, wrong := range [][]string{{"level", "share", saltmarsh}, {"level", "share", saltmarsh, "ivo", "--as", "boss"}, {"review", "answer", saltmarsh, "x"}, {"link", "create"}, {"preset", "add", file}} {
		_, _, code := s.run("", wrong...)
		assert.NotZero(t, code, wrong)
	}
}
