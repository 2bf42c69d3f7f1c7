package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
)

// A maker asks who lights a spot, keeps it, and holds another against it: the page shows what the service answers,
// nothing of the table is beyond the edge, and a source can be selected from it.
func TestTwoSpotsAreComparedInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.key("m") // what is clicked is the floor
	total := func(label string) float64 {
		var lux, x, y, z float64
		text := p.eval(fmt.Sprintf(`document.querySelector('[role=group][aria-label=%q]').innerText.replace(/^[AB]\s+/, "").replace(/ lx.* at /s, " ").split("\n")[0].replaceAll(",", "")`, label))
		_, err := fmt.Sscan(text, &lux, &x, &y, &z)
		require.NoError(t, err, text)
		book, err := maren.Ledger(ctx, l.ID, fmt.Sprintf("%g,%g,%g", x, y, z), "0,1,0")
		require.NoError(t, err)
		assert.InEpsilon(t, book.Total.Luminance, lux, 0.05, label) // the place is rounded to a centimetre
		return lux
	}
	p.key("i")
	p.clickAt(640, 500)
	p.do(chromedp.WaitVisible(`section[aria-label="Who lights the spot"] td`))
	first := total("Spot")
	p.click("Keep")
	p.see("Click the spot to hold against it")
	p.clickAt(420, 500)
	p.do(chromedp.WaitVisible(`section[aria-label="Two spots"] td`))
	assert.Equal(t, first, total("Kept spot"))
	assert.NotEqual(t, first, total("Spot"))
	assert.Equal(t, "true", p.eval(`(() => { const s = document.querySelector('section[aria-label="Two spots"]'); return String(s.scrollWidth <= s.clientWidth) })()`))
	assert.Contains(t, p.eval(`document.querySelector('section[aria-label="Two spots"] tbody tr').innerText`), "×")
	p.do(chromedp.Click(`section[aria-label="Two spots"] tbody button`))
	p.see("Range")

	// After a change of the level both say of which revision they are, and B can be asked again.
	was := current(t, maren, l.ID)
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"strength": 10}))
	of := fmt.Sprintf("of revision %d", was)
	p.do(chromedp.WaitVisible(fmt.Sprintf(`//*[@aria-label="Kept spot"]//span[.=%q]`, of), chromedp.BySearch), chromedp.WaitVisible(fmt.Sprintf(`//*[@aria-label="Spot"]//span[.=%q]`, of), chromedp.BySearch))
	p.click("Ask again")
	p.do(chromedp.WaitNotPresent(fmt.Sprintf(`//*[@aria-label="Spot"]//span[.=%q]`, of), chromedp.BySearch), chromedp.WaitVisible(`section[aria-label="Two spots"] td`))
	total("Spot")
	p.click("Let go")
	p.do(chromedp.WaitVisible(`section[aria-label="Who lights the spot"] td`))
}
