package cli

import (
	"bytes"
	"errors"
	"log/slog"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"jauntylark/cli/local"
	"jauntylark/cli/terminal"
)

// The same warning is one line, and then one with how often it came again; another one is a line of its own.
func TestRepeatedWarningsAreOneLineWithACount(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var out bytes.Buffer
		log, err := local.NewLog(&out, "info", "text")
		if err != nil {
			t.Fatal(err)
		}
		for i := range 100 {
			log.Warn("the database is away", "error", errors.New("dial 127.0.0.1:"+strings.Repeat("4", 1+i%3)))
			log.Info("taken")
		}
		log.Warn("the database is away", "error", errors.New("no route"))
		if n := strings.Count(out.String(), "the database is away"); n != 2 {
			t.Errorf("%d lines of two that differ:\n%s", n, out.String())
		}
		if n := strings.Count(out.String(), "taken"); n != 100 {
			t.Errorf("%d lines of 100 that are no warnings", n)
		}
		time.Sleep(terminal.RepeatedFor + time.Second)
		synctest.Wait()
		if n := strings.Count(out.String(), "again=99"); n != 1 || strings.Count(out.String(), "again=") != 1 {
			t.Errorf("the count is not told once:\n%s", out.String()[strings.LastIndex(out.String(), "taken"):])
		}
		log.With(slog.String("x", "y")).Warn("the database is away", "error", errors.New("no route"))
		if !strings.HasSuffix(strings.TrimSpace(out.String()), `error="no route"`) {
			t.Error("after its time a line is written again")
		}
	})
}
