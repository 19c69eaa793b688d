package measure

import "testing"

func TestCellsAreNoFormulas(t *testing.T) {
	for text, want := range map[string]string{"=1+1": "'=1+1", "+3 dBm": "'+3 dBm", "-": "'-", "@here": "'@here",
		"\tx": "'\tx", "'=1": "''=1", "''=1": "'''=1",
		"": "", "idle": "idle", "'quoted'": "'quoted'", "1-2": "1-2", " =1": " =1"} {
		got := Cell(text)
		if got != want || FromCell(got) != text {
			t.Errorf("%q: %q, and back %q", text, got, FromCell(got))
		}
	}
}

func FuzzCell(f *testing.F) {
	f.Add("'=")
	f.Fuzz(func(t *testing.T, text string) {
		if cell := Cell(text); FromCell(cell) != text || likeFormula(cell) && cell[0] != '\'' {
			t.Errorf("%q: %q, and back %q", text, cell, FromCell(cell))
		}
	})
}
