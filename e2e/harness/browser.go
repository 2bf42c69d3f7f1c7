package harness

import (
	"context"
	"fmt"
	"os"
	"sync"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// browser is the one headless Chromium of this process. It compiles shaders once for all that use it.
var browser struct {
	sync.Mutex
	ctx  context.Context
	stop func()
}

// PagesByProcessor has the browser draw pages without a graphics card, as Chromium does by itself where there is none.
// Else they are drawn by a card that is imitated, which takes longer here. It holds for browsers that are started later.
var PagesByProcessor bool

// Browser opens a window of a headless Chromium with WebGL by software and gives a context for
// chromedp. The window has cookies and a store of its own. stop closes it, as does the end of ctx.
func Browser(ctx context.Context, width, height int) (window context.Context, stop func(), err error) {
	browser.Lock()
	if browser.ctx == nil {
		err = startBrowser()
	}
	all := browser.ctx
	browser.Unlock()
	if err != nil {
		return nil, nil, fmt.Errorf("chromium: %w", err)
	}
	whole := cdp.WithExecutor(all, chromedp.FromContext(all).Browser)
	store, err := target.CreateBrowserContext().Do(whole)
	if err != nil {
		return nil, nil, fmt.Errorf("chromium: %w", err)
	}
	id, err := target.CreateTarget("about:blank").WithBrowserContextID(store).WithNewWindow(true).WithWidth(int64(width)).WithHeight(int64(height)).Do(whole)
	if err != nil {
		return nil, nil, fmt.Errorf("chromium: %w", err)
	}
	window, leave := chromedp.NewContext(all, chromedp.WithTargetID(id))
	stop = sync.OnceFunc(func() {
		leave()
		_ = target.DisposeBrowserContext(store).Do(whole)
	})
	context.AfterFunc(ctx, stop)
	// A first visit is offered the tour; here nobody is new.
	knows := chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := page.AddScriptToEvaluateOnNewDocument(`try { localStorage.setItem("grotta-tour", "seen") } catch {}`).Do(ctx)
		return err
	})
	if err := chromedp.Run(window, chromedp.EmulateViewport(int64(width), int64(height)), knows); err != nil {
		stop()
		return nil, nil, fmt.Errorf("chromium: %w", err)
	}
	return window, stop, nil
}

func startBrowser() error {
	profile, err := os.MkdirTemp("", "grotta-browser-")
	if err != nil {
		return err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("/usr/bin/chromium"), chromedp.UserDataDir(profile), chromedp.NoSandbox, chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("enable-unsafe-swiftshader", true), chromedp.Flag("hide-scrollbars", true), chromedp.Flag("force-device-scale-factor", "1"),
	)
	if !PagesByProcessor {
		options = append(options, chromedp.Flag("use-angle", "swiftshader"))
	}
	alloc, stopAlloc := chromedp.NewExecAllocator(context.Background(), options...)
	ctx, stopBrowser := chromedp.NewContext(alloc)
	stop := func() {
		stopBrowser()
		stopAlloc()
		os.RemoveAll(profile)
	}
	if err := chromedp.Run(ctx); err != nil {
		stop()
		return err
	}
	browser.ctx, browser.stop = ctx, stop
	return nil
}

// CloseBrowser ends the Chromium, if one was started. Programs and tests call it last.
func CloseBrowser() {
	browser.Lock()
	defer browser.Unlock()
	if browser.ctx != nil {
		browser.stop()
		browser.ctx = nil
	}
}
