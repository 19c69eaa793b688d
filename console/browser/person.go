package browser

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// held is how long a person holds a mouse button down.
const held = 120 * time.Millisecond

// Click moves the mouse to the middle of what matches the selector, presses, waits as a person does, and lets go there,
// wherever the thing has gone meanwhile. Who pressed beside it, or let go beside it, since the page moved, presses
// again.
func (p *Page) Click(selector string) error {
	for range 5 {
		place, err := p.middle(selector)
		if err != nil {
			return err
		}
		if err := p.press(place); err != nil {
			return err
		}
		beside, err := Eval[bool](p, `window.pressedBeside === true`)
		if err != nil || !beside { // who cannot be asked is gone: the press opened another page
			return nil
		}
	}
	return fmt.Errorf("%s is not where it is pressed, again and again", selector)
}

func (p *Page) press(at point) error {
	for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMouseMoved,
		input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
		act := input.DispatchMouseEventParams{Type: kind, X: at.X, Y: at.Y, Button: input.MouseButtonLeft,
			ClickCount: 1}
		if kind == input.DispatchMouseEventTypeMouseReleased {
			time.Sleep(held)
		}
		if err := p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			_, err := chromedp.Call(ctx, input.DispatchMouseEvent, act)
			return err
		})); err != nil {
			return err
		}
	}
	return nil
}

type point struct{ X, Y float64 }

// middle is where the middle of what matches the selector is in sight, once it stands still. From then on the page
// notes whether the next press is beside it.
func (p *Page) middle(selector string) (point, error) {
	if err := p.Until(fmt.Sprintf(`document.querySelector(%q)`, selector)); err != nil {
		return point{}, err
	}
	return Eval[point](p, fmt.Sprintf(`(async () => {
		const what = document.querySelector(%q)
		const place = () => {
			what.scrollIntoView({ block: 'center', behavior: 'instant' })
			const box = what.getBoundingClientRect()
			return { X: box.left + box.width / 2, Y: box.top + box.height / 2 }
		}
		let at = place()
		for (let still = 0, tries = 0; still < 2 && tries < 100; tries++) {
			await new Promise((go) => setTimeout(go, 30))
			const now = place()
			still = now.X === at.X && now.Y === at.Y ? still + 1 : 0
			at = now
		}
		window.pressedBeside = true
		addEventListener('pointerdown', ({ target }) => {
			window.pressedBeside = !what.contains(target) && !target.closest('label')?.contains(what)
		}, { once: true, capture: true })
		addEventListener('pointerup', ({ clientX: x, clientY: y }) => {
			const box = what.getBoundingClientRect()
			const gone = x < box.left || x > box.right || y < box.top || y > box.bottom
			if (gone && what.isConnected && box.width > 0) window.pressedBeside = true
		}, { once: true, capture: true })
		return at
	})()`, selector))
}

// Keys types text key by key into what has the focus.
func (p *Page) Keys(text string) error {
	for _, r := range text {
		if err := p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
			for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeKeyDown,
				input.DispatchKeyEventTypeKeyUp} {
				press := input.DispatchKeyEventParams{Type: kind, Key: string(r)}
				if kind == input.DispatchKeyEventTypeKeyDown {
					press.Text = string(r)
				}
				if _, err := chromedp.Call(ctx, input.DispatchKeyEvent, press); err != nil {
					return err
				}
			}
			return nil
		})); err != nil {
			return err
		}
	}
	return nil
}

// Focused tells what has the focus as who listens hears it, from the accessibility tree: its role and its name, "button
// Save". Nothing has it where that is the page itself.
func (p *Page) Focused() (string, error) {
	nodes, err := p.tree()
	if err != nil {
		return "", err
	}
	focused := "nothing"
	for _, n := range nodes {
		if is(n, "focused") && word(n.Role) != "RootWebArea" {
			focused = strings.TrimSpace(word(n.Role) + " " + word(n.Name))
		}
	}
	return focused, nil
}

// Announced gives the words of all live regions, from the accessibility tree.
func (p *Page) Announced() ([]string, error) {
	nodes, err := p.tree()
	if err != nil {
		return nil, err
	}
	byID := map[accessibility.NodeID]*accessibility.Node{}
	for _, n := range nodes {
		byID[n.NodeID] = n
	}
	var said []string
	for _, n := range nodes {
		if role := word(n.Role); role == "status" || role == "alert" {
			if text := strings.TrimSpace(textOf(n, byID)); text != "" {
				said = append(said, text)
			}
		}
	}
	return said, nil
}

func (p *Page) tree() (nodes []*accessibility.Node, err error) {
	err = p.do(chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		result, err := chromedp.Call(ctx, accessibility.GetFullAXTree, accessibility.GetFullAXTreeParams{})
		nodes = result.Nodes
		return err
	}))
	return nodes, err
}

func textOf(n *accessibility.Node, byID map[accessibility.NodeID]*accessibility.Node) string {
	if word(n.Role) == "StaticText" {
		return word(n.Name)
	}
	text := ""
	for _, id := range n.ChildIDs {
		if child := byID[id]; child != nil {
			text += " " + textOf(child, byID)
		}
	}
	return strings.Join(strings.Fields(text), " ")
}

func is(n *accessibility.Node, property string) bool {
	for _, p := range n.Properties {
		if string(p.Name) == property && p.Value != nil && string(p.Value.Value) == "true" {
			return true
		}
	}
	return false
}

// word is a value of the tree as text.
func word(v *accessibility.Value) (text string) {
	if v != nil {
		_ = json.Unmarshal(v.Value, &text)
	}
	return text
}
