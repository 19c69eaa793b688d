package web

import (
	"net/http"
	"time"
)

const (
	stepBytes  = 64 << 10         // an answer is written in steps of so many bytes
	stepWithin = 15 * time.Second // and a reader that takes longer for one is cut off
)

// Paced cuts off readers that stall: every answer is written in short steps, each with a deadline.
func Paced(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		control := http.NewResponseController(w)
		_ = control.SetWriteDeadline(time.Time{}) // that of the request before
		next.ServeHTTP(&pacedWriter{w, control}, r)
		_ = control.SetWriteDeadline(time.Now().Add(stepWithin)) // for what is still to be flushed
	})
}

type pacedWriter struct {
	http.ResponseWriter
	control *http.ResponseController
}

// Unwrap gives the writer behind.
func (w *pacedWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

// Write writes in steps.
func (w *pacedWriter) Write(p []byte) (n int, err error) {
	for len(p) > 0 && err == nil {
		step := p[:min(len(p), stepBytes)]
		_ = w.control.SetWriteDeadline(time.Now().Add(stepWithin))
		var m int
		m, err = w.ResponseWriter.Write(step)
		n, p = n+m, p[m:]
	}
	return n, err
}

// FlushError passes on what is written so far.
func (w *pacedWriter) FlushError() error {
	_ = w.control.SetWriteDeadline(time.Now().Add(stepWithin))
	return w.control.Flush()
}
