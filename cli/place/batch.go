package place

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"jauntylark/api"
	"jauntylark/cli/terminal"
	"jauntylark/core/prose"
)

// batchPart is how many requests go at once.
const batchPart = 200

func batchCommand() *cobra.Command {
	return &cobra.Command{
		Use: "batch FILE", Short: "Do many requests of the API, each by itself", Args: terminal.Exactly("FILE"),
		Long: `Do the requests in a file, a JSON object a line, one after the other (- is standard input). What fails keeps no other
from being done; then the exit code is 1. docs/api.md says what a request may be.`,
		Example: `  jaunty batch devices.ndjson
  echo '{"method": "PATCH", "path": "/api/v1/signals/pond/oxygen", "body": {"title": "Oxygen"}}' | jaunty batch -`,
		RunE: func(c *cobra.Command, args []string) error {
			requests, err := requestsIn(args[0], c.InOrStdin())
			if err != nil {
				return err
			}
			told := api.BatchAnswers{Answers: []api.BatchAnswer{}}
			for from := 0; from < len(requests); from += batchPart {
				part := requests[from:min(from+batchPart, len(requests))]
				answers, err := terminal.Ask(c, api.DoBatch, api.With(api.Batch{Requests: part}))
				if err != nil {
					return fmt.Errorf("%w (%d of %s done)", err, from, prose.Count(len(requests), "request", "requests"))
				}
				told.Answers = append(told.Answers, answers.Answers...)
			}
			return showBatch(c, requests, told)
		},
	}
}

// requestsIn reads the requests in a file.
func requestsIn(file string, standard io.Reader) (requests []api.BatchRequest, err error) {
	in := standard
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, terminal.Wrong(err)
		}
		defer f.Close()
		in = f
	}
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, 8<<20)
	for n := 1; lines.Scan(); n++ {
		if strings.TrimSpace(lines.Text()) == "" {
			continue
		}
		var r api.BatchRequest
		d := json.NewDecoder(strings.NewReader(lines.Text()))
		d.DisallowUnknownFields()
		if err := d.Decode(&r); err != nil {
			return nil, terminal.Misused("%s, line %d: %w", file, n, err)
		}
		requests = append(requests, r)
	}
	if err = lines.Err(); err == nil && len(requests) == 0 {
		err = terminal.Misused("%s: there is no request in it", file)
	}
	return requests, err
}

// showBatch tells what became of each request.
func showBatch(c *cobra.Command, requests []api.BatchRequest, told api.BatchAnswers) error {
	failed := 0
	rows := make([][]string, len(told.Answers))
	for i, a := range told.Answers {
		said := a.Headers["Location"]
		if a.Status >= http.StatusBadRequest {
			var problem api.Problem
			_ = json.Unmarshal(a.Body.RawMessage, &problem)
			said, failed = problem.Detail, failed+1
		}
		rows[i] = []string{requests[i].Method + " " + requests[i].Path, strconv.Itoa(a.Status), said}
	}
	err := terminal.Show(c, told, func(w io.Writer) {
		terminal.Table(w, "", []string{"REQUEST", "STATUS", "WHAT"}, rows)
	})
	if err == nil && failed > 0 {
		err = errors.New(prose.Count(failed, "request", "requests") + " of " + strconv.Itoa(len(rows)) + " failed")
	}
	return err
}
