package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"

	"grotta/api"
	"grotta/core/level"
)

// Things are renamed where they are listed, and are listed by what they cost.
func TestTheOutlinerNamesAndCountsInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	near := level.NewLight("near", level.Point)
	near.Name, near.RangeM, near.Strength, near.Transform.Position = "Near", 1.5, 1, level.Vec{0.5, 1, 0.5}
	plain := level.NewLight("plain", level.Point)
	plain.Name, plain.RangeM, plain.Strength, plain.Shadows.Cast, plain.Transform.Position = "Plain", 9, 1, false, level.Vec{-0.5, 1, 0.5}
	apply(t, maren, l.ID, level.Operation{Op: level.OpBatch, Steps: []level.Operation{level.Add("lights", near), level.Add("lights", plain)}})
	p := open(t, g)
	p.onBench("maren", l.ID)
	nameOf := func(id string) func(api.Document) string {
		return func(d api.Document) string {
			for _, light := range d.Document.Lights {
				if light.ID == id {
					return light.Name
				}
			}
			return ""
		}
	}

	// By a double click; Esc leaves the name as it was.
	row := `aside[aria-label="Outliner"] button[title="Near"]`
	p.do(chromedp.DoubleClick(row), chromedp.SendKeys(`input[aria-label="Name of Near"]`, "By the bed"+kb.Enter))
	eventually(t, maren, l.ID, func(d api.Document) bool { return nameOf("near")(d) == "By the bed" })
	was := current(t, maren, l.ID)
	row = `aside[aria-label="Outliner"] button[title="By the bed"]`
	p.do(chromedp.DoubleClick(row), chromedp.SendKeys(`input[aria-label="Name of By the bed"]`, "Something else"+kb.Escape), chromedp.WaitVisible(row))
	p.key(kb.F2) // the light is still selected
	name := "By the door" + strings.Repeat("!", 109)
	p.do(chromedp.SendKeys(`input[aria-label="Name of By the bed"]`, name+"no more than 120 letters are taken"+kb.Enter))
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return nameOf("near")(d) == name })
	assert.Equal(t, was+1, doc.Level.Revision, "what Esc left was not saved")

	// The costliest first: a light with shadows before one without, which reaches farther, and then what takes texels.
	p.do(chromedp.Click(`button[aria-label="Costly first"]`), chromedp.WaitVisible(`//aside[@aria-label="Outliner"]//*[contains(text(), "texels")]`, chromedp.BySearch))
	order := p.eval(fmt.Sprintf(`[...document.querySelectorAll('aside[aria-label="Outliner"] button[title]')].map((b) => b.title).filter((t) => [%q, "Plain", "floor"].includes(t)).join()`, name))
	assert.Equal(t, name+",Plain,floor", order)
	p.see("shadow 1.5 m")
}
