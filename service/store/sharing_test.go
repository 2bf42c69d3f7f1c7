package store

import (
	"bytes"
	"fmt"
	"image"
	"image/png"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
	"grotta/service/rights"
)

// twoPeople is a store with two people, and a third who is a stranger. They have no passwords, which
// take long to make.
func twoPeople(t *testing.T) (s *Store, maren, ivo, stranger Asker) {
	t.Helper()
	s, err := Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, s.Close()) })
	askers := make([]Asker, 3)
	for i, name := range []string{"maren", "ivo", "edda"} {
		u := user{Name: name, Admin: i == 0, Created: noon}
		require.NoError(t, s.db.Create(&u).Error)
		askers[i] = Asker{ID: u.ID, Name: name, Scopes: api.Scopes}
	}
	return s, askers[0], askers[1], askers[2]
}

func withImage(t *testing.T, credit, licence string) *level.Level {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 4, 2))))
	l, _, err := demo.Room().Apply(level.Batch("", level.Add("images", &level.Image{ID: "dusk", Name: "Dusk", Data: b.Bytes(), Credit: credit, Licence: licence}),
		level.Set("", map[string]any{"environment.sky.kind": "image", "environment.sky.image": "dusk"})))
	require.NoError(t, err)
	return l
}

func TestANumberIsNeverUsedAgain(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	look := func(ev float64) *preset.Preset {
		l := level.New("x")
		l.Look.ExposureEV = ev
		return preset.FromLook(l)
	}
	first, err := s.SavePreset(maren, api.NewPreset{Name: "calm", Note: "For halls.", Tags: []string{" Low  Fog", "hall", "HALL"}, Credit: "Maren"}, look(1))
	require.NoError(t, err)
	assert.Equal(t, []string{"low-fog", "hall"}, first.Tags)
	second, err := s.UploadPreset(maren, "calm", api.PresetMeta{Changes: "darker"}, look(2))
	require.NoError(t, err)
	assert.Equal(t, 2, second.Version)
	assert.Equal(t, "For halls.", second.Note, "words are not lost by an upload")
	assert.Equal(t, first.Tags, second.Tags)
	assert.Equal(t, "darker", second.Changes)
	require.NoError(t, s.SharePreset(maren, "calm", api.Share{With: []string{"ivo"}}))
	versions, err := s.PresetVersions(ivo, "maren", "calm")
	require.NoError(t, err)
	require.Len(t, versions, 2)
	_, old, err := s.Preset(ivo, "maren", "calm", 1)
	require.NoError(t, err)
	assert.Equal(t, 1.0, old.Look.ExposureEV)

	require.NoError(t, s.DeletePreset(maren, "calm"))
	_, _, err = s.Preset(maren, "maren", "calm", 0)
	assert.ErrorIs(t, err, ErrNotFound)
	page, err := s.FindPresets(maren, api.PresetSearch{Words: "calm"})
	require.NoError(t, err)
	assert.Zero(t, page.Total)
	third, err := s.SavePreset(maren, api.NewPreset{Name: "calm"}, look(3))
	require.NoError(t, err)
	assert.Equal(t, 3, third.Version)
	_, _, err = s.Preset(ivo, "maren", "calm", 0)
	assert.ErrorIs(t, err, ErrNotFound, "what was shared is not shared again")

	// Two who save at once get two versions.
	var wg sync.WaitGroup
	for i := range 8 {
		wg.Go(func() {
			_, err := s.SavePreset(maren, api.NewPreset{Name: "calm"}, look(10+float64(i)))
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	versions, err = s.PresetVersions(maren, "maren", "calm")
	require.NoError(t, err)
	assert.Len(t, versions, 9)
	assert.Equal(t, 11, versions[0].Version)
}

func TestRenameForkAndUses(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	_, err := s.SavePreset(maren, api.NewPreset{Name: "calm", Tags: []string{"hall"}}, preset.FromLook(demo.Room()))
	require.NoError(t, err)
	require.NoError(t, s.SharePreset(maren, "calm", api.Share{With: []string{Everybody}}))
	fork, err := s.ForkPreset(ivo, "maren", "calm", 0, "")
	require.NoError(t, err)
	assert.Equal(t, "maren/calm@1", fork.Forked)
	assert.Equal(t, "ivo", fork.Owner)
	assert.Equal(t, "maren", fork.MadeBy)
	_, err = s.ForkPreset(ivo, "maren", "calm", 0, "")
	assert.ErrorIs(t, err, ErrTaken)
	info, err := s.RenamePreset(maren, "calm", "quiet")
	require.NoError(t, err)
	assert.Equal(t, "quiet", info.Name)
	page, err := s.FindPresets(ivo, api.PresetSearch{Words: "quie"})
	require.NoError(t, err)
	require.Len(t, page.Items, 1)
	assert.Equal(t, "maren", page.Items[0].Owner)

	lev, err := s.CreateLevel(ivo, demo.Room(), "room")
	require.NoError(t, err)
	_, err = s.ApplyPreset(t.Context(), ivo, lev.ID, "maren", "quiet", 0, preset.Place{}, 0)
	require.NoError(t, err)
	uses, err := s.PresetUses(maren, "quiet")
	require.NoError(t, err)
	assert.Equal(t, api.PresetUses{Levels: []string{}, Others: 1}, uses)
	info, _, err = s.Preset(maren, "maren", "quiet", 0)
	require.NoError(t, err)
	assert.Equal(t, 1, info.Taken)
}

func TestWhatHasNoLicenceIsNotShared(t *testing.T) {
	s, maren, _, _ := twoPeople(t)
	_, err := s.SavePreset(maren, api.NewPreset{Name: "dusk"}, preset.FromSky(withImage(t, "", "CC0-1.0")))
	require.NoError(t, err)
	err = s.SharePreset(maren, "dusk", api.Share{With: []string{"ivo"}})
	assert.ErrorContains(t, err, "Dusk cannot be shared")
	_, err = s.NewShareLink(maren, api.NewShareLink{Kind: "preset", Preset: "dusk"}, noon)
	assert.ErrorContains(t, err, "Dusk cannot be shared")
	_, err = s.SavePreset(maren, api.NewPreset{Name: "dusk"}, preset.FromSky(withImage(t, "Ivo", "CC0-1.0")))
	require.NoError(t, err)
	require.NoError(t, s.SharePreset(maren, "dusk", api.Share{With: []string{"ivo"}}))
	_, err = s.SavePreset(maren, api.NewPreset{Name: "dusk"}, preset.FromSky(withImage(t, "Ivo", "")))
	assert.ErrorContains(t, err, "Dusk cannot be shared", "a shared preset gets no such version")
}

// Facets and words together; each holds.
func TestFindingPresets(t *testing.T) {
	withoutRaces(t)
	s, maren, ivo, stranger := twoPeople(t)
	require.NoError(t, s.SyncStarters())
	_, err := s.SavePreset(ivo, api.NewPreset{Name: "nebel", Note: "Über dem Moor", Tags: []string{"fog", "coast"}}, preset.FromMood(demo.Saltmarsh()))
	require.NoError(t, err)
	names := func(a Asker, want api.PresetSearch) (out []string) {
		page, err := s.FindPresets(a, want)
		require.NoError(t, err)
		for _, p := range page.Items {
			out = append(out, p.Name)
		}
		return out
	}
	assert.Equal(t, []string{"nebel"}, names(ivo, api.PresetSearch{Words: "uber moo"}), "accents and ends of words do not count")
	assert.Empty(t, names(maren, api.PresetSearch{Words: "nebel"}), "it is private")
	assert.Equal(t, "thick-fog", names(maren, api.PresetSearch{Words: "fog"})[0], "a name counts most")
	assert.Equal(t, []string{"candle", "ring-of-candles"}, names(maren, api.PresetSearch{Words: "candle", Kinds: []string{"rig"}, Sort: "name"}))
	for _, n := range names(maren, api.PresetSearch{Kinds: []string{"rig"}, Colour: "green"}) {
		assert.Equal(t, "way-out-sign", n)
	}
	assert.Contains(t, names(maren, api.PresetSearch{Brightness: "dark", Kinds: []string{"mood"}}), "full-moon")
	assert.NotContains(t, names(maren, api.PresetSearch{Brightness: "dark"}), "clear-noon")
	assert.Equal(t, []string{"after-rain", "rain-cloud"}, names(maren, api.PresetSearch{Tags: []string{"Rain", "day"}, Sort: "newest"}))
	page, err := s.FindPresets(stranger, api.PresetSearch{Words: `"no" OR such*) thing`})
	require.NoError(t, err)
	assert.Zero(t, page.Total)
	assert.NotEmpty(t, page.Try)
	first, err := s.FindPresets(maren, api.PresetSearch{Sort: "name", Limit: 10})
	require.NoError(t, err)
	second, err := s.FindPresets(maren, api.PresetSearch{Sort: "name", Limit: 10, From: 10})
	require.NoError(t, err)
	assert.Equal(t, len(preset.Starters()), first.Total)
	assert.Len(t, first.Items, 10)
	assert.Less(t, first.Items[9].Name, second.Items[0].Name)
}

// The service knows where a part came from, says what was changed, and brings newer versions.
func TestOriginsFollowTheirPreset(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	ctx := t.Context()
	_, err := s.SavePreset(ivo, api.NewPreset{Name: "dusk"}, preset.FromMood(demo.Saltmarsh()))
	require.NoError(t, err)
	require.NoError(t, s.SharePreset(ivo, "dusk", api.Share{With: []string{Everybody}}))
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	_, err = s.ApplyPreset(ctx, maren, lev.ID, "ivo", "dusk", 0, preset.Place{Only: []string{"fog", "look"}}, 0)
	require.NoError(t, err)
	of := func() []api.Origin {
		origins, err := s.Origins(maren, lev.ID)
		require.NoError(t, err)
		return origins
	}
	require.Len(t, of(), 1)
	assert.Equal(t, "ivo/dusk", of()[0].Preset)
	assert.Empty(t, of()[0].Changed)
	_, err = s.Apply(ctx, maren, lev.ID, level.Set("", map[string]any{"fog.haze.max": 0.123}), 0)
	require.NoError(t, err)
	require.Len(t, of()[0].Changed, 1)
	assert.Equal(t, "fog.haze.max", of()[0].Changed[0].Path)

	next, _, err := demo.Saltmarsh().Apply(level.Set("", map[string]any{"fog.haze.max": 0.5, "fog.haze.density": 0.9, "environment.ambient.strength": 77.0}))
	require.NoError(t, err)
	_, err = s.SavePreset(ivo, api.NewPreset{Name: "dusk", Changes: "thicker"}, preset.FromMood(next))
	require.NoError(t, err)
	assert.Equal(t, 2, of()[0].Newest)
	notices, err := s.Notices(maren, true)
	require.NoError(t, err)
	assert.Equal(t, "preset", notices[0].Kind)
	would, err := s.UpdateOrigins(ctx, maren, lev.ID, api.UpdateOrigins{Dry: true})
	require.NoError(t, err)
	require.Len(t, would.Clashes, 1)
	assert.Equal(t, "fog.haze.max", would.Clashes[0].Name())
	require.Len(t, would.Changes, 1)
	assert.Len(t, would.Changes[0].Fields, 1, "the density alone")
	done, err := s.UpdateOrigins(ctx, maren, lev.ID, api.UpdateOrigins{Take: []string{"fog.haze.max"}})
	require.NoError(t, err)
	assert.Equal(t, 1, done.Origins)
	_, doc, err := s.Level(maren, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, 0.5, doc.Fog.Haze.Max)
	assert.Equal(t, 0.9, doc.Fog.Haze.Density)
	assert.Equal(t, demo.Room().Environment.Ambient, doc.Environment.Ambient, "it was not taken")
	assert.Equal(t, 2, of()[0].Version)
	_, err = s.UpdateOrigins(ctx, maren, lev.ID, api.UpdateOrigins{})
	assert.ErrorIs(t, err, ErrNotFound)

	// Undo takes the newer version back, and then the preset itself.
	_, err = s.Undo(ctx, maren, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, 1, of()[0].Version)
	for range 2 {
		_, err = s.Undo(ctx, maren, lev.ID)
		require.NoError(t, err)
	}
	assert.Empty(t, of())
	_, err = s.Redo(ctx, maren, lev.ID)
	require.NoError(t, err)
	require.Len(t, of(), 1)
	require.NoError(t, s.EndOrigin(maren, lev.ID, of()[0].ID))
	assert.Empty(t, of())
	assert.Error(t, s.EndOrigin(ivo, lev.ID, "x"))

	// No edit forges an origin.
	_, err = s.Apply(ctx, maren, lev.ID, level.Add("rigs", &level.Rig{ID: "mine", Preset: "ivo/dusk@1", KeyStrength: 1}), 0)
	require.NoError(t, err)
	assert.Empty(t, of())
}

func TestLinkedRigsFollowTogether(t *testing.T) {
	s, maren, _, _ := twoPeople(t)
	ctx := t.Context()
	rig, err := preset.FromRig(demo.Saltmarsh(), "lantern-1")
	require.NoError(t, err)
	_, err = s.SavePreset(maren, api.NewPreset{Name: "lantern"}, rig)
	require.NoError(t, err)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	var spots []preset.Spot
	for i := range 20 {
		spots = append(spots, preset.Spot{At: level.Vec{float64(i), 2, 0}})
	}
	_, err = s.ApplyPreset(ctx, maren, lev.ID, "maren", "lantern", 0, preset.Place{More: spots}, 0)
	require.NoError(t, err)
	origins, err := s.Origins(maren, lev.ID)
	require.NoError(t, err)
	require.Len(t, origins, 20)
	_, doc, err := s.Level(maren, lev.ID)
	require.NoError(t, err)
	lamp := func(d *level.Level, rig string) *level.Light {
		for _, l := range d.Lights {
			if l.Rig == rig {
				return l
			}
		}
		return nil
	}
	own := origins[3].Rig
	_, err = s.Apply(ctx, maren, lev.ID, level.Set(lamp(doc, own).ID, map[string]any{"strength": 5.0}), 0)
	require.NoError(t, err)
	rig.Parts.Lights[0].Strength = 321
	_, err = s.SavePreset(maren, api.NewPreset{Name: "lantern"}, rig)
	require.NoError(t, err)
	done, err := s.UpdateOrigins(ctx, maren, lev.ID, api.UpdateOrigins{})
	require.NoError(t, err)
	assert.Equal(t, 20, done.Origins)
	assert.Len(t, done.Clashes, 1)
	_, doc, err = s.Level(maren, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, 5.0, lamp(doc, own).Strength, "an override holds")
	assert.Equal(t, 321.0, lamp(doc, origins[4].Rig).Strength)
	origins, err = s.Origins(maren, lev.ID)
	require.NoError(t, err)
	require.Len(t, origins, 20)
	over := 0
	for _, o := range origins {
		assert.Equal(t, 2, o.Version)
		over += len(o.Changed)
	}
	assert.Equal(t, 1, over)
	credits, err := s.Credits(maren, lev.ID)
	require.NoError(t, err)
	assert.Len(t, credits, 1)
}

func TestTeamsAndRoles(t *testing.T) {
	s, maren, ivo, edda := twoPeople(t)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.NewTeam(maren, api.NewTeam{Name: "station"}))
	assert.ErrorIs(t, s.NewTeam(ivo, api.NewTeam{Name: "station"}), ErrTaken)
	require.NoError(t, s.SetTeamMember(maren, "station", "ivo", "editor"))
	require.NoError(t, s.SetTeamMember(maren, "station", "edda", "commenter"))
	require.NoError(t, s.SetLevelTeam(maren, lev.ID, "station", "editor"))
	role := func(a Asker) rights.Role {
		r, err := s.Role(a, lev.ID)
		require.NoError(t, err)
		return r
	}
	assert.Equal(t, rights.Editor, role(ivo))
	assert.Equal(t, rights.Commenter, role(edda))
	require.NoError(t, s.SetLevelTeam(maren, lev.ID, "station", "viewer"))
	assert.Equal(t, rights.Viewer, role(ivo), "nobody has more than the team has on it")
	require.NoError(t, s.SetMember(maren, lev.ID, "ivo", "editor"))
	assert.Equal(t, rights.Editor, role(ivo), "the higher of both")
	levels, err := s.Levels(edda)
	require.NoError(t, err)
	require.Len(t, levels, 1)
	assert.Equal(t, "viewer", levels[0].Role)
	assert.ErrorIs(t, s.SetTeamMember(ivo, "station", "edda", "owner"), ErrForbidden)
	assert.ErrorIs(t, s.SetTeamMember(maren, "station", "maren", ""), ErrTaken, "a team keeps an owner")
	require.NoError(t, s.SetTeamMember(edda, "station", "edda", ""))
	assert.Equal(t, rights.Nobody, role(edda))

	_, err = s.SavePreset(maren, api.NewPreset{Name: "calm"}, preset.FromLook(demo.Room()))
	require.NoError(t, err)
	require.NoError(t, s.SharePreset(maren, "calm", api.Share{Teams: []string{"station"}}))
	page, err := s.FindPresets(ivo, api.PresetSearch{Team: "station"})
	require.NoError(t, err)
	require.Len(t, page.Items, 1)
	_, _, err = s.Preset(edda, "maren", "calm", 0)
	assert.ErrorIs(t, err, ErrNotFound)
	teams, err := s.Teams(ivo)
	require.NoError(t, err)
	assert.Equal(t, "editor", teams[0].Role)
	assert.Equal(t, 1, teams[0].Levels)
	require.NoError(t, s.DeleteTeam(maren, "station"))
	_, _, err = s.Preset(ivo, "maren", "calm", 0)
	assert.ErrorIs(t, err, ErrNotFound)
	require.NoError(t, s.GiveLevel(maren, lev.ID, "edda"))
	assert.Equal(t, rights.Owner, role(edda))
	assert.Equal(t, rights.Editor, role(maren))
}

func TestLinksOpenAndEnd(t *testing.T) {
	s, maren, ivo, edda := twoPeople(t)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	link, err := s.NewShareLink(maren, api.NewShareLink{Kind: "level", Level: lev.ID, Role: "commenter", Hours: 1}, noon)
	require.NoError(t, err)
	opened, err := s.OpenLink(ivo, link.Secret, noon)
	require.NoError(t, err)
	assert.Equal(t, lev.ID, opened.Level)
	role, err := s.Role(ivo, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, rights.Commenter, role)
	_, err = s.OpenLink(edda, link.Secret, noon.Add(2*time.Hour))
	assert.ErrorIs(t, err, ErrNotFound, "it has expired")
	_, err = s.OpenLink(edda, "no-such-link", noon)
	assert.ErrorIs(t, err, ErrNotFound)
	links, err := s.ShareLinks(maren)
	require.NoError(t, err)
	require.Len(t, links[0].Uses, 1)
	assert.Equal(t, "ivo", links[0].Uses[0].User)
	assert.Empty(t, links[0].Secret)
	assert.ErrorIs(t, s.WithdrawLink(ivo, link.ID), ErrNotFound)
	require.NoError(t, s.WithdrawLink(maren, link.ID))
	role, err = s.Role(ivo, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, rights.Nobody, role)
	_, err = s.NewShareLink(ivo, api.NewShareLink{Kind: "level", Level: lev.ID}, noon)
	assert.ErrorIs(t, err, ErrNotFound)

	_, err = s.NewShareLink(ivo, api.NewShareLink{Kind: "join"}, noon)
	assert.ErrorIs(t, err, ErrForbidden)
	maren.Admin = true
	join, err := s.NewShareLink(maren, api.NewShareLink{Kind: "join"}, noon)
	require.NoError(t, err)
	assert.ErrorContains(t, s.Join(api.Join{Secret: join.Secret, Name: "No Name", Password: "salt-marsh-light"}, noon), "/name")
	assert.ErrorIs(t, s.Join(api.Join{Secret: join.Secret, Name: "ivo", Password: "salt-marsh-light"}, noon), ErrTaken)
	require.NoError(t, s.Join(api.Join{Secret: join.Secret, Name: "nils", Password: "salt-marsh-light"}, noon))
	assert.True(t, s.Knows("nils"))
	assert.ErrorIs(t, s.Join(api.Join{Secret: join.Secret, Name: "olga", Password: "salt-marsh-light"}, noon), ErrNotFound, "one person can use it")
}

func TestCommentsThreadsAndReviews(t *testing.T) {
	s, maren, ivo, edda := twoPeople(t)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.SetMember(maren, lev.ID, "ivo", "commenter"))
	require.NoError(t, s.SetMember(maren, lev.ID, "edda", "viewer"))
	first, err := s.AddComment(ivo, lev.ID, api.NewComment{Text: "Too dark here, @maren and @nobody. <b>See</b> mail@edda", At: &level.Vec{1, 2, 3}, Entity: "lamp"})
	require.NoError(t, err)
	_, err = s.AddComment(maren, lev.ID, api.NewComment{Text: "Better?", Thread: first.ID})
	require.NoError(t, err)
	_, err = s.AddComment(edda, lev.ID, api.NewComment{Text: "x"})
	assert.ErrorIs(t, err, ErrForbidden)
	_, err = s.AddComment(ivo, lev.ID, api.NewComment{Text: "x", Thread: "none"})
	assert.ErrorContains(t, err, "/thread")
	all, err := s.Comments(edda, lev.ID)
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, &level.Vec{1, 2, 3}, all[0].At)
	assert.Equal(t, first.ID, all[1].Thread)
	kinds := func(a Asker) (out []string) {
		notices, err := s.Notices(a, true)
		require.NoError(t, err)
		for _, n := range notices {
			out = append(out, n.Kind)
		}
		return out
	}
	assert.Contains(t, kinds(maren), "mention")
	assert.Contains(t, kinds(ivo), "answer")
	assert.NotContains(t, kinds(edda), "mention", "an address is no call")
	yes, text := true, "Still too dark"
	require.NoError(t, s.ChangeComment(maren, lev.ID, first.ID, api.CommentChange{Resolved: &yes}, noon))
	assert.ErrorIs(t, s.ChangeComment(maren, lev.ID, first.ID, api.CommentChange{Text: &text}, noon), ErrForbidden)
	require.NoError(t, s.ChangeComment(ivo, lev.ID, first.ID, api.CommentChange{Text: &text}, noon))
	assert.ErrorContains(t, s.ChangeComment(ivo, lev.ID, all[1].ID, api.CommentChange{Resolved: &yes}, noon), "/resolved")
	all, err = s.Comments(ivo, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, "maren", all[0].Resolver)
	assert.NotNil(t, all[0].Edited)
	require.NoError(t, s.DeleteComment(maren, lev.ID, first.ID))
	all, err = s.Comments(ivo, lev.ID)
	require.NoError(t, err)
	assert.Empty(t, all, "its answers go with it")

	review, err := s.AskReview(maren, lev.ID, api.NewReview{Reviewer: "ivo", Text: "Ready?"}, 0, 2)
	require.NoError(t, err)
	assert.Equal(t, 1, review.Revision)
	_, err = s.AnswerReview(edda, lev.ID, review.ID, api.ReviewAnswer{State: "approved"}, noon)
	assert.ErrorIs(t, err, ErrForbidden)
	_, err = s.AnswerReview(ivo, lev.ID, review.ID, api.ReviewAnswer{State: "changes_wanted", Text: "The stair."}, noon)
	require.NoError(t, err)
	reviews, err := s.Reviews(edda, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, "changes_wanted", reviews[0].State)
	assert.Equal(t, 2, reviews[0].Warnings)
	assert.Contains(t, kinds(maren), "judged")
	require.NoError(t, s.ReadNotices(maren, nil, noon))
	assert.Empty(t, kinds(maren))

	// Who is removed leaves what they wrote.
	_, err = s.AddComment(ivo, lev.ID, api.NewComment{Text: "Bye"})
	require.NoError(t, err)
	require.NoError(t, s.RemoveUser(maren, "ivo", "edda"))
	all, err = s.Comments(maren, lev.ID)
	require.NoError(t, err)
	assert.Equal(t, "edda", all[0].Author)
}

