package e2e

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/e2e/harness"
)

// The bench as a user has it: mouse and keys, on the service's state.

// key presses a key with modifiers.
func (p *page) key(keys string, modifiers ...input.Modifier) {
	p.t.Helper()
	p.do(chromedp.KeyEvent(keys, chromedp.KeyModifiers(modifiers...)))
}

// pick clicks a row of the outliner.
func (p *page) pick(name string, modifiers ...input.Modifier) {
	p.t.Helper()
	row := fmt.Sprintf(`[...document.querySelectorAll('aside[aria-label="Outliner"] button[title]')].find((b) => b.title === %q)`, name)
	found := p.eval(`(() => { const row = ` + row + `; row?.scrollIntoView({ block: "nearest" }); return row ? row.title : "" })()`)
	require.Equal(p.t, name, found)
	x, y := p.middle(row)
	p.clickAt(x, y, modifiers...)
}

func (p *page) clickAt(x, y float64, modifiers ...input.Modifier) {
	p.t.Helper()
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.MouseClickXY(x, y, func(e *input.DispatchMouseEventParams) *input.DispatchMouseEventParams {
		for _, m := range modifiers {
			e.Modifiers |= m
		}
		e.Force = 0.5 // as a mouse that is pressed has it
		return e
	}))
}

// middle is where an element that a script finds has its middle.
func (p *page) middle(script string) (x, y float64) {
	p.t.Helper()
	p.do(chromedp.Poll(`!!(`+script+`)`, nil))
	at := p.eval(`(() => { const b = (` + script + `).getBoundingClientRect(); return (b.x + b.width / 2) + " " + (b.y + b.height / 2); })()`)
	_, err := fmt.Sscan(at, &x, &y)
	require.NoError(p.t, err)
	return x, y
}

// drag pulls a handle by pixels, as a hand does, and lets it go.
func (p *page) drag(handle string, dx, dy float64) {
	p.t.Helper()
	x, y := p.pull(handle, dx, dy)
	p.do(chromedp.MouseEvent(input.MouseReleased, x, y, chromedp.ButtonLeft))
}

// pull pulls a handle by pixels, and says where the pointer is then.
func (p *page) pull(handle string, dx, dy float64) (x, y float64) {
	p.t.Helper()
	x, y = p.middle(fmt.Sprintf(`document.querySelector('[data-handle=%q] .reach')`, handle))
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y), chromedp.MouseEvent(input.MousePressed, x, y, chromedp.ButtonLeft))
	const steps = 5
	for i := 1; i <= steps; i++ {
		p.do(chromedp.MouseEvent(input.MouseMoved, x+dx*float64(i)/steps, y+dy*float64(i)/steps, chromedp.ButtonLeft))
	}
	return x + dx, y + dy
}

// onBench opens a level and waits until its view is drawn.
func (p *page) onBench(user, id string) {
	p.t.Helper()
	p.signIn(user)
	p.do(chromedp.Navigate(p.url+"/levels/"+id), chromedp.WaitVisible("[data-strip]"), chromedp.WaitVisible("[data-testid=view][data-frames]"))
}

// eventually waits until the service has a level as it should be.
func eventually(t *testing.T, c *client.Client, id string, want func(d api.Document) bool) api.Document {
	t.Helper()
	var doc api.Document
	until(t, func() bool {
		d, err := c.Level(ctx, id)
		doc = d
		return err == nil && want(d)
	})
	return doc
}

