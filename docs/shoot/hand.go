package main

import (
	"context"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"grotta/e2e/harness"
)

// byHand is the README's tour in the console: sign in, open the demo, bake, move
// a fader, ask a point, mend what the check found, try a mood, say something about a spot.
func byHand(browser context.Context, url, id string) error {
	tab := func(name string) chromedp.Action {
		return click(`//button[@role="tab" and starts-with(normalize-space(), %q)]`, name)
	}
	button := func(name string) chromedp.Action {
		return click(`//button[starts-with(normalize-space(), %[1]q) or @aria-label=%[1]q]`, name)
	}
	outliner := func(name string) chromedp.Action {
		return click(`//aside[@aria-label="Outliner"]//button[contains(., %q)]`, name)
	}
	baked := chromedp.WaitVisible(`//button[normalize-space()="Baked"]`, chromedp.BySearch)
	fix := func(rule string) chromedp.Action {
		return chromedp.Tasks{chromedp.Click(`[data-rule="` + rule + `"] button:nth-of-type(2)`), chromedp.WaitNotPresent(`[data-rule="` + rule + `"]`)}
	}
	return take(browser, []picture{
		{"levels", []chromedp.Action{
			chromedp.Navigate(url), chromedp.WaitVisible("input[name=name]"),
			chromedp.SendKeys("input[name=name]", "maren"), chromedp.SendKeys("input[name=password]", harness.Password+"\r"),
			chromedp.WaitVisible("li img"), chromedp.Sleep(time.Second),
		}},
		{"platforms", []chromedp.Action{chromedp.Navigate(url + "/platforms"), chromedp.WaitVisible("main table th")}},
		{"presets", []chromedp.Action{
			chromedp.Navigate(url + "/presets"), chromedp.WaitVisible(`img[alt="morning-fog on the stage"]`), chromedp.Sleep(25 * time.Second), // its pictures are taken
			click(`(//ul[@aria-label="Presets"]//button[contains(., %q)])[1]`, "morning-fog"), chromedp.Sleep(time.Second),
		}},
		{"bench", []chromedp.Action{
			chromedp.Navigate(url + "/levels/" + id), chromedp.WaitVisible("[data-strip]"), button("Bake"), baked, chromedp.Sleep(time.Second),
			choose("Go to a viewpoint", "kitchen-table"), outliner("Table shade"), dim("great-lens", 0.2), chromedp.Sleep(3 * time.Second), chromedp.WaitVisible("[data-testid=view][data-whole]"),
		}},
		{"findings", []chromedp.Action{tab("Findings"), chromedp.Click(`[data-rule="limits.shadow-overlap"] button:nth-of-type(1)`)}},
		{"ledger", []chromedp.Action{
			fix("play.too-dark"), fix("links.glow-without-light"), fix("limits.shadow-overlap"),
			chromedp.WaitVisible(`//button[normalize-space()="Bake at good quality"]`, chromedp.BySearch), button("Bake at good quality"), baked,
			chromedp.KeyEvent("i"), chromedp.MouseClickXY(640, 470), chromedp.WaitVisible(`//section[@aria-label="Panels"]//th[text()="Share"]`, chromedp.BySearch),
			chromedp.Click(`//*[@aria-label="Spot"]//button[contains(., "Keep")]`, chromedp.BySearch), chromedp.MouseClickXY(820, 430), chromedp.KeyEvent("\x1b"),
			chromedp.WaitVisible(`section[aria-label="Two spots"] th`), chromedp.Sleep(2 * time.Second),
		}},
		{"comparison", []chromedp.Action{
			tab("Shots"), chromedp.WaitVisible(`section[aria-label="Panels"] ul img`), choose("Compare with", "2"),
			chromedp.Evaluate(`document.querySelector("canvas").dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true }))`, nil),
			click(`//aside//button[@role="tab" and normalize-space()=%q]`, "look"),
			chromedp.Click(`section[aria-label="Panels"] ul button`), chromedp.WaitVisible(`[data-testid=difference]`), chromedp.WaitVisible(`img[alt="Before"]`),
			chromedp.Sleep(time.Second),
		}},
		{"mood", []chromedp.Action{
			button("Leave the comparison"), click(`//nav[@aria-label="Stages"]//button[normalize-space()=%q]`, "Mood"), chromedp.Sleep(6 * time.Second), // its pictures are taken
			click(`//section[@aria-label="Mood"]//button[contains(., %q)]`, "morning-fog"), chromedp.WaitVisible(`//button[normalize-space()="Take it"]`, chromedp.BySearch), chromedp.Sleep(5 * time.Second),
		}},
		{"together", []chromedp.Action{
			tab("Comments"), chromedp.Evaluate(`document.activeElement?.blur()`, nil), chromedp.KeyEvent("Y", chromedp.KeyModifiers(input.ModifierShift)), chromedp.MouseClickXY(640, 440),
			chromedp.SendKeys(`textarea[aria-label="Comment"]`, "The bench is hard to see from here, @ivo. A warmer lamp?"), button("Say it"), chromedp.WaitVisible(`img[alt="What its author saw"]`), // out of sight it is not taken
			chromedp.SendKeys(`textarea[aria-label="Answer"]`, "Or lower the lantern by half a metre."), button("Answer"), chromedp.Sleep(2 * time.Second),
		}},
		{"hand-over", []chromedp.Action{
			click(`//nav[@aria-label="Stages"]//button[normalize-space()=%q]`, "Hand over"), button("Text for an editor"),
			chromedp.WaitVisible(`//pre[contains(., "great-lens")]`, chromedp.BySearch),
		}},
		{"fit", []chromedp.Action{
			button("Close"), click(`//nav[@aria-label="Stages"]//button[normalize-space()=%q]`, "Checks"),
			click(`//section[@aria-label="Checks"]//label[contains(., %q)]`, "pocket"), button("Fit to"),
			chromedp.WaitVisible(`[aria-label=Fit] img[alt$="after"]`), chromedp.Sleep(8 * time.Second), // its pictures are taken
		}},
	})
}

func click(path, name string) chromedp.Action {
	return chromedp.Click(fmt.Sprintf(path, name), chromedp.BySearch)
}

// choose picks a value of a list by its label.
func choose(label, value string) chromedp.Action {
	return chromedp.Evaluate(fmt.Sprintf(`(() => {
		const s = document.querySelector('select[aria-label=%q]');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, %q);
		s.dispatchEvent(new Event("change", { bubbles: true }));
	})()`, label, value), nil)
}

// dim moves a strip's fader, of 0 to 1, and lets it go.
func dim(source string, to float64) chromedp.Action {
	return chromedp.Evaluate(fmt.Sprintf(`(() => {
		const f = document.querySelector('[data-strip=%q] input[type=range]');
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set.call(f, f.max * %g);
		f.dispatchEvent(new Event("input", { bubbles: true }));
		f.dispatchEvent(new PointerEvent("pointerup", { bubbles: true }));
	})()`, source, to), nil)
}
