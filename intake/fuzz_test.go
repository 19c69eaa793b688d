package intake

import (
	"testing"

	"jauntylark/core/measure"
)

// Whatever comes, in whatever form, is read or refused; what is read is within its limits.
func FuzzAnyBody(f *testing.F) {
	for kind, body := range map[byte]string{0: `[{"n":"a","v":1}]`, 1: "\x81\xa2\x00aa\x02\x01",
		2: `{"a": 1, "at": "2026-03-01T14:05:00Z"}`, 3: "at,signal,value,unit,text\n,a,1,Cel,\n,b,,,'=x\n", 4: "\xff"} {
		f.Add(kind, []byte(body))
	}
	kinds := append(append([]string{}, MediaTypes...), "nonsense")
	f.Fuzz(func(t *testing.T, kind byte, body []byte) {
		samples, refused, err := Decode(kinds[int(kind)%len(kinds)], body, now)
		if err != nil && len(samples)+len(refused) > 0 {
			t.Error("refused as a whole, and in part too:", err)
		}
		for _, s := range samples {
			if s.At < 0 || len(s.Text) > measure.MaxText || measure.WrongText(s.Text, true) != "" {
				t.Errorf("%+v", s)
			}
		}
		_, _ = DecodeReport(body)
		_, _ = DecodeOutputReport(body)
		_, _ = Bare("a", body)
		_ = Guess(body)
	})
}