// Fifty presses of an arrow key are one revision with the right value, and one undo.
func TestHeldKeysAreOneRevisionInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.key("k", input.ModifierCtrl) // a thing is found by its name
	p.do(chromedp.SendKeys(`[role=dialog] input`, "lamp"), chromedp.WaitVisible(`[role=option][data-focused]`), chromedp.KeyEvent(kb.Enter), chromedp.WaitNotPresent(`[role=dialog]`))
	p.do(chromedp.WaitVisible(`input[aria-label="Name"][value="Lamp"]`))
	p.pick("Lamp")
	before := current(t, maren, l.ID)
	was := eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp").Transform.Position
	p.do(slices.Repeat([]chromedp.Action{chromedp.KeyEvent(kb.PageDown)}, 50)...)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > before })
	assert.Equal(t, before+1, doc.Level.Revision)
	assert.InDelta(t, was[1]-50*0.05, doc.Document.Light("lamp").Transform.Position[1], 1e-6)
	time.Sleep(time.Second)
	assert.Equal(t, before+1, current(t, maren, l.ID), "no more came after it")
	p.key("z", input.ModifierCtrl)
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == before+2 })
	assert.Equal(t, was, doc.Document.Light("lamp").Transform.Position)
}

// A drag that begins on a marker turns the view, and the wheel over one goes nearer; a click selects.
func TestMarkersAreNotInTheWayInTheBrowser(t *testing.T) {
	t.Parallel()
	_, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.do(chromedp.KeyEvent("1"))
	const marker = `document.querySelector('.marker[data-thing="lamp"][style*="grid"]')`
	place := func() string { return p.eval(`(` + marker + `?.style.transform ?? "")`) }
	selected := func() string { return p.eval(marker + `.ariaPressed`) }
	moves := func(was string) {
		t.Helper()
		until(t, func() bool { return place() != was })
		p.do(chromedp.WaitReady("[data-testid=view][data-whole]")) // it stands still
	}
	x, y := p.middle(marker)
	was := place()
	p.do(chromedp.ActionFunc(func(ctx context.Context) error {
		return input.DispatchMouseEvent(input.MouseWheel, x, y).WithDeltaX(0).WithDeltaY(60).Do(ctx) // away from it
	}))
	moves(was)

	x, y = p.middle(marker)
	was = place()
	p.do(chromedp.MouseEvent(input.MousePressed, x, y, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseMoved, x+30, y, chromedp.ButtonLeft),
		chromedp.MouseEvent(input.MouseReleased, x+30, y, chromedp.ButtonLeft))
	moves(was)
	assert.Equal(t, "false", selected())

	x, y = p.middle(marker)
	p.clickAt(x, y)
	until(t, func() bool { return selected() == "true" })

	x, y = p.middle(`document.querySelector(".handle.dot .reach")`)
	was = place()
	p.do(chromedp.ActionFunc(func(ctx context.Context) error {
		return input.DispatchMouseEvent(input.MouseWheel, x, y).WithDeltaX(0).WithDeltaY(60).Do(ctx) // over the lamp's handle
	}))
	moves(was)
}

// The backs of a block are seen from inside it. From outside it is the same whether backs are drawn, as they are while
// something else is hidden, or not.
func TestBacksOfBlocksInTheBrowser(t *testing.T) {
	t.Parallel()
	l := level.New("Boxes")
	for i, id := range []string{"box", "other"} {
		s := level.Default[level.Solid]()
		s.ID, s.Name, s.Size, s.Transform.Position = id, id, level.Vec{2, 2, 2}, level.Vec{float64(20 * i), 0, 0}
		l.Solids = append(l.Solids, &s)
	}
	for i, id := range []string{"inside", "outside"} {
		v := level.Default[level.Viewpoint]()
		v.ID, v.Name, v.Transform.Position = id, id, level.Vec{0, 0, float64(4 * i)} // they look along -z
		l.Viewpoints = append(l.Viewpoints, &v)
	}
	g := start(t)
	maren := as(t, g, "maren")
	info, err := harness.Import(ctx, maren, l)
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", info.ID)
	p.do(chromedp.KeyEvent("1")) // unlit
	middle := func() float64 { return brightness(p.view(), 0.4, 0.4, 0.6, 0.6) }
	assert.Greater(t, middle(), 50.0, "from inside")
	p.goTo("outside")
	without := middle()
	require.Greater(t, without, 50.0)
	p.stage("Surfaces")
	p.pick("other")
	p.do(chromedp.KeyEvent("j")) // hidden
	assert.InDelta(t, without, middle(), 1)
	p.do(chromedp.KeyEvent("j"))
	assert.InDelta(t, without, middle(), 1)
}

