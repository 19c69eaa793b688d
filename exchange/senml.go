package exchange

import (
	"encoding/json"
	"io"
	"strconv"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

// senmlWriter writes one pack, one record a line. Base names are resolved, so that a line stands by itself.
type senmlWriter struct {
	to      io.Writer
	bare    bool
	names   [][]byte
	signals []site.Signal
	line    []byte
	begun   bool
}

func (w *senmlWriter) Device(name string, signals []site.Signal) error {
	w.signals, w.names = signals, w.names[:0]
	for _, called := range names(name, signals, w.bare) {
		n, err := json.Marshal(called)
		if err != nil {
			return err
		}
		w.names = append(w.names, n)
	}
	return nil
}

func (w *senmlWriter) Readings(at measure.Instant, row []*measure.Reading) error {
	for i, r := range row {
		if r == nil {
			continue
		}
		begin := ",\n"
		if !w.begun {
			w.begun, begin = true, "[\n"
		}
		s := &w.signals[i]
		line := append(append(append(w.line[:0], begin...), `{"n":`...), w.names[i]...)
		line = append(line, `,"t":`...)
		line = strconv.AppendFloat(line, float64(at)/1000, 'f', -1, 64)
		if s.Unit != "" {
			unit, err := json.Marshal(s.Unit)
			if err != nil {
				return err
			}
			line = append(append(line, `,"u":`...), unit...)
		}
		switch s.Kind {
		case site.KindSwitch:
			line = strconv.AppendBool(append(line, `,"vb":`...), r.Value != 0)
		case site.KindText, site.KindData:
			field := `,"vs":`
			if s.Kind == site.KindData {
				field = `,"vd":`
			}
			text, err := json.Marshal(r.Text)
			if err != nil {
				return err
			}
			line = append(append(line, field...), text...)
		default:
			line = strconv.AppendFloat(append(line, `,"v":`...), r.Value, 'g', -1, 64)
		}
		w.line = append(line, '}')
		if _, err := w.to.Write(w.line); err != nil {
			return err
		}
	}
	return nil
}

func (w *senmlWriter) Figures(series.Row) error { return nil } // refused by NewWriter

func (w *senmlWriter) Close() error {
	end := "\n]\n"
	if !w.begun {
		end = "[]\n"
	}
	_, err := io.WriteString(w.to, end)
	return err
}