func TestVariantsAreMergedFieldByField(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	ctx := t.Context()
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.SetMember(maren, lev.ID, "ivo", "editor"))
	variant, err := s.NewVariant(ivo, lev.ID, api.NewVariant{Name: "pocket", Platform: "pocket"})
	require.NoError(t, err)
	id := variant.Level.ID
	_, err = s.NewVariant(maren, id, api.NewVariant{Name: "of it"})
	assert.ErrorIs(t, err, ErrTaken)
	set := func(a Asker, on string, fields map[string]any) {
		_, err := s.Apply(ctx, a, on, level.Set("lamp", fields), 0)
		require.NoError(t, err)
	}
	set(ivo, id, map[string]any{"shadows.cast": false, "strength": 10.0})
	set(maren, lev.ID, map[string]any{"kelvin": 5000.0, "strength": 20.0})
	all, err := s.Variants(maren, lev.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, 1, all[0].Behind)

	would, err := s.MergeVariant(ctx, ivo, id, api.NewMerge{Into: "variant", Dry: true})
	require.NoError(t, err)
	require.Len(t, would.Clashes, 1)
	assert.Equal(t, "lights/lamp/strength", would.Clashes[0].Name())
	_, err = s.MergeVariant(ctx, ivo, id, api.NewMerge{Into: "variant"})
	require.NoError(t, err)
	_, doc, err := s.Level(ivo, id)
	require.NoError(t, err)
	assert.Equal(t, 5000.0, doc.Light("lamp").Kelvin)
	assert.Equal(t, 10.0, doc.Light("lamp").Strength)
	assert.False(t, doc.Light("lamp").Shadows.Cast)
	assert.Equal(t, "pocket", doc.Platform)
	all, err = s.Variants(maren, id)
	require.NoError(t, err)
	assert.Zero(t, all[0].Behind)

	// Back into the original: what the variant has of its own.
	back, err := s.MergeVariant(ctx, maren, id, api.NewMerge{Into: "original", Take: []string{"all"}})
	require.NoError(t, err)
	assert.Equal(t, lev.ID, back.Level)
	assert.Empty(t, back.Clashes, "the variant has the original's since")
	_, doc, err = s.Level(maren, lev.ID)
	require.NoError(t, err)
	assert.False(t, doc.Light("lamp").Shadows.Cast)
	assert.Equal(t, 10.0, doc.Light("lamp").Strength)
	assert.Equal(t, demo.Room().Name, doc.Name)
	assert.Empty(t, doc.Platform)
	_, err = s.Undo(ctx, maren, lev.ID)
	require.NoError(t, err)
	again, err := s.MergeVariant(ctx, ivo, id, api.NewMerge{Into: "variant"})
	require.NoError(t, err)
	assert.NotZero(t, again.Revision)
	_, err = s.MergeVariant(ctx, maren, lev.ID, api.NewMerge{Into: "variant"})
	assert.ErrorIs(t, err, ErrNotFound)
}

