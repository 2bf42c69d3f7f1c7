package cluster

import (
	"net/http/httptest"
	"path/filepath"
	"testing"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// The serving machine is killed and its disk lost; what it acknowledged longer ago than the stated time is
// there on another one, from the copy in the cluster, in a folder or in an S3 store. Layers are baked again.
func TestTheServingMachineIsLost(t *testing.T) {
	nats := startNodes(t, 1)
	folder := filepath.Join(t.TempDir(), "records")
	t.Setenv("AWS_ACCESS_KEY_ID", "somebody")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "secret")
	backend := s3mem.New()
	require.NoError(t, backend.CreateBucket("light"))
	s3 := httptest.NewServer(gofakes3.New(backend).Server())
	defer s3.Close()
	for name, args := range map[string]struct{ keep, restore []string }{
		"s3":     {[]string{"--replica", s3.URL + "/light/records"}, []string{s3.URL + "/light/records"}},
		"folder": {[]string{"--replica", folder}, []string{folder}},
		"nats":   {[]string{"--nats", nats.url(), "--replica", "nats"}, []string{"--nats", nats.url()}},
	} {
		t.Run(name, func(t *testing.T) {
			p, c := serve(t, t.TempDir(), append(args.keep, "--replica-every", "0.25")...)
			info, err := c.CreateLevel(t.Context(), api.NewLevel{From: "room"})
			require.NoError(t, err)
			bake(t, c, info.ID)
			began, acknowledged := time.Now(), map[time.Duration]float64{}
			for i := range 60 {
				strength := float64(100 + i)
				_, err := c.Apply(t.Context(), info.ID, level.Set("lamp", map[string]any{"strength": strength}), 0)
				require.NoError(t, err)
				acknowledged[time.Since(began)] = strength
				time.Sleep(50 * time.Millisecond)
			}
			p.Kill()
			killed := time.Since(began)

			data := filepath.Join(t.TempDir(), "data")
			out, err := harness.Command(binary, append(append([]string{"restore"}, args.restore...), "--data", data)...).CombinedOutput()
			require.NoError(t, err, "%s", out)
			again := run(t, 0, "serve", "--data", data, "--listen", "127.0.0.1:0")
			c2 := &client.Client{URL: again.URL, Token: c.Token}
			doc, err := c2.Level(t.Context(), info.ID)
			require.NoError(t, err)
			const window = time.Second // a quarter of one, and what a copy takes on a busy machine
			least := 0.0
			for at, strength := range acknowledged {
				if at < killed-window {
					least = max(least, strength)
				}
			}
			assert.Greater(t, least, 110.0)
			assert.GreaterOrEqual(t, doc.Document.Light("lamp").Strength, least)
			bake(t, c2, info.ID)

			out, err = harness.Command(binary, append(append([]string{"restore"}, args.restore...), "--at", "2020-01-01T00:00:00Z", "--data", data+"-early")...).CombinedOutput()
			assert.Error(t, err)
			assert.Contains(t, string(out), "2020-01-01T00:00:00Z is before")
		})
	}
	out := output(t, "restore", "--data", filepath.Join(t.TempDir(), "x"), "--nats", nats.url(), "--nats-name", "nobody")
	assert.Contains(t, out, "no copy of records is there")
	out = output(t, "restore", s3.URL+"/light/nobody", "--data", filepath.Join(t.TempDir(), "x"))
	assert.Contains(t, out, "no copy of records is there")
}

// bake bakes a level at draft.
func bake(t *testing.T, c *client.Client, level string) {
	t.Helper()
	b, err := c.StartBake(t.Context(), level, "draft")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		b, err = c.Bake(t.Context(), b.ID)
		return err == nil && b.Over()
	}, time.Minute, 50*time.Millisecond)
	assert.Equal(t, "done", b.State)
}
