// Command frames measures how fast the console's view draws: frame times in headless
// Chromium while somebody turns about the demo, drags a lamp, mixes 500 lights, and turns
// about 200 thousand triangles. Chromium draws with the processor here; a graphics card is
// many times as fast.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"math"
	"os"
	"slices"
	"text/tabwriter"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"

	"grotta/client"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/e2e/harness"
)

func main() {
	card := flag.Bool("card", false, "draw the page by a graphics card that is imitated, not by the processor as where there is none")
	flag.Parse()
	harness.PagesByProcessor = !*card
	if err := run(); err != nil {
		log.Fatal(err)
	}
}

// limit is how long all of it may take.
const limit = 12 * time.Minute

func run() error {
	ctx, cancel := context.WithTimeout(context.Background(), limit)
	defer cancel()
	dir, err := os.MkdirTemp("", "grotta-frames-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	g, err := harness.Start(dir)
	if err != nil {
		return err
	}
	defer g.Stop()
	maren, demo, err := g.Demo(ctx)
	if err != nil {
		return err
	}
	hall, err := add(ctx, maren, hallOfLights())
	if err != nil {
		return err
	}
	hills, err := add(ctx, maren, hills())
	if err != nil {
		return err
	}
	defer harness.CloseBrowser()
	browser, stop, err := harness.Browser(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer stop()
	if err := chromedp.Run(browser, chromedp.Navigate(g.URL), chromedp.WaitVisible("input[name=name]"), chromedp.SendKeys("input[name=name]", "maren"),
		chromedp.SendKeys("input[name=password]", harness.Password+"\r"), chromedp.WaitVisible(`//h1[text()="Levels"]`, chromedp.BySearch)); err != nil {
		return err
	}
	table := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', tabwriter.AlignRight)
	fmt.Fprintln(table, "what\tframes\ta second\tmedian ms\t95 % under ms\twhole after s\tlight after ms\t")
	for _, c := range []struct {
		what  string
		level string
		do    func(context.Context) error
	}{
		{"demo: turning about", demo.ID, turn},
		{"demo: dragging a lamp", demo.ID, dragLamp},
		{"500 lights: turning about", hall, turn},
		{"500 lights: one fader", hall, fade},
		{"200 thousand triangles: turning about", hills, turn},
	} {
		m, err := measure(browser, g.URL+"/levels/"+c.level, c.do)
		if err != nil {
			return fmt.Errorf("%s: %w", c.what, err)
		}
		light := ""
		if len(m.light) > 0 {
			light = fmt.Sprintf("%.0f", quantile(m.light, 0.5))
		}
		fmt.Fprintf(table, "%s\t%d\t%.1f\t%.0f\t%.0f\t%.1f\t%s\t\n", c.what, len(m.times), float64(len(m.times))/m.took.Seconds(), quantile(m.times, 0.5), quantile(m.times, 0.95), m.whole.Seconds(), light)
	}
	return table.Flush()
}

func add(ctx context.Context, c *client.Client, l *level.Level) (string, error) {
	info, err := harness.Import(ctx, c, l)
	if err != nil {
		return "", err
	}
	_, err = harness.BakeAndWait(ctx, c, info.ID, "draft")
	return info.ID, err
}

// hallOfLights is a floor with 500 small lamps over it.
func hallOfLights() *level.Level {
	l := level.New("Hall of lights")
	l.Lightmap.Density = 2
	leveltest.Block(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{52, 0.2, 42})
	for i := range 500 {
		at := level.Vec{float64(i%25)*2 - 24, 1.5, float64(i/25)*2 - 19}
		lamp := level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point)
		lamp.Strength, lamp.RangeM, lamp.Transform.Position = 10, 3, at
		l.Lights = append(l.Lights, lamp)
	}
	return l
}

// hills is a mesh of about 200 thousand triangles under one sun.
func hills() *level.Level {
	const side = 317
	l := level.New("Hills")
	l.Lightmap.Density = 1
	mesh := level.Default[level.Mesh]()
	mesh.ID = "hills"
	for z := range side {
		for x := range side {
			u, v := float64(x)/(side-1)*60-30, float64(z)/(side-1)*60-30
			mesh.Positions = append(mesh.Positions, u, 2*math.Sin(u/4)*math.Cos(v/5), v)
		}
	}
	for z := range side - 1 {
		for x := range side - 1 {
			a := uint32(z*side + x)
			mesh.Indices = append(mesh.Indices, a, a+side, a+1, a+1, a+side, a+side+1)
		}
	}
	l.Meshes = append(l.Meshes, &mesh)
	sun := level.NewLight("sun", level.Directional)
	sun.Strength = 1000
	l.Lights = append(l.Lights, sun)
	return l
}

// watch notes the time of every frame from now on.
const watch = `(() => {
	const view = document.querySelector("[data-testid=view]");
	window.frameTimes = [];
	window.moveTimes = [];
	window.wholeTimes = [];
	performance.clearResourceTimings();
	performance.setResourceTimingBufferSize(2000);
	if (!window.frameWatch) window.addEventListener("pointermove", () => window.moveTimes.push(performance.now()), true);
	window.frameWatch?.disconnect();
	window.frameWatch = new MutationObserver((changes) => {
		const has = (name) => changes.some((c) => c.attributeName === name);
		if (has("data-frames")) window.frameTimes.push(performance.now());
		if (has("data-whole") && "whole" in view.dataset) window.wholeTimes.push(performance.now());
	});
	window.frameWatch.observe(view, { attributes: true, attributeFilter: ["data-frames", "data-whole"] });
	return "";
})()`

// measured is how the view drew while something was done.
type measured struct {
	times []float64     // milliseconds from frame to frame
	took  time.Duration // all of it
	whole time.Duration // from the end until the whole picture was there
	light []float64     // milliseconds from a move of the pointer until its light is shown, where light is asked for
}

// measure does something in the view of a level.
func measure(browser context.Context, url string, do func(context.Context) error) (m measured, err error) {
	var stamps string
	var whole float64 // when, by the page's clock
	var ended time.Time
	const read = `JSON.stringify({ frames: window.frameTimes, moves: window.moveTimes,
		previews: performance.getEntriesByType("resource").filter((r) => r.name.endsWith("/preview")).map((r) => [r.startTime, r.responseEnd]) })`
	err = chromedp.Run(browser, chromedp.Navigate("about:blank"), chromedp.Navigate(url), chromedp.WaitVisible("[data-testid=view][data-whole]"), chromedp.Sleep(time.Second), chromedp.Evaluate(watch, nil),
		chromedp.ActionFunc(func(ctx context.Context) error {
			began := time.Now()
			err := do(ctx)
			ended = time.Now()
			m.took = ended.Sub(began)
			return err
		}),
		chromedp.Evaluate(read, &stamps), chromedp.WaitReady("[data-testid=view][data-whole]"),
		chromedp.Evaluate(`performance.timeOrigin + (window.wholeTimes.at(-1) ?? 0)`, &whole))
	if err != nil {
		return m, err
	}
	m.whole = time.UnixMicro(int64(1000 * whole)).Sub(ended)
	var seen struct {
		Frames, Moves []float64
		Previews      [][2]float64 // when each was asked for, and when it was there
	}
	if err := json.Unmarshal([]byte(stamps), &seen); err != nil {
		return m, err
	}
	for i := 1; i < len(seen.Frames); i++ {
		m.times = append(m.times, seen.Frames[i]-seen.Frames[i-1])
	}
	for _, p := range seen.Previews {
		moved, _ := slices.BinarySearch(seen.Moves, p[0])
		first, _ := slices.BinarySearch(seen.Frames, p[1])
		if moved > 0 && first+1 < len(seen.Frames) { // a frame begins when the one before it is done
			m.light = append(m.light, seen.Frames[first+1]-seen.Moves[moved-1])
		}
	}
	return m, nil
}

func quantile(times []float64, q float64) float64 {
	if len(times) == 0 {
		return math.NaN()
	}
	sorted := slices.Sorted(slices.Values(times))
	return sorted[int(q*float64(len(sorted)-1))]
}

const (
	moves  = 120
	moveMs = 33
)

// stroke moves the mouse with a button held down, for about four seconds.
func stroke(ctx context.Context, x, y, dx, dy float64) error {
	if err := input.DispatchMouseEvent(input.MouseMoved, x, y).Do(ctx); err != nil {
		return err
	}
	press := func(kind input.MouseType, x, y float64) error {
		return input.DispatchMouseEvent(kind, x, y).WithButton(input.Left).WithButtons(1).WithClickCount(1).Do(ctx)
	}
	if err := press(input.MousePressed, x, y); err != nil {
		return err
	}
	for i := range moves {
		s := math.Sin(2 * math.Pi * float64(i) / moves)
		if err := press(input.MouseMoved, x+dx*s, y+dy*s); err != nil {
			return err
		}
		time.Sleep(moveMs * time.Millisecond)
	}
	return press(input.MouseReleased, x, y)
}

func turn(ctx context.Context) error { return stroke(ctx, 640, 300, 180, 40) }

// dragLamp selects a lamp by its strip and drags its middle handle.
func dragLamp(ctx context.Context) error {
	var at []float64
	err := chromedp.Run(ctx, chromedp.Click(`//div[@data-strip="lantern-3-light"]//button[@title="Lantern 3"]`, chromedp.BySearch),
		chromedp.Click(`//button[normalize-space()="Frame it"]`, chromedp.BySearch), chromedp.WaitVisible(".handle.dot .reach"), chromedp.Sleep(time.Second),
		chromedp.WaitReady("[data-testid=view][data-whole]"), chromedp.Sleep(time.Second), // it is drawn where it will be, and its panels are open
		chromedp.Evaluate(`(() => { const b = document.querySelector('.handle.dot .reach').getBoundingClientRect(); return [b.x + b.width / 2, b.y + b.height / 2]; })()`, &at))
	if err != nil {
		return err
	}
	return stroke(ctx, at[0], at[1], 60, 10)
}

// fade moves the fader of one lamp up and down.
func fade(ctx context.Context) error {
	return chromedp.Run(ctx, chromedp.Evaluate(fmt.Sprintf(`(async () => {
		const fader = document.querySelector('[data-strip="lamp-0"] input[type=range]');
		const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value").set;
		for (let i = 0; i < %d; i++) {
			set.call(fader, String(0.5 + 0.4 * Math.sin(i / 6)));
			fader.dispatchEvent(new Event("input", { bubbles: true }));
			await new Promise((done) => setTimeout(done, %d));
		}
	})()`, moves, moveMs), nil, func(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }))
}
