package endure

import (
	"context"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/backup"
)

// However often the service is killed in the middle of edits and bakes: every edit that
// was acknowledged is there, no bake is left undone, and all data is sound.
func TestKilledServicesLoseNothing(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	newData(t, data)
	ctx, r := context.Background(), rand.New(rand.NewPCG(16, 5))
	p := serve(t, data)
	c := p.signIn(t)
	info, err := c.CreateLevel(ctx, api.NewLevel{From: "room", Name: "Room"})
	require.NoError(t, err)
	acknowledged, strength := info.Revision, 0.0
	bakes := []string{}
	kills := rounds(8, 60)
	for kill := range kills {
		after := time.After(time.Duration(r.IntN(700)) * time.Millisecond)
		for edits := 0; ; edits++ {
			if edits%5 == 0 && len(bakes) < kill+1 {
				if b, err := c.StartBake(ctx, info.ID, []string{"draft", "good"}[kill%2]); err == nil {
					bakes = append(bakes, b.ID)
				}
			}
			want := float64(r.IntN(1000))
			fields := map[string]any{"strength": want, "transform.position": []any{r.Float64(), 2.0, r.Float64()}}
			if rev, err := c.Apply(ctx, info.ID, level.Set("lamp", fields), 0); err == nil {
				acknowledged, strength = rev.Number, want
			}
			select {
			case <-after:
			default:
				continue
			}
			break
		}
		p.Kill()
		p = serve(t, data)
		c.URL = p.URL
		doc, err := c.Level(ctx, info.ID)
		require.NoError(t, err, "%s", p.Log)
		require.GreaterOrEqual(t, doc.Level.Revision, acknowledged, "kill %d", kill)
		if doc.Level.Revision == acknowledged {
			require.Equal(t, strength, doc.Document.Light("lamp").Strength)
		}
	}
	for _, id := range bakes {
		b := ended(t, c, id)
		assert.Equal(t, "done", b.State, b.Error)
	}
	require.NoError(t, p.Cmd.Process.Signal(os.Interrupt))
	assert.NoError(t, p.Cmd.Wait(), "it stops cleanly when asked")
	found, err := backup.Verify(data)
	require.NoError(t, err)
	assert.Empty(t, found.Faults)
	t.Logf("%d kills, %d edits acknowledged, %d bakes: nothing lost", kills, acknowledged-1, len(bakes))
}

// A backup is whole or not there, also when it is cut off; it restores to the same data,
// or to nothing when that is cut off.
func TestBackupsAreWholeOrNotThere(t *testing.T) {
	dir := t.TempDir()
	data, file := filepath.Join(dir, "data"), filepath.Join(dir, "all.backup")
	newData(t, data)
	p := serve(t, data)
	c := p.signIn(t)
	ctx := context.Background()
	info, err := c.CreateLevel(ctx, api.NewLevel{From: "demo"})
	require.NoError(t, err)
	b, err := c.StartBake(ctx, info.ID, "draft")
	require.NoError(t, err)
	require.Equal(t, "done", ended(t, c, b.ID).State)

	stop := make(chan struct{})
	edited := make(chan int)
	go func() { // the service goes on meanwhile
		n := 0
		for {
			select {
			case <-stop:
				edited <- n
				return
			default:
			}
			if _, err := c.Apply(ctx, info.ID, level.Set("", map[string]any{"look.exposure_ev": float64(n % 9)}), 0); err == nil {
				n++
			}
		}
	}()
	cut := 0
	for i := range rounds(5, 40) {
		if killed(t, time.Duration(5+11*i)*time.Millisecond, "backup", file, "--data", data) {
			cut++
			wholeOrNotThere(t, file)
		}
		os.Remove(file)
	}
	run(t, "", "backup", file, "--data", data)
	close(stop)
	assert.Positive(t, <-edited)
	p.Kill()

	restored := filepath.Join(dir, "restored")
	for i := range rounds(5, 40) {
		if killed(t, time.Duration(5+11*i)*time.Millisecond, "restore", file, "--data", restored) {
			cut++
			if _, err := os.Stat(restored); err == nil { // cut off after its last step
				assert.Contains(t, run(t, "", "verify", "--data", restored), "all is sound")
			}
		}
		os.RemoveAll(restored)
	}
	assert.Positive(t, cut, "some were cut off")
	run(t, "", "restore", file, "--data", restored)
	assert.Contains(t, run(t, "", "verify", "--data", restored), "all is sound")
	p = serve(t, restored)
	c = p.signIn(t)
	m, err := c.Lightmap(ctx, info.ID, true)
	require.NoError(t, err)
	assert.Zero(t, m.Stale, "its layers came along")
	t.Logf("%d backups and restores cut off", cut)
}

// wholeOrNotThere restores a backup that is there after its command was killed: that came
// after the last step, and so it has everything.
func wholeOrNotThere(t *testing.T, file string) {
	if _, err := os.Stat(file); err != nil {
		return
	}
	data := filepath.Join(t.TempDir(), "whole")
	run(t, "", "restore", file, "--data", data)
	assert.Contains(t, run(t, "", "verify", "--data", data), "all is sound")
}
