// Package harness runs Grotta as tests and pictures need it: the real service on
// loopback with fresh data, people who can sign in, and a headless browser.
package harness

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"time"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/demo"
	"grotta/service"
	_ "grotta/service/auth/authtest"
	_ "grotta/service/jobs/jobstest"
	"grotta/service/store"
	"grotta/web"
)

// Password is everybody's.
const Password = "salt-marsh-light"

// Grotta is a running service with two people, maren and ivo.
type Grotta struct {
	*service.Service
	Data string
	Log  io.Writer
}

// Start runs a service on a folder of data, which may hold an earlier run's.
func Start(data string) (*Grotta, error) { return StartWith(data, func(*service.Options) {}) }

// StartWith is Start with other options.
func StartWith(data string, change func(*service.Options)) (*Grotta, error) {
	o := service.Options{
		Data: data, Listen: "127.0.0.1:0", Console: web.Console(),
		Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
	}
	change(&o)
	s, err := service.Start(o)
	if err != nil {
		return nil, err
	}
	for _, name := range []string{"maren", "ivo"} {
		if err := s.Store.AddUser(name, Password); err != nil && !errors.Is(err, store.ErrTaken) {
			return nil, errors.Join(err, s.Stop())
		}
	}
	return &Grotta{Service: s, Data: data}, nil
}

// As is a client that acts for somebody, with all scopes they may have or those given.
func (g *Grotta) As(name string, scopes ...string) (*client.Client, error) {
	c := &client.Client{URL: g.URL}
	token, err := c.SignIn(context.Background(), name, Password, api.NewToken{Name: "harness", Scopes: scopes})
	c.Token = token.Secret
	return c, err
}

// Demo gives maren the demo level and ivo the demo presets, shared with all.
func (g *Grotta) Demo(ctx context.Context) (*client.Client, api.LevelInfo, error) {
	maren, err := g.As("maren")
	if err != nil {
		return nil, api.LevelInfo{}, err
	}
	ivo, err := g.As("ivo")
	if err != nil {
		return nil, api.LevelInfo{}, err
	}
	for _, p := range demo.Presets() {
		asker := store.Asker{Name: "ivo", Scopes: api.Scopes}
		if asker.ID, err = g.Store.UserID("ivo"); err != nil {
			return nil, api.LevelInfo{}, err
		}
		if _, err := g.Store.SavePreset(asker, api.NewPreset{Name: p.Name, Note: p.Note, Tags: p.Tags, Credit: demo.Credit}, p.Preset); err != nil {
			return nil, api.LevelInfo{}, err
		}
		if err := ivo.SharePreset(ctx, p.Name, api.Share{With: []string{store.Everybody}}); err != nil {
			return nil, api.LevelInfo{}, err
		}
	}
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "demo"})
	return maren, l, err
}

// Import stores a level made by code.
func Import(ctx context.Context, c *client.Client, l *level.Level) (api.LevelInfo, error) {
	text, err := level.Encode(l)
	if err != nil {
		return api.LevelInfo{}, err
	}
	got, err := c.ImportLevel(ctx, text, api.ImportOptions{})
	return got.Level, err
}

// BakeAndWait bakes a level and waits for the end.
func BakeAndWait(ctx context.Context, c *client.Client, id, quality string) (api.Bake, error) {
	b, err := c.StartBake(ctx, id, quality)
	for err == nil && !b.Over() {
		time.Sleep(50 * time.Millisecond)
		b, err = c.Bake(ctx, b.ID)
	}
	if err == nil && b.State != "done" {
		err = fmt.Errorf("the bake ended as %s: %s", b.State, b.Error)
	}
	return b, err
}
