package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"grotta/api"
	"grotta/cli"
	"grotta/demo"
	"grotta/service"
	"grotta/service/auth"
	"grotta/service/backup"
	"grotta/service/cluster"
	"grotta/service/rest"
	"grotta/service/store"
	"grotta/service/traces"
	"grotta/web"
)

// host is what the command line runs that is not a call to a service.
func host() cli.Host {
	return cli.Host{Version: rest.Version, Serve: serve, Work: work, Demo: runDemo, Personal: personal, People: openPeople, Clean: service.Clean,
		Backup: backup.Write, Restore: restore, Verify: backup.Verify, Schema: rest.Schema, SchemaNames: rest.SchemaNames, OpenAPI: openAPI}
}

func start(o cli.RunOptions) (*service.Service, error) {
	return service.Start(service.Options{
		Data: o.Data, Listen: o.Listen, Console: web.Console(),
		Log:   slog.New(slog.NewTextHandler(o.Err, &slog.HandlerOptions{Level: o.LogLevel})),
		Hosts: o.Hosts, MetricsToken: o.MetricsToken, PrivateWebhooks: o.PrivateHooks,
		Cluster: clusterOf(o.Cluster), BakeHere: o.BakeHere, Replica: o.Replica, ReplicaEvery: o.ReplicaEvery, Traces: o.Traces,
		Quota: store.Quota{Levels: o.QuotaLevels, Bytes: int64(o.QuotaMB) << 20, Bakes: o.QuotaBakes},
	})
}

func clusterOf(o cli.ClusterOptions) cluster.Options {
	return cluster.Options{URL: o.URL, Credentials: o.Credentials, CA: o.CA, Cert: o.Cert, Key: o.Key, Name: o.Name, Replicas: o.Replicas, Blobs: o.Blobs}
}

func restore(o cli.RestoreOptions) (api.Backup, error) {
	return service.Restore(o.From, clusterOf(o.Cluster), o.At, o.Data)
}

// work bakes for a service elsewhere. A first signal lets what is under way be finished, a second one ends at once.
func work(ctx context.Context, o cli.WorkOptions) error {
	to := clusterOf(o.Cluster)
	to.Log = slog.New(slog.NewTextHandler(o.Err, &slog.HandlerOptions{Level: o.LogLevel}))
	if o.Traces != "" {
		stop, err := traces.Send(traces.Options{To: o.Traces, Part: "worker", Instance: o.Name, Version: rest.Version, Log: to.Log})
		if err != nil {
			return err
		}
		defer stop()
	}
	w, err := cluster.Work(ctx, to, o.Name, o.Cache)
	if err != nil {
		return err
	}
	fmt.Fprintf(o.Out, "worker %s waits for layers to bake\n", o.Name)
	running, end := context.WithCancel(context.Background())
	defer end()
	go func() {
		<-ctx.Done()
		w.Drain()
		again := make(chan os.Signal, 1)
		signal.Notify(again, os.Interrupt, syscall.SIGTERM)
		select {
		case <-again:
			end()
		case <-running.Done():
		}
	}()
	return w.Run(running)
}

func wait(ctx context.Context, s *service.Service) error {
	select {
	case <-ctx.Done():
		return s.Stop()
	case err := <-s.Done():
		return errors.Join(err, s.Stop())
	}
}

func serve(ctx context.Context, o cli.RunOptions) error {
	s, err := start(o)
	if err != nil {
		return err
	}
	users, err := s.Store.Users(store.LocalAdmin)
	if err != nil {
		return errors.Join(err, s.Stop())
	}
	fmt.Fprintf(o.Out, "Grotta is at %s\n", s.URL)
	if len(users) == 0 {
		fmt.Fprintln(o.Out, "Nobody can sign in yet. From another terminal:  grotta user add NAME --data "+o.Data)
	}
	return wait(ctx, s)
}

// runDemo serves a fresh folder with two people, the demo level and presets: that of the options, which must be empty or new and is
// kept, or a temporary one.
func runDemo(ctx context.Context, o cli.RunOptions, keep bool) error {
	if o.Data == "" {
		dir, err := os.MkdirTemp("", "grotta-demo-")
		if err != nil {
			return err
		}
		if !keep {
			defer os.RemoveAll(dir)
		}
		o.Data = dir
	} else if files, err := os.ReadDir(o.Data); err == nil && len(files) > 0 {
		return fmt.Errorf("%s is not empty; the demo needs an empty or a new folder", o.Data)
	} else if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	s, err := start(o)
	if err != nil {
		return err
	}
	people, err := fillDemo(s.Store)
	if err != nil {
		return errors.Join(err, s.Stop())
	}
	sayDemo(o.Out, s.URL, o.Data, people)
	return wait(ctx, s)
}