func TestCopyWithHistory(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	for i := range 3 {
		_, err := s.Apply(t.Context(), maren, lev.ID, level.Set("lamp", map[string]any{"strength": float64(i)}), 0)
		require.NoError(t, err)
	}
	require.NoError(t, s.SetMember(maren, lev.ID, "ivo", "viewer"))
	own, err := s.CopyLevel(ivo, lev.ID, api.LevelCopy{Name: "Mine", History: true})
	require.NoError(t, err)
	history, err := s.History(ivo, own.ID, 0, 10)
	require.NoError(t, err)
	require.Len(t, history, 5)
	assert.Equal(t, "maren", history[1].Author)
	for n, strength := range map[int]float64{2: 0, 3: 1, 4: 2, 5: 2} {
		was, err := s.LevelAt(t.Context(), ivo, own.ID, n)
		require.NoError(t, err)
		assert.Equal(t, strength, was.Light("lamp").Strength)
	}
	was, err := s.LevelAt(t.Context(), ivo, own.ID, 4)
	require.NoError(t, err)
	assert.Equal(t, demo.Room().Name, was.Name)

	// What came from presets is known in copies and variants too.
	_, err = s.SavePreset(ivo, api.NewPreset{Name: "calm"}, preset.FromLook(demo.Saltmarsh()))
	require.NoError(t, err)
	_, err = s.ApplyPreset(t.Context(), ivo, own.ID, "ivo", "calm", 0, preset.Place{}, 0)
	require.NoError(t, err)
	plain, err := s.CopyLevel(ivo, own.ID, api.LevelCopy{})
	require.NoError(t, err)
	variant, err := s.NewVariant(ivo, own.ID, api.NewVariant{Name: "dim"})
	require.NoError(t, err)
	for _, id := range []string{own.ID, plain.ID, variant.Level.ID} {
		origins, err := s.Origins(ivo, id)
		require.NoError(t, err)
		require.Len(t, origins, 1)
		assert.Equal(t, "ivo/calm", origins[0].Preset)
	}
	// A variant that goes leaves nothing behind.
	require.NoError(t, s.DeleteLevel(ivo, variant.Level.ID, noon))
	require.NoError(t, s.EraseLevel(ivo, variant.Level.ID))
	var orphans int64
	require.NoError(t, s.db.Raw("SELECT count(*) FROM documents d WHERE NOT EXISTS (SELECT 1 FROM levels WHERE document_hash = d.hash OR base_hash = d.hash)").Scan(&orphans).Error)
	assert.Zero(t, orphans)
}

