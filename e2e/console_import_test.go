package e2e

import (
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/client"
)

// dracoFiles is a sheet packed by Draco, as a .gltf with its buffer beside it.
func dracoFiles(t *testing.T) []string {
	t.Helper()
	packed, err := os.ReadFile("../core/exchange/draco/testdata/edgebreaker.drc")
	require.NoError(t, err)
	dir := t.TempDir()
	text := fmt.Sprintf(`{"asset":{"version":"2.0"},"extensionsUsed":["KHR_draco_mesh_compression"],"extensionsRequired":["KHR_draco_mesh_compression"],"scenes":[{"nodes":[0]}],
 "nodes":[{"mesh":0,"name":"Sheet"}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1,"extensions":{"KHR_draco_mesh_compression":{"bufferView":0,"attributes":{"POSITION":0}}}}]}],
 "accessors":[{"componentType":5126,"count":357,"type":"VEC3","min":[-2.5,-1,-2],"max":[2.5,1,2]},{"componentType":5123,"count":1920,"type":"SCALAR"}],
 "bufferViews":[{"buffer":0,"byteLength":%d}],"buffers":[{"byteLength":%d,"uri":"sheet.bin"}]}`, len(packed), len(packed))
	files := []string{filepath.Join(dir, "sheet.gltf"), filepath.Join(dir, "sheet.bin")}
	require.NoError(t, os.WriteFile(files[0], []byte(text), 0o600))
	require.NoError(t, os.WriteFile(files[1], packed, 0o600))
	return files
}

// drop lets files go over the page, as from a folder of the desktop.
func (p *page) drop(files []string) {
	p.do(chromedp.ActionFunc(func(ctx context.Context) error {
		what := &input.DragData{Items: []*input.DragDataItem{}, Files: files, DragOperationsMask: 1}
		for _, step := range []input.DispatchDragEventType{input.DragEnter, input.DragOver, input.Drop} {
			if err := input.DispatchDragEvent(step, 600, 500, what).Do(ctx); err != nil {
				return err
			}
		}
		return nil
	}))
}

// A maker drops files, says how large they are to be, looks, drops what was not wanted, and opens what was.
func TestFilesAreDroppedInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, _, g := room(t)
	p := open(t, g)
	p.signIn("maren")
	p.see("Bring in a file")
	files := dracoFiles(t)
	p.drop(files)
	p.see("sheet is brought in")
	require.InDelta(t, 5, widthOf(t, maren, "sheet"), 0.01)
	p.do(chromedp.SendKeys(`input[aria-label="Times"]`, "3\r"))
	until(t, func() bool { return math.Abs(widthOf(t, maren, "sheet")-15) < 0.03 })
	p.do(chromedp.WaitEnabled(`//button[normalize-space()="Do not keep it"]`, chromedp.BySearch))
	p.click("Do not keep it")
	p.do(chromedp.WaitNotPresent(`//section[contains(., "is brought in")]`, chromedp.BySearch))
	assert.Zero(t, widthOf(t, maren, "sheet"), "it is gone")

	p.drop(files)
	p.click("Open it")
	p.do(chromedp.WaitVisible(`[data-testid="view"]`))

	// A broken file is told with its place, and nothing is kept.
	require.NoError(t, os.WriteFile(files[1], make([]byte, 4000), 0o600))
	p.do(chromedp.Navigate(g.URL))
	p.see("Bring in a file")
	p.drop(files)
	p.see("KHR_draco_mesh_compression cannot be unpacked")
}

// widthOf is how wide the meshes of the level of a name are along x; 0 where there is no such level.
func widthOf(t *testing.T, c *client.Client, name string) float64 {
	t.Helper()
	all, err := c.Levels(ctx)
	require.NoError(t, err)
	for _, info := range all {
		if info.Name != name {
			continue
		}
		doc, err := c.Level(ctx, info.ID)
		require.NoError(t, err)
		low, high := 0.0, 0.0
		for _, m := range doc.Document.Meshes {
			for i := 0; i < len(m.Positions); i += 3 {
				low, high = min(low, m.Positions[i]), max(high, m.Positions[i])
			}
		}
		return high - low
	}
	return 0
}
