package cli

import (
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/core/prose"
)

// progress tells on a terminal, in one line that changes, how much of a long work is done. Elsewhere it says
// nothing.
type progress struct {
	to    io.Writer
	what  string
	done  int64
	begun time.Time
	told  time.Time
}

func newProgress(c *cobra.Command, what string) *progress {
	p := &progress{what: what, begun: time.Now()}
	if f, ok := c.ErrOrStderr().(*os.File); ok && isTerminal(f) {
		p.to = f
	}
	return p
}

func (p *progress) at(done int64) { p.done = done }

// Write counts bytes.
func (p *progress) Write(b []byte) (int, error) {
	p.done += int64(len(b))
	p.say("%s  %s, %s/s", p.what, prose.Bytes(p.done), prose.Bytes(int64(float64(p.done)/max(0.1, time.Since(p.begun).Seconds()))))
	return len(b), nil
}

// say puts a line in place of the last, five times a second at most.
func (p *progress) say(format string, args ...any) {
	if p.to == nil || time.Since(p.told) < 200*time.Millisecond {
		return
	}
	p.told = time.Now()
	fmt.Fprintf(p.to, "\r\x1b[K"+format, args...)
}

// end takes the line away.
func (p *progress) end() {
	if p.to != nil {
		fmt.Fprint(p.to, "\r\x1b[K")
	}
}