// Many are selected, by words or with Shift, and changed at once; copies, deletes and undo.
func TestManyAtOnceInTheBrowser(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, l, err := g.Demo(ctx)
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	before, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	p.do(chromedp.KeyEvent("1"), chromedp.KeyEvent("f")) // unlit and without air: quick to draw

	// All warm lights by a fifth down: a search, Enter, and one typed change.
	p.do(chromedp.SendKeys(`input[aria-label="Find"]`, "warm light -halo\r"))
	p.do(chromedp.WaitVisible(`//span[contains(., "selected")]`, chromedp.BySearch))
	p.do(chromedp.Poll(`/ to /.test(document.querySelector('input[aria-label="Strength"]')?.value ?? "")`, nil))
	p.do(chromedp.SendKeys(`input[aria-label="Strength"]`, "-20%\r"))
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == before.Level.Revision+1 })
	changed := 0
	for _, light := range before.Document.Lights {
		now := doc.Document.Light(light.ID).Strength
		if now != light.Strength {
			assert.InEpsilon(t, 0.8*light.Strength, now, 1e-9, light.ID)
			changed++
		}
	}
	assert.Greater(t, changed, 8, "the warm ones")
	assert.Less(t, changed, len(before.Document.Lights)+1)
	p.do(chromedp.Evaluate(`document.querySelector('input[aria-label="Find"]').focus()`, nil))
	p.do(chromedp.KeyEvent(kb.Escape), chromedp.Evaluate(`document.activeElement.blur()`, nil))

	// Duplicate, delete, and the way back.
	p.pick("Work lamp 1")
	p.pick("Work lamp 3", input.ModifierShift)
	p.see("3 selected")
	lights := len(doc.Document.Lights)
	p.key("d", input.ModifierCtrl)
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Lights) == lights+3 })
	p.do(chromedp.KeyEvent(kb.Delete))
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Lights) == lights })
	p.key("z", input.ModifierCtrl)
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Lights) == lights+3 })
}

// A lamp is dragged, aimed and opened by its handles; each drag is one revision, and while it
// lasts its light follows.
func TestHandlesInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"kind": "spot", "inner_deg": 20, "outer_deg": 40, "transform.rotation": []float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2}}))
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.pick("Lamp")
	p.do(chromedp.WaitVisible(`[data-handle="outer_deg"]`))
	revision := current(t, maren, l.ID)
	was := eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp")

	p.drag("move-y", 0, -30)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision })
	moved := doc.Document.Light("lamp").Transform.Position
	assert.Greater(t, moved[1], was.Transform.Position[1])
	assert.Equal(t, was.Transform.Position[0], moved[0])
	assert.Equal(t, revision+1, doc.Level.Revision)
	previews, err := strconv.Atoi(p.eval(`document.querySelector("[data-testid=view]").dataset.previews ?? "0"`))
	require.NoError(t, err)
	assert.Positive(t, previews, "its light came while it was dragged")

	p.drag("outer_deg", 25, 0)
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision+1 })
	assert.NotEqual(t, was.OuterDeg, doc.Document.Light("lamp").OuterDeg)
	p.drag("aim", 60, 20)
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision+2 })
	assert.NotEqual(t, was.Transform.Rotation, doc.Document.Light("lamp").Transform.Rotation)
	assert.Equal(t, revision+3, doc.Level.Revision, "three drags, three revisions")
	p.key("z", input.ModifierCtrl)
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision == revision+4 })
	assert.Equal(t, was.Transform.Rotation, doc.Document.Light("lamp").Transform.Rotation)
}

