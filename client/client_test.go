package client_test

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/e2e/harness"
)

var ctx = context.Background()

func start(t *testing.T) (*harness.Grotta, *client.Client) {
	t.Helper()
	g, err := harness.Start(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, g.Stop()) })
	c, err := g.As("maren")
	require.NoError(t, err)
	return g, c
}

// A level is found by its id or by a name that only it has, however it is spelled.
func TestLevelsAreFoundByName(t *testing.T) {
	_, c := start(t)
	first, err := c.CreateLevel(ctx, api.NewLevel{From: "room", Name: "Cabin"})
	require.NoError(t, err)
	for _, ref := range []string{first.ID, "Cabin", "cabin"} {
		got, err := c.FindLevel(ctx, ref)
		require.NoError(t, err)
		assert.Equal(t, first.ID, got.ID)
	}
	_, err = c.FindLevel(ctx, "Attic")
	assert.ErrorContains(t, err, `no level is called "Attic"; there are "Cabin"`)
	second, err := c.CreateLevel(ctx, api.NewLevel{From: "room", Name: "CABIN"})
	require.NoError(t, err)
	_, err = c.FindLevel(ctx, "Cabin")
	assert.ErrorContains(t, err, first.ID)
	assert.ErrorContains(t, err, second.ID)
}

// Problems keep their code and places, and do not speak of HTTP.
func TestProblemsComeThrough(t *testing.T) {
	_, c := start(t)
	l, err := c.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	_, err = c.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"strength": -1}), 0)
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "invalid", p.Code)
	require.Len(t, p.Faults, 1)
	assert.Contains(t, p.Faults[0].Path, "/strength")
	for _, word := range []string{"Unprocessable", "HTTP", "422"} {
		assert.NotContains(t, err.Error(), word)
	}
}

func TestAServiceThatIsNotThere(t *testing.T) {
	c := &client.Client{URL: "http://127.0.0.1:9"}
	_, err := c.Levels(ctx)
	assert.ErrorContains(t, err, "the service at http://127.0.0.1:9 does not answer")
	assert.NotContains(t, err.Error(), "Get")
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "<html>", http.StatusBadGateway) }))
	defer other.Close()
	_, err = (&client.Client{URL: other.URL}).Levels(ctx)
	assert.ErrorContains(t, err, "not from a Grotta service")
}

// A watcher is told when nothing is missed any more, then what happens, then that the
// stream has ended.
func TestWatching(t *testing.T) {
	g, c := start(t)
	l, err := c.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	ready, kinds, over := make(chan struct{}), make(chan string, 16), make(chan error, 1)
	ivo, err := g.As("ivo")
	require.NoError(t, err)
	require.NoError(t, c.ShareLevel(ctx, l.ID, "ivo", "viewer"))
	go func() {
		over <- ivo.Watch(ctx, l.ID, func() { close(ready) }, func(e client.Event) { kinds <- e.Kind })
	}()
	<-ready
	_, err = c.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"strength": 7}), 0)
	require.NoError(t, err)
	assert.Equal(t, "revision", <-kinds)
	require.NoError(t, c.ShareLevel(ctx, l.ID, "ivo", ""))
	select {
	case err := <-over:
		assert.True(t, errors.Is(err, client.ErrEnded), "%v", err)
	case <-time.After(3 * time.Second):
		assert.Fail(t, "the stream goes on after the right was withdrawn")
	}
}

// People are managed through the API by an admin, and a password by whose it is.
func TestPeopleByTheAPI(t *testing.T) {
	g, admin := start(t)
	ivo, err := g.As("ivo")
	require.NoError(t, err)
	_, err = ivo.CreateUser(ctx, api.NewUser{Name: "ada", Password: "salt-marsh-light"})
	assert.ErrorContains(t, err, "admin")
	_, err = admin.CreateUser(ctx, api.NewUser{Name: "ada", Password: "salt-marsh-light"})
	require.NoError(t, err)
	yes := true
	require.NoError(t, admin.ChangeUser(ctx, "ada", api.UserChange{Disabled: &yes}))
	_, err = g.As("ada")
	assert.ErrorContains(t, err, "the name or the password is wrong")
	require.NoError(t, ivo.SetPassword(ctx, "ivo", api.NewPassword{Old: harness.Password, New: "another-salt-marsh"}))
	users, err := admin.Users(ctx)
	require.NoError(t, err)
	assert.Len(t, users, 3)
	require.NoError(t, admin.RemoveUser(ctx, "ada", ""))
	assert.Error(t, admin.RemoveUser(ctx, "ada", ""))
}