func sayDemo(w io.Writer, url, dir string, people []demoUser) {
	fmt.Fprintf(w, "Grotta is at %s\n\nSign in as\n", url)
	for _, p := range people {
		fmt.Fprintf(w, "  %-6s  password  %s\n", p.name, p.password)
	}
	fmt.Fprintf(w, "\nor from another terminal:  bin/grotta login %s --server %s\nData: %s. Ctrl-C stops it.\n", people[0].name, url, dir)
}

// owner is who has a personal service.
const owner = "me"

// personal starts a service for one person, who is made if they are not there yet. Nobody signs in
// by a password: a token and links do.
func personal(o cli.RunOptions) (cli.Personal, error) {
	o.LogLevel = slog.LevelWarn
	s, err := start(o)
	if err != nil {
		return cli.Personal{}, err
	}
	token, err := personalToken(s.Store)
	if err != nil {
		return cli.Personal{}, errors.Join(err, s.Stop())
	}
	return cli.Personal{URL: s.URL, Token: token, Wait: func(ctx context.Context) error { return wait(ctx, s) }}, nil
}

// personalTokenDays is how long a token holds that a personal service makes when it starts.
const (
	personalTokenDays = 30
	personalTokenName = "grotta open"
)

func personalToken(st *store.Store) (string, error) {
	if !st.Knows(owner) {
		if _, err := st.CreateUser(api.NewUser{Name: owner, Password: auth.NewSecret(), Admin: true}); err != nil {
			return "", err
		}
	}
	id, err := st.UserID(owner)
	if err != nil {
		return "", err
	}
	me := store.Asker{ID: id, Name: owner, Admin: true, Scopes: api.Scopes}
	old, err := st.Tokens(me)
	if err != nil {
		return "", err
	}
	for _, t := range old { // of runs before
		if t.Name == personalTokenName {
			if err := st.RevokeToken(me, t.ID); err != nil {
				return "", err
			}
		}
	}
	t, err := st.NewToken(me, api.NewToken{Name: personalTokenName, Scopes: api.Scopes, Days: personalTokenDays}, time.Now().UTC())
	return t.Secret, err
}

type demoUser struct{ name, password string }

// fillDemo makes the demo's people, the levels of the first and the presets that
// the second shares with everybody.
func fillDemo(st *store.Store) ([]demoUser, error) {
	maren, ivo := demoUser{"maren", auth.NewSecret()[:12]}, demoUser{"ivo", auth.NewSecret()[:12]}
	owner, err := newAsker(st, maren)
	if err != nil {
		return nil, err
	}
	for _, from := range demo.Levels {
		if _, err := st.CreateLevel(owner, demo.Start(from), "demo"); err != nil {
			return nil, err
		}
	}
	friend, err := newAsker(st, ivo)
	if err != nil {
		return nil, err
	}
	for _, d := range demo.Presets() {
		if _, err := st.SavePreset(friend, api.NewPreset{Name: d.Name, Note: d.Note, Tags: d.Tags, Credit: demo.Credit}, d.Preset); err != nil {
			return nil, err
		}
		if err := st.SharePreset(friend, d.Name, api.Share{With: []string{store.Everybody}}); err != nil {
			return nil, err
		}
	}
	return []demoUser{maren, ivo}, nil
}

// newAsker makes a user and acts for them.
func newAsker(st *store.Store, u demoUser) (store.Asker, error) {
	if err := st.AddUser(u.name, u.password); err != nil {
		return store.Asker{}, err
	}
	now := time.Now().UTC()
	secret, _, err := st.SignIn(u.name, u.password, "", now)
	if err != nil {
		return store.Asker{}, err
	}
	asker, _, err := st.BySession(secret, now)
	return asker, errors.Join(err, st.SignOut(secret))
}

// people are those of a data folder, managed by whoever works on the folder itself.
type people struct{ store *store.Store }

func openPeople(data string, mayMake bool) (cli.People, error) {
	open := store.OpenExisting
	if mayMake {
		open = store.Open
	}
	st, err := open(data)
	return &people{st}, err
}

func (p *people) Users() ([]api.User, error) { return p.store.Users(store.LocalAdmin) }
func (p *people) Close() error               { return p.store.Close() }

func (p *people) CreateUser(u api.NewUser) error {
	_, err := p.store.CreateUser(u)
	return err
}

func (p *people) ChangeUser(name string, to api.UserChange) error {
	return p.store.ChangeUser(store.LocalAdmin, name, to)
}

func (p *people) SetPassword(name, password string) error {
	return p.store.SetPassword(store.LocalAdmin, name, api.NewPassword{New: password})
}

func (p *people) RemoveUser(name, heir string) error {
	return p.store.RemoveUser(store.LocalAdmin, name, heir)
}

// openAPI is the document that the service serves, indented.
func openAPI() ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	described := humagin.New(gin.New(), rest.Config())
	rest.Describe(described)
	return rest.Indent(described.OpenAPI())
}