// Esc takes a drag back, and so does undo: the lamp and its light are where they were, it stays selected, and nothing is saved.
func TestEscTakesADragBackInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.pick("Lamp")
	p.do(chromedp.WaitVisible(`[data-handle="move-y"]`))
	revision := current(t, maren, l.ID)
	before := p.view()

	x, y := p.pull("move-y", 0, 60)
	p.do(chromedp.Poll(`document.querySelector("[data-testid=view]").dataset.previews > 0`, nil))
	assert.Greater(t, difference(before, p.viewNow()), 1.0, "its light follows")
	p.key(kb.Escape)
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y+40, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseReleased, x, y+40, chromedp.ButtonLeft))
	p.do(chromedp.Poll(`document.querySelector('input[aria-label="Name"]')?.value === "Lamp"`, nil))
	until(t, func() bool { return difference(before, p.view()) < 0.5 }, "the picture is as it was")
	assert.Equal(t, revision, current(t, maren, l.ID), "nothing is saved")

	x, y = p.pull("move-y", 0, 60)
	p.key("z", input.ModifierCtrl) // the same
	p.do(chromedp.MouseEvent(input.MouseMoved, x, y+40, chromedp.ButtonLeft), chromedp.MouseEvent(input.MouseReleased, x, y+40, chromedp.ButtonLeft))
	was := eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp").Transform.Position
	p.drag("move-y", 0, -30) // and the next drag is one as ever
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision })
	assert.Equal(t, revision+1, doc.Level.Revision)
	assert.Greater(t, doc.Document.Light("lamp").Transform.Position[1], was[1])
}

// What would be placed shines under the pointer before it is placed, and nothing is saved by that.
func TestAGhostShinesInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	apply(t, maren, l.ID, level.Set("lamp", map[string]any{"enabled": false}))
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.key("m") // markers are no light
	revision := current(t, maren, l.ID)
	floor := func() float64 { return brightness(p.view(), 0.3, 0.6, 0.7, 0.95) }
	dark := floor()
	p.key("P", input.ModifierShift)
	for x := 600.0; x <= 640; x += 20 {
		p.do(chromedp.MouseEvent(input.MouseMoved, x, 430))
	}
	p.do(chromedp.WaitVisible(`[data-testid=view][data-previews]`))
	// The browser takes the pointer away for a picture.
	p.eval(`document.querySelector("[data-testid=view] canvas").addEventListener("pointerleave", (e) => e.stopImmediatePropagation(), true), ""`)
	assert.Greater(t, floor(), dark+15, "it shines")
	p.do(chromedp.KeyEvent(kb.Escape))
	p.do(chromedp.Sleep(500 * time.Millisecond))
	assert.InDelta(t, dark, floor(), 3, "it is gone")
	assert.Equal(t, revision, current(t, maren, l.ID))
}

