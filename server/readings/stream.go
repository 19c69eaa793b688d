package readings

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// streamOperations has the operations of this file answered.
func streamOperations(v *web.Server) {
	web.AnswerAs(v, api.StreamReadings, streamReadings)
}

// flushEvery is after how many lines what was written is sent on.
const flushEvery = 1000

// streamReadings answers with lines as they are read: the answer is never in memory as a whole. Its last line tells how
// many came before, so that one that was cut off is not taken for the whole.
func streamReadings(ctx context.Context, v *web.Server, in *api.StreamReadingsIn) (*huma.StreamResponse, error) {
	all, err := config.Signals(ctx, v.Store)
	if err != nil {
		return nil, err
	}
	devices, err := chosen(all, "signal", in.Signals)
	if err != nil {
		return nil, err
	}
	var signals []site.Signal
	for _, d := range devices {
		signals = slices.Concat(signals, d.signals)
	}
	since, until, err := in.Bounds(v.Pipeline.Now())
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", "application/x-ndjson")
		h.SetHeader("Cache-Control", "no-store")
		lines := &readingLines{signals: signals, out: json.NewEncoder(h.BodyWriter())}
		lines.flush, _ = h.BodyWriter().(http.Flusher)
		err := eachRow(h.Context(), v, signals, since, until-1, lines.row)
		switch {
		case err != nil && h.Context().Err() != nil: // who asked has gone
		case err != nil:
			v.Log.Warn("readings could not all be streamed", "error", err)
			_ = lines.out.Encode(api.ReadingLine{Problem: "The readings could not be read to their end. Ask again."})
		default:
			_ = lines.out.Encode(api.ReadingLine{Count: &lines.count})
		}
	}}, nil
}

// eachRow goes through the true readings of several signals, with those of all at each instant.
func eachRow(ctx context.Context, v *web.Server, signals []site.Signal, since, until measure.Instant,
	each func(measure.Instant, []*measure.Reading) error) error {
	tx, err := v.Store.Look(ctx)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	return timeseries.EachRow(ctx, tx, signals, since, until, false, each)
}

// readingLines writes readings, a JSON object a line.
type readingLines struct {
	signals []site.Signal
	out     *json.Encoder
	flush   http.Flusher
	count   int
}

func (l *readingLines) row(at measure.Instant, row []*measure.Reading) error {
	for i, r := range row {
		if r == nil {
			continue
		}
		if err := l.out.Encode(api.ReadingLine{Signal: l.signals[i].Path(), At: &at, Value: &r.Value, Text: r.Text,
			Quality: r.Quality}); err != nil {
			return err
		}
		if l.count++; l.count%flushEvery == 0 && l.flush != nil {
			l.flush.Flush()
		}
	}
	return nil
}