func TestWebhooksAndAudit(t *testing.T) {
	s, maren, ivo, _ := twoPeople(t)
	hook, err := s.NewWebhook(ivo, "https://example.test/hook")
	require.NoError(t, err)
	assert.NotEmpty(t, hook.Secret)
	lev, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	require.NoError(t, s.SetMember(maren, lev.ID, "ivo", "viewer"))
	later := time.Now().Add(time.Minute)
	due, err := s.DueSends(later, 10)
	require.NoError(t, err)
	require.Len(t, due, 1)
	assert.Contains(t, string(due[0].Body), "shares this level")
	again := later.Add(time.Hour)
	require.NoError(t, s.Sent(due[0].ID, "answered 500", &again))
	due, err = s.DueSends(later, 10)
	require.NoError(t, err)
	assert.Empty(t, due)
	due, err = s.DueSends(again, 10)
	require.NoError(t, err)
	require.Len(t, due, 1)
	assert.Equal(t, 1, due[0].Tries)
	require.NoError(t, s.Sent(due[0].ID, "", nil))
	hooks, err := s.Webhooks(ivo)
	require.NoError(t, err)
	assert.Equal(t, 1, hooks[0].Sent)
	assert.Zero(t, hooks[0].Failed)
	assert.ErrorIs(t, s.DeleteWebhook(maren, hook.ID), ErrNotFound)
	require.NoError(t, s.DeleteWebhook(ivo, hook.ID))

	for i := range 5 {
		require.NoError(t, s.Audit("maren", "share-level", fmt.Sprintf("level %d", i), noon))
	}
	require.NoError(t, s.Audit("ivo", "sign-in", "", noon.Add(-500*24*time.Hour)))
	entries, err := s.AuditList(AuditSearch{Who: "maren", About: "level", Limit: 3})
	require.NoError(t, err)
	require.Len(t, entries, 3)
	assert.Equal(t, "level 4", entries[0].About)
	require.NoError(t, s.DropOldAudit(noon))
	entries, err = s.AuditList(AuditSearch{Who: "ivo", Limit: 3})
	require.NoError(t, err)
	assert.Empty(t, entries)
}
