package terminal

import (
	"fmt"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"jauntylark/core/prose"
)

// Progress tells on a terminal, in one line that changes, how much of a long work is done. Elsewhere it says
// nothing.
type Progress struct {
	to    io.Writer
	what  string
	Done  int64
	begun time.Time
	told  time.Time
}

// NewProgress tells on a writer how long work goes on; it says nothing where nobody looks.
func NewProgress(c *cobra.Command, what string) *Progress {
	p := &Progress{what: what, begun: time.Now()}
	if f, ok := c.ErrOrStderr().(*os.File); ok && IsTerminal(f) {
		p.to = f
	}
	return p
}

// At says how much is done.
func (p *Progress) At(done int64) { p.Done = done }

// Write counts bytes.
func (p *Progress) Write(b []byte) (int, error) {
	p.Done += int64(len(b))
	p.Say("%s  %s, %s/s", p.what, prose.Bytes(p.Done),
		prose.Bytes(int64(float64(p.Done)/max(0.1, time.Since(p.begun).Seconds()))))
	return len(b), nil
}

// Say puts a line in place of the last, five times a second at most.
func (p *Progress) Say(format string, args ...any) {
	if p.to == nil || time.Since(p.told) < 200*time.Millisecond {
		return
	}
	p.told = time.Now()
	fmt.Fprintf(p.to, "\r\x1b[K"+format, args...)
}

// End takes the line away.
func (p *Progress) End() {
	if p.to != nil {
		fmt.Fprint(p.to, "\r\x1b[K")
	}
}
