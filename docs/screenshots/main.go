// Command screenshots takes the pictures of this folder anew from a running demo:
//
//	JAUNTY_PASSWORD=… go run ./docs/screenshots -url http://127.0.0.1:8080
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"jauntylark/console/browser"
	"jauntylark/demo"
)

// picture is one page at one size and theme.
type picture struct {
	name, path    string
	width, height int64
	dark          bool
	wait          string // what must be in sight before the picture is taken
}

var pictures = []picture{
	{"now", "/", 1280, 800, false, `[data-signal]`},
	{"now-phone", "/", 390, 844, true, `[data-signal]`},
	{"signal", "/signals/fern-house/air?last=hour", 1280, 800, false, `canvas`},
	{"trust", "/signals/pond/oxygen/trust", 1280, 800, false, `[data-preview] canvas`},
	{"board", "/boards/overview", 1280, 800, false, `[data-kind=mimic] img`},
	{"arrange", "/boards/water/arrange", 1280, 800, false, `[data-cell] canvas`},
	{"limit", "/guards/pond-oxygen-low", 1280, 800, false, `[data-replay=done] b`},
	{"outputs", "/outputs", 1280, 800, false, `[data-output]`},
	{"alarm", "/alarms", 1280, 800, false, `canvas`},
	{"interlock", "/interlocks/boiler-fan", 1280, 800, false, `[aria-label="When it would have run"] tbody tr`},
	{"roster", "/rosters/glasshouse", 1280, 800, false, `ol li`},
	{"drill", "/drills/1", 1280, 800, false, `tbody tr:nth-child(12)`},
	{"statement", "/statements/electricity", 1280, 800, false, `tbody tr`},
	{"asset", "/assets/switchboard", 1280, 800, false, `main canvas`},
	{"frames", "/frames/switchboard-eye", 1280, 800, false, `[data-strip] img`},
	{"run", "/runs", 1280, 800, false, `main canvas`},
	{"connect", "/devices/connect", 1280, 800, false, `[data-key]`},
}

// prepare does what a page's picture needs to be done on it first.
func prepare(page *browser.Page, name string) error {
	switch name {
	case "now", "now-phone": // the lines come after the newest values
		return page.Until(`document.querySelector('main path[fill=none][d*=L]')`)
	case "connect":
		return connect(page)
	case "trust":
		return correct(page)
	case "interlock":
		return try(page)
	case "alarm": // the one that stands, or the newest
		if err := page.See("tbody a"); err != nil {
			return err
		}
		_, err := browser.Eval[bool](page,
			`((document.querySelector('a[id^=alarm-]') ?? document.querySelector('tbody a')).click(), true)`)
		return err
	case "run": // the newest of the heap
		heap := `[...document.querySelectorAll('tbody tr')].find((row) => row.innerText.includes('Heap'))`
		if err := page.Until(heap); err != nil {
			return err
		}
		_, err := browser.Eval[bool](page, `(`+heap+`.querySelector('a').click(), true)`)
		return err
	}
	return nil
}

// try replays an interlock, and looks at what came of it.
func try(page *browser.Page) error {
	if err := page.See("form button[type=submit]"); err != nil {
		return err
	}
	if _, err := browser.Eval[bool](page,
		`(document.querySelector('form button[type=submit]').click(), true)`); err != nil {
		return err
	}
	if err := page.See(`[aria-label="When it would have run"] tbody tr`); err != nil {
		return err
	}
	_, err := browser.Eval[bool](page, `(window.scrollTo(0, 560), true)`)
	return err
}

// correct asks what a correction would do, and looks at the answer.
func correct(page *browser.Page) error {
	for _, pair := range [][2]string{{"Shown", "94.2"}, {"Reference", "91"}} {
		field := `[...document.querySelectorAll('form label')].find((l) => l.innerText.startsWith('` + pair[0] + `'))`
		if err := page.Until(field); err != nil {
			return err
		}
		if _, err := browser.Eval[bool](page, `(`+field+`.control.focus(), true)`); err != nil {
			return err
		}
		if err := page.Keys(pair[1]); err != nil {
			return err
		}
	}
	if err := page.Press("Enter"); err != nil {
		return err
	}
	if err := page.See("[data-preview]"); err != nil {
		return err
	}
	_, err := browser.Eval[bool](page, `(window.scrollTo(0, 250), true)`)
	return err
}

// connect connects a device.
func connect(page *browser.Page) error {
	// A demo that was pictured before has the device already; its name is made new.
	device := "loft-node"
	for n := 2; ; n++ {
		if err := page.Type("input[name=name]", device); err != nil {
			return err
		}
		if err := page.Press("Enter"); err != nil {
			return err
		}
		if err := page.Until(`document.querySelector('[data-key], [role=alert]')`); err != nil {
			return err
		}
		if taken, err := browser.Eval[bool](page, `!!document.querySelector('[role=alert]')`); err != nil || !taken {
			return err
		}
		device = fmt.Sprintf("loft-node-%d", n)
		// What was refused would be there again.
		if _, err := browser.Eval[bool](page, `(localStorage.clear(), true)`); err != nil {
			return err
		}
		if err := page.Goto("/devices/connect"); err != nil {
			return err
		}
	}
}

func main() {
	url := flag.String("url", "http://127.0.0.1:8080", "address of the demo")
	out := flag.String("out", "docs/screenshots", "folder to write to")
	only := flag.String("only", "", "take this one alone")
	flag.Parse()
	if err := take(*url, os.Getenv("JAUNTY_PASSWORD"), *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func take(url, password, out, only string) error {
	page, end, err := browser.Open(context.Background(), url)
	if err != nil {
		return err
	}
	defer end()
	if err := page.SignIn(demo.Owner, password); err != nil {
		return err
	}
	for _, p := range pictures {
		if only != "" && only != p.name {
			continue
		}
		if err := page.Look(p.width, p.height, p.dark); err != nil {
			return err
		}
		if err := page.Goto(p.path); err != nil {
			return err
		}
		if err := prepare(page, p.name); err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		if err := page.See(p.wait); err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		time.Sleep(time.Second) // for what is drawn after that
		png, err := page.Picture()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(out, p.name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	for _, complaint := range page.Errors() {
		fmt.Fprintln(os.Stderr, "the page complains:", complaint)
	}
	return nil
}