// From the room to a workshop at night: a lamp and a glow placed on surfaces, a window cut, a
// moon through it, fog, a viewpoint; nothing typed but a name.
func TestWorkshopFromTheRoomInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	p := open(t, g)
	p.onBench("maren", l.ID)
	before := eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document
	actions := 0
	act := func(do func()) { actions++; do() }

	// A spot on a wall or ceiling, and a point light beside it.
	act(func() { p.key("S", input.ModifierShift) })
	p.see("Click where the spot light goes")
	act(func() { p.clickAt(560, 220) })
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Lights) == len(before.Lights)+1 })
	spot := doc.Document.Lights[len(doc.Document.Lights)-1]
	assert.Equal(t, level.Spot, spot.Kind)
	act(func() { p.key("P", input.ModifierShift) })
	act(func() { p.clickAt(760, 300) })
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Lights) == len(before.Lights)+2 })
	act(func() { p.key("G", input.ModifierShift) })
	act(func() { p.clickAt(700, 320) })
	eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Glows) == len(before.Glows)+1 })

	// A window.
	act(func() { p.key("x") })
	p.see("Click a wall to cut a window")
	act(func() { p.clickAt(640, 250) })
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Solids) > len(before.Solids) })
	assert.Contains(t, []int{2, 3}, len(doc.Document.Solids)-len(before.Solids), "pieces round an opening")
	act(func() { p.do(chromedp.KeyEvent(kb.Escape)) })
	act(func() { p.do(chromedp.KeyEvent(kb.Escape)) })

	// The moon, and haze.
	act(func() {
		p.do(chromedp.Click(`//h3[normalize-space()="Moon"]/following-sibling::button`, chromedp.BySearch))
	})
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Environment.Moon != nil })
	act(func() { p.tab("air") })
	act(func() {
		p.do(chromedp.Click(`//h3[text()="Haze"]/following::input[@type="checkbox"][1]`, chromedp.BySearch))
	})
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Fog.Haze.Enabled })

	// A viewpoint from here, and its name.
	act(func() { p.key("n") })
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return len(d.Document.Viewpoints) == len(before.Viewpoints)+1 })
	act(func() {
		p.do(chromedp.WaitVisible(`input[aria-label="Name"]`), chromedp.Evaluate(`document.querySelector('input[aria-label="Name"]').select()`, nil), chromedp.SendKeys(`input[aria-label="Name"]`, "Workbench\r"))
	})
	eventually(t, maren, l.ID, func(d api.Document) bool {
		return d.Document.Viewpoints[len(d.Document.Viewpoints)-1].Name == "Workbench"
	})
	assert.LessOrEqual(t, actions, 40)
	t.Logf("%d actions", actions)
}

// One lamp at each of twelve fixtures that look alike, and one command.
func TestOneAtEachFixtureInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	op := level.Operation{Op: level.OpBatch}
	for i := range 12 {
		s := level.Default[level.Solid]()
		s.ID, s.Name, s.Size = fmt.Sprintf("sconce-%d", i+1), fmt.Sprintf("Sconce %d", i+1), level.Vec{0.12, 0.2, 0.12}
		s.Transform.Position = level.Vec{-1.4 + 0.25*float64(i), 1.8, -1.3}
		op.Steps = append(op.Steps, level.Add("solids", &s))
	}
	lamp := level.NewLight("sconce-lamp", level.Point)
	lamp.Strength, lamp.RangeM, lamp.Transform.Position = 5, 3, level.Vec{-1.4, 1.8, -1.15}
	op.Steps = append(op.Steps, level.Add("lights", lamp))
	apply(t, maren, l.ID, op)
	p := open(t, g)
	p.onBench("maren", l.ID)
	revision := current(t, maren, l.ID)
	p.pick("sconce-lamp")
	p.key("F", input.ModifierShift)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision })
	assert.Equal(t, revision+1, doc.Level.Revision, "one change")
	n := 0
	for _, light := range doc.Document.Lights {
		if strings.HasPrefix(light.ID, "sconce-lamp") {
			n++
			assert.InDelta(t, -1.15, light.Transform.Position[2], 1e-4)
		}
	}
	assert.Equal(t, 12, n)

	// All on the same fixture are selected from one of them, and named at once.
	p.pick("sconce-lamp-2")
	p.key("k", input.ModifierCtrl)
	p.do(chromedp.SendKeys(`[role=dialog] input`, "same fixture"), chromedp.WaitVisible(`[role=option][data-focused]`), chromedp.KeyEvent(kb.Enter), chromedp.WaitNotPresent(`[role=dialog]`))
	p.see("12 selected")
	p.key(kb.F2)
	p.do(chromedp.SendKeys(`input[aria-label="Name of 12 things"]`, "Sconce lamp"+kb.Enter))
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Level.Revision > revision+1 })
	assert.Equal(t, revision+2, doc.Level.Revision, "one change")
	var names []string
	for _, light := range doc.Document.Lights {
		if strings.HasPrefix(light.ID, "sconce-lamp") {
			names = append(names, light.Name)
		}
	}
	assert.Len(t, names, 12)
	assert.Equal(t, []string{"Sconce lamp 1", "Sconce lamp 12"}, []string{names[0], names[11]})
}

