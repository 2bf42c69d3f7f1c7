package endure

import (
	"fmt"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
)

const peopleTogether = 20

// Twenty people light one level at once: each changes a lamp of their own and a field that all share,
// takes edits back, and says something. Every edit that was acknowledged is in the history, once, and
// the level is what the history says.
func TestTwentyPeopleLoseNoEdit(t *testing.T) {
	if testing.Short() {
		t.Skip("it takes a while")
	}
	data := filepath.Join(t.TempDir(), "data")
	newData(t, data)
	p := serve(t, data)
	defer p.Kill()
	ctx := t.Context()
	owner := p.signIn(t)
	info, err := owner.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	lights := level.Batch("lamps")
	for i := range peopleTogether {
		lamp := level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point)
		lights.Steps = append(lights.Steps, level.Add("lights", lamp))
	}
	_, err = owner.Apply(ctx, info.ID, lights, 0)
	require.NoError(t, err)
	invitation := func() string {
		link, err := owner.NewShareLink(ctx, api.NewShareLink{Kind: "join"})
		require.NoError(t, err)
		return link.Secret
	}
	everybody := make([]*client.Client, peopleTogether)
	for i := range everybody {
		name := fmt.Sprintf("keeper-%d", i)
		require.NoError(t, owner.Join(ctx, api.Join{Secret: invitation(), Name: name, Password: "salt-marsh-light"}))
		require.NoError(t, owner.ShareLevel(ctx, info.ID, name, "editor"))
		c := &client.Client{URL: owner.URL}
		token, err := c.SignIn(ctx, name, "salt-marsh-light", api.NewToken{Name: "together"})
		require.NoError(t, err)
		c.Token = token.Secret
		everybody[i] = c
	}
	first, err := owner.Level(ctx, info.ID)
	require.NoError(t, err)

	end := time.Now().Add(time.Duration(rounds(4, 600)) * time.Second)
	acknowledged := make([]map[int]float64, peopleTogether) // revision to the strength that it set
	last := make([]float64, peopleTogether)
	said := make([]int, peopleTogether)
	var all sync.WaitGroup
	for i, c := range everybody {
		acknowledged[i] = map[int]float64{}
		all.Go(func() {
			for n := 1; time.Now().Before(end); n++ {
				rev, err := c.Apply(ctx, info.ID, level.Set(fmt.Sprintf("lamp-%d", i), map[string]any{"strength": float64(n)}), 0)
				if !assert.NoError(t, err) {
					return
				}
				acknowledged[i][rev.Number], last[i] = float64(n), float64(n)
				switch n % 10 {
				case 3:
					_, err = c.Undo(ctx, info.ID) // one's own alone
					last[i] = float64(n - 1)
				case 5:
					_, err = c.AddComment(ctx, info.ID, api.NewComment{Text: fmt.Sprintf("number %d", n), Entity: fmt.Sprintf("lamp-%d", i)})
					said[i]++
				}
				if !assert.NoError(t, err) {
					return
				}
			}
		})
	}
	all.Wait()
	doc, err := owner.Level(ctx, info.ID)
	require.NoError(t, err)
	edits := 0
	for i := range everybody {
		assert.Equal(t, last[i], doc.Document.Light(fmt.Sprintf("lamp-%d", i)).Strength, "lamp-%d", i)
		edits += len(acknowledged[i])
	}
	found, undone := 0, 0
	for before := 0; ; {
		page, err := owner.History(ctx, info.ID, before, 500)
		require.NoError(t, err)
		for _, r := range page {
			before = r.Number
			switch {
			case r.Number <= first.Level.Revision:
			case r.Kind == "undo":
				undone++
			default:
				var i int
				_, err := fmt.Sscanf(r.Author, "keeper-%d", &i)
				require.NoError(t, err)
				assert.Equal(t, acknowledged[i][r.Number], r.Operation.Fields["strength"], "revision %d", r.Number)
				found++
			}
		}
		if len(page) == 0 || before == 1 {
			break
		}
	}
	assert.Equal(t, edits, found, "each acknowledged edit once")
	assert.Equal(t, doc.Level.Revision, first.Level.Revision+edits+undone)
	comments, err := owner.Comments(ctx, info.ID)
	require.NoError(t, err)
	total := 0
	for _, n := range said {
		total += n
	}
	assert.Len(t, comments, total)
	t.Logf("%d edits, %d taken back, %d comments of %d people", edits, undone, total, peopleTogether)
}
