// Package browser works the console in a headless Chromium as a person would: for the browser tests
// and for the pictures in docs/screenshots.
package browser

import (
	"context"
	"fmt"
	"net/http"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// Browser is a Chromium. Its pages know nothing of each other.
type Browser struct {
	ctx context.Context
	end context.CancelFunc
}

// shell is Debian's Chromium without windows, which takes a third less of a processor for the same pages. What is called
// by this name on the path is a script that would outlive it.
const shell = "/usr/lib/chromium/chromium-headless-shell"

// Start starts a browser. It lasts until End, or until ctx is done.
func Start(ctx context.Context) (*Browser, error) {
	options := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.Headless, chromedp.NoSandbox,
		chromedp.DisableGPU, chromedp.NoFirstRun, chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-sync", true), chromedp.Flag("hide-scrollbars", true))
	if _, err := os.Stat(shell); err == nil {
		options = append(options, chromedp.ExecPath(shell))
	}
	ctx, endBrowser := chromedp.NewExecAllocator(ctx, options...)
	ctx, endTab := chromedp.NewContext(ctx)
	b := &Browser{ctx: ctx, end: func() { endTab(); endBrowser() }}
	if err := chromedp.Do(ctx); err != nil {
		b.End()
		return nil, fmt.Errorf("starting chromium: %w", err)
	}
	return b, nil
}

// End closes the browser with all its pages.
func (b *Browser) End() { b.end() }

// Page is one window of a browser, with cookies and storage of its own. Until Goto sends it elsewhere, it is at the
// console's first page.
type Page struct {
	ctx    context.Context
	base   string
	opened bool

	mu     sync.Mutex
	errors []string
}

// Open starts a browser with one page, for the console at base. The function that comes back ends it.
func Open(ctx context.Context, base string) (*Page, func(), error) {
	b, err := Start(ctx)
	if err != nil {
		return nil, nil, err
	}
	p, _, err := b.Open(base)
	if err != nil {
		b.End()
		return nil, nil, err
	}
	return p, b.End, nil
}

// Open opens a page for the console at base. The function that comes back closes it.
func (b *Browser) Open(base string) (*Page, func(), error) {
	ctx, end := chromedp.NewContext(b.ctx, chromedp.WithNewBrowserContext())
	p := &Page{ctx: ctx, base: base}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		end()
		return nil, nil, fmt.Errorf("opening a page: %w", err)
	}
	messages, thrown := chromedp.Console(ctx), chromedp.Events(ctx, runtime.ExceptionThrown)
	go func() {
		for m, err := range messages {
			if err != nil {
				return
			}
			if m.Type == "error" {
				p.complain(m.Text)
			}
		}
	}()
	go func() {
		for e, err := range thrown {
			if err != nil {
				return
			}
			p.complain(fmt.Sprint(e.ExceptionDetails.Text, " ", e.ExceptionDetails.Exception.Description))
		}
	}()
	return p, end, nil
}

func (p *Page) complain(text string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.errors = append(p.errors, text)
}

// Errors are what the page has complained of: errors on its console and exceptions.
func (p *Page) Errors() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	return append([]string{}, p.errors...)
}

const patience = 40 * time.Second

// do works on what the page shows.
func (p *Page) do(steps ...chromedp.Action[chromedp.Void]) error {
	if err := p.begin(); err != nil {
		return err
	}
	return p.run(steps...)
}

// begin opens the first page where nothing is open yet.
func (p *Page) begin() error {
	if p.opened {
		return nil
	}
	return p.Goto("/")
}

func (p *Page) run(steps ...chromedp.Action[chromedp.Void]) error {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Do(ctx, steps...)
}

// Goto opens a path of the console.
func (p *Page) Goto(path string) error {
	p.opened = true
	return p.run(chromedp.Navigate(p.base + path))
}

// Renew makes the page as good as new, for the console at another address of the same host: its process stays, which
// spares a second of a processor. What the page has stored stays with the address that it was at.
func (p *Page) Renew(base string) error {
	p.base, p.opened = base, false
	err := p.run(chromedp.Navigate("about:blank"), chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, network.ClearBrowserCookies, cdp.Empty{})
		return err
	}), chromedp.EmulateViewport(1280, 800), prefer("prefers-color-scheme", "light"))
	p.mu.Lock()
	defer p.mu.Unlock()
	p.errors = nil
	return err
}

// Go goes to a path as a link of the console does: nothing is loaded anew.
func (p *Page) Go(path string) error {
	if !p.opened {
		return p.Goto(path)
	}
	if _, err := Eval[bool](p,
		fmt.Sprintf(`(history.pushState({}, '', %q), dispatchEvent(new PopStateEvent('popstate')))`,
			path)); err != nil {
		return err
	}
	return p.Until(fmt.Sprintf(`document.querySelector('main')?.dataset.at === new URL(%q, location).pathname`, path))
}

// NoWorker keeps the console's service worker out of pages that are opened from now on: it takes all files of the
// console in, which costs a second of a processor.
func (p *Page) NoWorker() error {
	return p.run(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{
			Source: "delete Navigator.prototype.serviceWorker"})
		return err
	}))
}

// Carry gives the browser a session's cookie: whoever has it is signed in.
func (p *Page) Carry(session *http.Cookie) error {
	return p.run(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, network.SetCookie, network.SetCookieParams{Name: session.Name,
			Value: session.Value, URL: p.base, HTTPOnly: &session.HttpOnly})
		return err
	}))
}

// See waits until something that matches the CSS selector is in sight.
func (p *Page) See(selector string) error {
	if err := p.do(chromedp.WaitVisible(chromedp.CSS(selector))); err != nil {
		return fmt.Errorf("%s is not in sight: %w", selector, err)
	}
	return nil
}