// Two on one level: each undoes their own; without the service work goes on and is saved when
// it is back; nothing is lost.
func TestTwoBrowsersInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "editor"))
	a, b := open(t, g), open(t, g)
	a.onBench("maren", l.ID)
	b.onBench("ivo", l.ID)
	set := func(p *page, label, value string) {
		p.do(chromedp.WaitVisible(`input[aria-label="`+label+`"]`), chromedp.SendKeys(`input[aria-label="`+label+`"]`, value+"\r"))
	}
	a.pick("Lamp")
	b.pick("Lamp")
	a.do(chromedp.WaitVisible(`//*[@data-testid="others"]//*[text()="ivo: Lamp"]`, chromedp.BySearch))
	b.do(chromedp.WaitVisible(`[aria-label="Others on this level"] button[title^="maren"]`))
	set(a, "Strength", "33")
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").Strength == 33 })
	set(b, "Range", "4.5")
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").RangeM == 4.5 })
	a.do(chromedp.Poll(`document.querySelector('input[aria-label="Range"]').value === "4.5"`, nil))

	// Maren's undo takes back hers, not the newest.
	a.do(chromedp.Evaluate(`document.activeElement.blur()`, nil))
	a.key("z", input.ModifierCtrl)
	doc := eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").Strength == 60 })
	assert.Equal(t, 4.5, doc.Document.Light("lamp").RangeM)

	// Ten seconds without the service.
	a.do(network.Enable(), network.EmulateNetworkConditions(true, 0, 0, 0))
	set(a, "Strength", "44")
	a.see("The service does not answer. Go on working: 1 change will be saved when it does.")
	set(a, "Range", "3.25")
	time.Sleep(10 * time.Second)
	assert.Equal(t, 60.0, eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp").Strength)
	a.do(network.EmulateNetworkConditions(false, 0, -1, -1))
	doc = eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").Strength == 44 })
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").RangeM == 3.25 })
	a.do(chromedp.WaitNotPresent(`//p[contains(., "The service does not answer")]`, chromedp.BySearch))
}

// A session that ends is begun again in place, with the edit in hand; a level that is deleted
// says so; a viewer changes nothing.
func TestEndsOfSessionsInTheBrowser(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "viewer"))
	p := open(t, g)
	p.onBench("maren", l.ID)
	p.pick("Lamp")
	p.do(chromedp.SendKeys(`input[aria-label="Strength"]`, "71"), network.ClearBrowserCookies(), chromedp.KeyEvent("\r"))
	p.see("Your session has ended")
	assert.Equal(t, 60.0, eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Light("lamp").Strength)
	p.do(chromedp.SendKeys(`input[name=password]`, harness.Password+"\r"))
	eventually(t, maren, l.ID, func(d api.Document) bool { return d.Document.Light("lamp").Strength == 71 })
	p.do(chromedp.WaitNotPresent(`[role=dialog]`))

	v := open(t, g)
	v.onBench("ivo", l.ID)
	v.pick("Lamp")
	v.do(chromedp.WaitVisible(`input[aria-label="Strength"]:disabled`))
	v.do(chromedp.KeyEvent(kb.Delete))
	v.key("d", input.ModifierCtrl)
	time.Sleep(500 * time.Millisecond)
	assert.Len(t, eventually(t, maren, l.ID, func(api.Document) bool { return true }).Document.Lights, 1)

	require.NoError(t, maren.DeleteLevel(ctx, l.ID))
	p.do(chromedp.SendKeys(`input[aria-label="Strength"]`, "72\r"))
	p.see("This level was deleted, or is not shared with you any more.")
}
