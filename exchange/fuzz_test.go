package exchange

import (
	"bytes"
	"testing"

	"jauntylark/core/site"
)

// Whatever file is brought, it is read by what was guessed of it, or refused; no record of it has a text that none may
// have unseen.
func FuzzRead(f *testing.F) {
	f.Add([]byte("Time,T1 (°C),Door\n2026-03-01 12:00:00,1.5,open\n"), "l.csv")
	f.Add([]byte("at,signal,value,unit,text\n2026-03-01T12:00:00Z,a,1,Cel,\n2026-03-01T12:00:01Z,b,,,'=x\n"), "x.csv")
	f.Add([]byte(`[{"bn":"d/","n":"a","t":1772373900,"v":1}]`), "x.senml.json")
	f.Add([]byte("PAR1\x00PAR1"), "x.parquet")
	f.Fuzz(func(t *testing.T, body []byte, name string) {
		layout, _, err := Guess(body[:min(len(body), 4096)], name, "d",
			[]site.Signal{{Device: "d", Name: "a", Kind: site.KindNumber}})
		if err != nil {
			return
		}
		if layout.Zoned() {
			layout.Zone = "UTC"
		}
		if layout.Check() != nil {
			return
		}
		records := 0
		err = Read(bytes.NewReader(body), int64(len(body)), &layout, func(Record) error { records++; return nil },
			func(Refused) error { return nil })
		if records > len(body) {
			t.Errorf("%d records in %d bytes, %v", records, len(body), err)
		}
	})
}