// Type puts text into the field that matches the selector, all at once, behind what is there. Keys goes key by key.
func (p *Page) Type(selector, text string) error {
	return p.do(chromedp.WaitVisible(chromedp.CSS(selector)), chromedp.Focus(chromedp.CSS(selector)),
		chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Call(ctx, input.InsertText, input.InsertTextParams{Text: text})
			return err
		}))
}

// SignIn opens the console and signs in.
func (p *Page) SignIn(email, password string) error {
	if err := p.Goto("/"); err != nil {
		return err
	}
	if err := p.Type(`input[name=email]`, email); err != nil {
		return err
	}
	if err := p.Type(`input[name=password]`, password); err != nil {
		return err
	}
	if err := p.Press("Enter"); err != nil {
		return err
	}
	return p.See("nav")
}

// keys are the keys that Press knows, with their codes.
var keys = map[string]int64{"Enter": 13, "Tab": 9, "Escape": 27, "ArrowLeft": 37, "ArrowUp": 38, "ArrowRight": 39,
	"ArrowDown": 40, "+": 187, "-": 189, "a": 65, "c": 67, "k": 75, "r": 82, "s": 83, "z": 90, "Backspace": 8}

// Press presses and lets go of one key, as a keyboard does; with Control held when it begins with "Control+".
func (p *Page) Press(key string) error {
	key, control := strings.CutPrefix(key, "Control+")
	var held int64
	if control {
		held = 2
	}
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeKeyDown,
			input.DispatchKeyEventTypeKeyUp} {
			press := input.DispatchKeyEventParams{Type: kind, Key: key, Code: key, WindowsVirtualKeyCode: keys[key],
				NativeVirtualKeyCode: keys[key], Modifiers: held}
			if key == "Enter" && kind == input.DispatchKeyEventTypeKeyDown {
				press.Text = "\r"
			}
			if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, press); err != nil {
				return err
			}
		}
		return nil
	}))
}

// Drag takes what matches the selector by the mouse, and moves it by so many pixels.
func (p *Page) Drag(selector string, right, down float64) error {
	place, err := Eval[struct{ X, Y float64 }](p, fmt.Sprintf(`(() => {
		const box = document.querySelector(%q).getBoundingClientRect()
		return { X: box.left + box.width / 2, Y: box.top + box.height / 2 }
	})()`, selector))
	if err != nil {
		return err
	}
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		for i, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMouseMoved,
			input.DispatchMouseEventTypeMousePressed,
			input.DispatchMouseEventTypeMouseMoved, input.DispatchMouseEventTypeMouseMoved,
			input.DispatchMouseEventTypeMouseReleased} {
			move := input.DispatchMouseEventParams{Type: kind, X: place.X, Y: place.Y, Button: input.MouseButtonLeft,
				ClickCount: 1}
			if i >= 2 {
				part := float64(min(i-1, 2)) / 2
				move.X, move.Y = move.X+right*part, move.Y+down*part
			}
			if _, err := chromedp.Call(ctx, input.DispatchMouseEvent, move); err != nil {
				return err
			}
		}
		return nil
	}))
}

// Pull puts a finger near the top of the page, and draws it down by so many pixels.
func (p *Page) Pull(down float64) error {
	return p.do(chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		at := func(y float64) []*input.TouchPoint { return []*input.TouchPoint{{X: 180, Y: y}} }
		for _, touch := range []input.DispatchTouchEventParams{{Type: input.DispatchTouchEventTypeTouchStart,
			TouchPoints: at(120)}, {Type: input.DispatchTouchEventTypeTouchMove, TouchPoints: at(120 + down/2)},
			{Type: input.DispatchTouchEventTypeTouchMove, TouchPoints: at(120 + down)},
			{Type: input.DispatchTouchEventTypeTouchEnd, TouchPoints: []*input.TouchPoint{}}} {
			if _, err := chromedp.Call(ctx, input.DispatchTouchEvent, touch); err != nil {
				return err
			}
		}
		return nil
	}))
}

// Eval gives the value of a JavaScript expression on the page; a promise is waited for.
func Eval[T any](p *Page, expression string) (T, error) {
	if err := p.begin(); err != nil {
		var nothing T
		return nothing, err
	}
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
}

// Until waits until a JavaScript expression is true.
func (p *Page) Until(expression string) error {
	end, pause := time.Now().Add(patience), 20*time.Millisecond
	for ; ; time.Sleep(pause) {
		pause = min(pause*5/4, 200*time.Millisecond)
		truth, err := Eval[bool](p, "!!("+expression+")")
		if err == nil && truth {
			return nil
		}
		if time.Now().After(end) {
			text, _ := Eval[string](p, "document.body.innerText")
			return fmt.Errorf("not so within %v: %s (%v); the page says: %s", patience, expression, err, text)
		}
	}
}

// Look sets the size and the theme.
func (p *Page) Look(width, height int64, dark bool) error {
	theme := "light"
	if dark {
		theme = "dark"
	}
	return p.run(chromedp.EmulateViewport(width, height), prefer("prefers-color-scheme", theme))
}

// Still says that the person wants no motion, or does not mind it.
func (p *Page) Still(on bool) error {
	motion := "no-preference"
	if on {
		motion = "reduce"
	}
	return p.run(prefer("prefers-reduced-motion", motion))
}

func prefer(feature, value string) chromedp.Action[chromedp.Void] {
	return chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia,
			emulation.SetEmulatedMediaParams{Features: []*emulation.MediaFeature{{Name: feature, Value: value}}})
		return err
	})
}

// Picture takes a picture of what is in sight, as PNG.
func (p *Page) Picture() ([]byte, error) {
	ctx, cancel := context.WithTimeout(p.ctx, patience)
	defer cancel()
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}
