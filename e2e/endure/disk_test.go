package endure

import (
	"context"
	"errors"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

// smallDisk mounts a disk of some megabytes, where the system lets it.
func smallDisk(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	if out, err := exec.Command("mount", "-t", "tmpfs", "-o", "size=24m", "tmpfs", dir).CombinedOutput(); err != nil {
		t.Skipf("no small disk can be mounted here (it takes root on Linux): %s", out)
	}
	t.Cleanup(func() { exec.Command("umount", dir).Run() })
	return dir
}

// fill takes all room on a disk but so many bytes, and gives it back when called.
func fill(t *testing.T, dir string, leave int64) (free func()) {
	t.Helper()
	name := filepath.Join(dir, "ballast")
	f, err := os.Create(name)
	require.NoError(t, err)
	block := make([]byte, 64<<10)
	var size int64
	for {
		n, err := f.Write(block)
		if size += int64(n); err != nil {
			break
		}
	}
	require.NoError(t, f.Truncate(max(size-leave, 0)))
	require.NoError(t, f.Close())
	return func() { os.Remove(name) }
}

// A full disk is said, loses nothing, and everything goes on by itself when there is room
// again, bakes that were under way among it.
func TestAFullDiskHeals(t *testing.T) {
	disk := smallDisk(t)
	data := filepath.Join(disk, "data")
	newData(t, data)
	p := serve(t, data)
	c := p.signIn(t)
	ctx := context.Background()
	info, err := c.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, p.ready(t))
	refusals := 0
	for round := range rounds(3, 30) {
		b, err := c.StartBake(ctx, info.ID, "good")
		require.NoError(t, err)
		free := fill(t, disk, int64(round%4)*20_000)
		before, err := c.Level(ctx, info.ID)
		require.NoError(t, err, "reading goes on")
		edits := 0
		for range 200 { // the database has some pages of its own left
			_, err = c.Apply(ctx, info.ID, level.Set("lamp", map[string]any{"strength": float64(round)}), 0)
			if err != nil {
				break
			}
			edits++
		}
		_, err = c.ImportLevel(ctx, large(), api.ImportOptions{})
		var problem *api.Problem
		if assert.True(t, errors.As(err, &problem), "%v", err) {
			assert.Equal(t, http.StatusInsufficientStorage, problem.Status)
			assert.Equal(t, "disk-full", problem.Code)
			refusals++
		}
		assert.Equal(t, http.StatusServiceUnavailable, p.ready(t), "and it says so")
		after, err := c.Level(ctx, info.ID)
		require.NoError(t, err)
		assert.Equal(t, before.Level.Revision+edits, after.Level.Revision, "what was acknowledged is there, and nothing else")
		free()
		require.Eventually(t, func() bool { return p.ready(t) == http.StatusOK }, 10*time.Second, 50*time.Millisecond)
		_, err = c.Apply(ctx, info.ID, level.Set("lamp", map[string]any{"transform.position": []any{float64(round%5) / 10, 2.0, 0.0}}), 0)
		require.NoError(t, err, "without a restart; %s", p.Log)
		done := ended(t, c, b.ID)
		assert.Equal(t, "done", done.State, done.Error)
	}
	again, err := c.StartBake(ctx, info.ID, "draft")
	require.NoError(t, err)
	assert.Equal(t, "done", ended(t, c, again.ID).State)
	p.Kill()
	assert.Contains(t, run(t, "", "verify", "--data", data), "all is sound")
	t.Logf("%d full disks, each refused and healed", refusals)
}

// large is a level that does not fit into the little that is left.
func large() []byte {
	l := level.New("Large")
	m := level.Default[level.Mesh]()
	m.ID = "m"
	for i := range 300_000 {
		m.Positions = append(m.Positions, float64(i*7919%9973)/7, float64(i*31%997)/3, float64(i*17%1009)/11)
	}
	m.Indices = []uint32{0, 1, 2}
	l.Meshes = []*level.Mesh{&m}
	text, err := level.Encode(l)
	if err != nil {
		panic(err)
	}
	return text
}

// killed runs a command and kills it after a while. It tells whether that came in time.
func killed(t *testing.T, after time.Duration, args ...string) bool {
	t.Helper()
	cmd := exec.Command(binary, args...)
	require.NoError(t, cmd.Start())
	time.AfterFunc(after, func() { cmd.Process.Kill() })
	err := cmd.Wait()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	return err != nil
}
