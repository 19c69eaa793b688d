package exchange

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"math"
	"math/rand/v2"
	"os/exec"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/parquet-go/parquet-go"
	"github.com/xuri/excelize/v2"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
)

var signals = []site.Signal{{Device: "d", Name: "temp", Kind: site.KindNumber, Unit: "Cel"},
	{Device: "d", Name: "door", Kind: site.KindSwitch},
	{Device: "d", Name: "state", Kind: site.KindText}, {Device: "d", Name: "raw", Kind: site.KindNumber}}

// written writes random readings and gives the file and what went in.
func written(t *testing.T, format string, seed uint64) ([]byte, []Record) {
	r := rand.New(rand.NewPCG(seed, 1))
	var file bytes.Buffer
	w, err := NewWriter(format, &file, Options{})
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Device("d", signals); err != nil {
		t.Fatal(err)
	}
	var want []Record
	at := measure.Instant(1_790_000_000_000)
	for range 3000 {
		at += measure.Instant(1 + r.IntN(2000))
		row := make([]*measure.Reading, len(signals))
		for i := range signals {
			if r.IntN(3) == 0 {
				continue
			}
			x := Record{Signal: "d/" + signals[i].Name, Kind: signals[i].Kind, Unit: signals[i].Unit,
				Reading: measure.Reading{At: at}}
			switch i {
			case 0:
				x.Reading.Value = math.Round(r.NormFloat64()*100) / 10
			case 1:
				x.Reading.Value = float64(r.IntN(2))
			case 2:
				x.Text = []string{"idle", `he said "run, now"`, "zwei\nZeilen", "ü"}[r.IntN(4)]
			case 3:
				x.Reading.Value = r.NormFloat64() * math.Pow(10, float64(r.IntN(300)-150))
			}
			if r.IntN(5) == 0 && format != SenML {
				x.Reading.Quality = measure.Late | measure.Clock
			}
			given := x.Reading
			given.Text = x.Text
			row[i] = &given
			want = append(want, x)
		}
		if err := w.Readings(at, row); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return file.Bytes(), want
}

// read reads a file as Guess has it, adjusted.
func read(t *testing.T, file []byte, device string, adjust func(*Layout)) (records []Record, refused []Refused) {
	t.Helper()
	l, _, err := Guess(file[:min(len(file), 4096)], "file", device, signals)
	if err != nil {
		t.Fatal(err)
	}
	if adjust != nil {
		adjust(&l)
	}
	err = Read(bytes.NewReader(file), int64(len(file)), &l,
		func(r Record) error { r.Line = 0; records = append(records, r); return nil },
		func(r Refused) error { refused = append(refused, r); return nil })
	if err != nil {
		t.Fatal(err)
	}
	return records, refused
}

func TestWhatIsWrittenIsReadTheSame(t *testing.T) {
	for _, format := range []string{CSV, SenML, Parquet} {
		file, want := written(t, format, 7)
		got, refused := read(t, file, "", nil)
		if len(refused) > 0 || !slices.Equal(got, want) {
			i := 0
			for i < min(len(got), len(want)) && got[i] == want[i] {
				i++
			}
			t.Errorf("%s: %d of %d records, refused %v, the first that differs: %d\n%+v\n%+v", format, len(got),
				len(want), refused, i, got[i], want[i])
		}
		if again, _ := written(t, format, 7); !bytes.Equal(file, again) {
			t.Errorf("%s: the same readings gave other bytes", format)
		}
	}
	if file, _ := written(t, XLSX, 7); !bytes.HasPrefix(file, []byte("PK")) {
		t.Error("no spreadsheet")
	} else if again, _ := written(t, XLSX, 7); !bytes.Equal(file, again) {
		t.Error("xlsx: the same readings gave other bytes")
	}
}

// Another program's libraries read the CSV and the spreadsheet.
func TestPythonReadsTheFiles(t *testing.T) {
	python, err := exec.LookPath("python3")
	if err != nil {
		t.Skip("there is no python3 here")
	}
	run := func(script string, file []byte) string {
		cmd := exec.Command(python, "-c", script)
		cmd.Stdin = bytes.NewReader(file)
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		return strings.TrimSpace(string(out))
	}
	file, want := written(t, CSV, 3)
	sum := 0.0
	for _, r := range want {
		if r.Signal == "d/temp" {
			sum += r.Reading.Value
		}
	}
	got := run(`
import csv, sys, datetime
rows = list(csv.DictReader(sys.stdin, strict=True))
for r in rows: assert datetime.datetime.fromisoformat(r["at"].replace("Z", "+00:00")).year == 2026, r
print(len(rows), round(sum(float(r["value"]) for r in rows if r["signal"] == "d/temp"), 6), sum(r["text"] == "zwei\nZeilen" for r in rows) > 0)`, file)
	if wanted := strings.Join([]string{number(float64(len(want))), number(math.Round(sum*1e6) / 1e6), "True"},
		" "); got != wanted {
		t.Errorf("CSV: %s, want %s", got, wanted)
	}
	sheet, _ := written(t, XLSX, 3)
	got = run(`
import sys, io, zipfile, datetime, xml.etree.ElementTree as X
z = zipfile.ZipFile(io.BytesIO(sys.stdin.buffer.read()))
assert z.testzip() is None
n = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"
book = X.fromstring(z.read("xl/workbook.xml"))
rows = list(X.fromstring(z.read("xl/worksheets/sheet1.xml")).iter(n + "row"))
first = [c for c in rows[1]][0]
day = datetime.datetime(1899, 12, 30) + datetime.timedelta(days=float(first.find(n + "v").text))
assert first.get("s") not in (None, "0"), "the date has no style"
print([s.get("name") for s in book.iter(n + "sheet")], len(rows) - 1, day.isoformat(timespec="milliseconds"))`, sheet)
	rows := map[measure.Instant]bool{}
	for _, r := range want {
		rows[r.Reading.At] = true
	}
	if wanted := "['d'] 3000 " + want[0].Reading.At.Time().Format("2006-01-02T15:04:05.000"); got != wanted &&
		len(rows) == 3000 {
		t.Errorf("XLSX: %s, want %s", got, wanted)
	}
}

func TestColumnsAreGuessed(t *testing.T) {
	type want struct{ comma, decimal, times, columns string }
	for text, w := range map[string]want{
		"time,Air temp (°C),hum [%RH],note\n2026-03-01 12:00:00,21.5,40,x\n2026-03-01 12:01:00,21.6,41,y\n": {",", ".",
			"YYYY-MM-DD", "time|values temp Cel|values hum %RH|nothing"},
		"Date;Time;T1 (°C);Door\n01/03/2026;12:00;21,5;open\n13/03/2026;12:15;21,75;closed\n": {";", ",",
			"DD/MM/YYYY", "time|time|values t1 Cel|values door"},
		"1790000000\t5\n1790000060\t6\n":                                                                              {"\t", ".", "seconds", "time|values column-2"},
		"ts|v\n1790000000123|5.5\n1790000001123|-6e3\n":                                                               {"|", ".", "milliseconds", "time|values v"},
		"at,signal,value,unit\n2026-03-01T12:00:00Z,d/x,1,Cel\n":                                                      {",", ".", "RFC 3339", "time|signal|value|unit"},
		"when,temp\n03/25/2026 12:00,5\n03/26/2026 12:00,6\n":                                                         {",", ".", "MM/DD/YYYY", "time|values temp"},
		"when,Temp\n25.03.2026 12:00,5\n":                                                                             {",", ".", "DD.MM.YYYY", "time|values temp"},
		"\ufeffzeit;wert\r\n2026-03-01T12:00:00+01:00;1,5\r\n":                                                        {";", ",", "RFC 3339", "time|values wert"},
		"a,b\n2026-03-01 12:00,1\n2026-03-01 12:01,ERR\n2026-03-01 12:02,3\n2026-03-01 12:03,4\n2026-03-01 12:04,4\n": {",", ".", "YYYY-MM-DD", "time|values b"},
		// one day tells
		"t,x\n" + strings.Repeat("03/04/2026 12:00,1\n", 9) + "03/25/2026 12:00,1\n": {",", ".", "MM/DD/YYYY",
			"time|values x"},
	} {
		titled := slices.Clone(signals)
		titled[0].Title = "Air temp"
		l, _, err := Guess([]byte(text), "f.csv", "d", titled)
		var columns []string
		for _, c := range l.Columns {
			columns = append(columns, strings.TrimSpace(strings.Join([]string{c.Holds, c.Signal, string(c.Unit)}, " ")))
		}
		if got := (want{l.Comma, l.Decimal, l.Times, strings.Join(columns, "|")}); err != nil || got != w {
			t.Errorf("%q\n got %q\nwant %q %v", text, got, w, err)
		}
	}
	for _, text := range []string{"", "PK\x03\x04rest", "\x00\x01", "just words\nand more\n"} {
		if _, _, err := Guess([]byte(text), "f", "d", nil); err == nil {
			t.Errorf("%q was taken", text)
		}
	}
}

// Times without an offset are read in the zone that is named; wrong lines are told and the rest is read.
func TestALoggersFileIsRead(t *testing.T) {
	file := "Date;Time;T1 " +
		"(°C);Door\n01/07/2026;12:00;21,5;open\n02/07/2026;12:15;21,75;closed\n03/07/2026;12:15;21,75;closed\n31/02/2026;12:30;1,5;open\n13/07/2026;12:30;viel;closed\n13/07/2026;12:45;;open;more\n"
	got, refused := read(t, []byte(file), "cellar", func(l *Layout) { l.Zone = "Europe/Dublin" })
	noon := measure.InstantOf(time.Date(2026, 7, 1, 11, 0, 0, 0, time.UTC))
	if len(got) != 7 || got[0] != (Record{Signal: "cellar/t1", Kind: site.KindNumber, Unit: "Cel",
		Reading: measure.Reading{At: noon, Value: 21.5}}) ||
		got[1] != (Record{Signal: "cellar/door", Kind: site.KindSwitch, Reading: measure.Reading{At: noon, Value: 1}}) {
		t.Errorf("%+v", got)
	}
	if len(refused) != 3 || refused[0].Line != 5 || refused[1].Line != 6 || refused[1].Field != "T1 (°C)" ||
		refused[2].Line != 7 {
		t.Errorf("%+v", refused)
	}
}

// Base values hold on over the parts that a long pack is read in.
func TestALongPackIsReadInParts(t *testing.T) {
	var b strings.Builder
	b.WriteString(`[{"bn":"d/","bt":1790000000,"bu":"Cel","n":"temp","v":1}`)
	for i := 1; i < 2*recordsAtOnce+7; i++ {
		b.WriteString(`,{"n":"temp","t":` + number(float64(i)) + `,"v":2}`)
		if i == recordsAtOnce+3 {
			b.WriteString(`,{"bu":"K","n":"temp","t":0.5,"v":300}`)
		}
	}
	b.WriteString("]")
	got, refused := read(t, []byte(b.String()), "", nil)
	last := got[len(got)-1]
	if len(refused) > 0 || len(got) != 2*recordsAtOnce+8 || last.Signal != "d/temp" || last.Unit != "K" ||
		last.Reading.At != measure.Instant(1790000000+2*recordsAtOnce+6)*1000 {
		t.Errorf("%d records, the last %+v, refused %v", len(got), last, refused)
	}
}

func TestLayoutsAreChecked(t *testing.T) {
	good := Layout{Format: CSV, Comma: ",", Decimal: ".", Times: "YYYY-MM-DD", Zone: "UTC", Device: "d",
		Columns: []Column{{Holds: HoldsTime}, {Name: "x", Holds: HoldsValues, Signal: "s"}}}
	if err := good.Check(); err != nil {
		t.Fatal(err)
	}
	for says, change := range map[string]func(*Layout){
		"zone":                     func(l *Layout) { l.Zone = "" },
		"no way to write":          func(l *Layout) { l.Times = "DD-MM" },
		"device":                   func(l *Layout) { l.Device = "" },
		"no column holds the time": func(l *Layout) { l.Columns = l.Columns[1:] },
		"no column holds values":   func(l *Layout) { l.Columns = l.Columns[:1] },
		"needs the signal":         func(l *Layout) { l.Columns = []Column{{Holds: HoldsTime}, {Holds: HoldsValues}} },
		"decimal":                  func(l *Layout) { l.Decimal = "," },
		"values?":                  func(l *Layout) { l.Columns = []Column{{Holds: HoldsTime}, {Holds: "valuess"}} },
		"Did you mean": func(l *Layout) {
			l.Columns = []Column{{Holds: HoldsTime}, {Holds: HoldsValues, Signal: "s", Unit: "celsius"}}
		},
	} {
		l := good
		change(&l)
		if err := l.Check(); err == nil || !strings.Contains(strings.ToLower(err.Error()), strings.ToLower(says)) {
			t.Errorf("%s: %v", says, err)
		}
	}
}

func TestFiguresAreWritten(t *testing.T) {
	var file bytes.Buffer
	w, err := NewWriter(CSV, &file, Options{Period: series.Hour, Zone: time.FixedZone("", 3600)})
	if err != nil {
		t.Fatal(err)
	}
	f := series.Figures{Count: 2, LeftOut: 1, Low: 1, High: 3, Sum: 4, Held: 5000, HeldFor: 2000, First: 1, Last: 3}
	if err := w.Device("d", signals[:2]); err != nil {
		t.Fatal(err)
	}
	if err := w.Figures(series.Row{At: 1_790_000_000_000, Until: 1_790_000_600_000, Cut: true,
		Figures: []*series.Figures{&f, nil}}); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&file).ReadAll()
	if want := "2026-09-21T15:13:20.000+01:00,d/temp,2,1,1,3,2,2.5,1,3,Cel," +
		"2026-09-21T15:23:20.000+01:00,true"; err != nil || len(rows) != 2 ||
		strings.Join(rows[1], ",") != want {
		t.Errorf("%v %v", rows, err)
	}
	if _, err := NewWriter(SenML, &file, Options{Period: series.Hour}); err == nil {
		t.Error("SenML took figures")
	}
	if _, err := NewWriter("ods", &file, Options{}); err == nil || !strings.Contains(err.Error(), "xlsx") {
		t.Error(err)
	}
}

// A sheet and a Parquet file have the same figures as CSV, and nothing where a period has none.
func TestFiguresInSheetsAndParquet(t *testing.T) {
	full := series.Figures{Count: 2, LeftOut: 1, Low: 1, High: 3, Sum: 4, Held: 5000, HeldFor: 2000, First: 1, Last: 3}
	held := series.Figures{LeftOut: 4, Held: 6000, HeldFor: 2000} // a value held, and no reading could be used
	write := func(format string) []byte {
		t.Helper()
		var file bytes.Buffer
		w, err := NewWriter(format, &file, Options{Period: series.Hour})
		if err == nil {
			err = w.Device("d", signals[:2])
		}
		for i, row := range [][]*series.Figures{{&full, nil}, {&held, &full}} {
			if err == nil {
				at := 1_790_000_000_000 + measure.Instant(i)*3_600_000
				err = w.Figures(series.Row{At: at, Until: at + 3_600_000, Figures: row})
			}
		}
		if err == nil {
			err = w.Close()
		}
		if err != nil {
			t.Fatal(err)
		}
		return file.Bytes()
	}
	sheet, err := excelize.OpenReader(bytes.NewReader(write(XLSX)))
	if err != nil {
		t.Fatal(err)
	}
	defer sheet.Close()
	rows, err := sheet.GetRows("d")
	if err != nil || len(rows) < 3 {
		t.Fatalf("%v %v", rows, err)
	}
	first, second := rows[len(rows)-2], rows[len(rows)-1]
	if got := strings.Join(first[2:6], " "); got != "1 2 2.5 3" || len(first) > 6 && strings.Join(first[6:], "") != "" {
		t.Errorf("the first period: %q", first)
	}
	if got := strings.Join(second[2:10], "|"); got != "||3||1|2|2.5|3" {
		t.Errorf("the second period: %q", second)
	}
	data := write(Parquet)
	figures := make([]figureRow, 3)
	in := parquet.NewGenericReader[figureRow](bytes.NewReader(data))
	defer in.Close()
	if n, err := in.Read(figures); n != 3 || err != nil && !errors.Is(err, io.EOF) {
		t.Fatal(n, err)
	}
	one, two := figures[0], figures[1]
	if one.Signal != "temp" || one.Count != 2 || one.LeftOut != 1 || *one.Low != 1 || *one.Mean != 2 ||
		*one.HeldMean != 2.5 || one.HeldSeconds != 2 || one.At != 1_790_000_000_000 {
		t.Errorf("%+v", one)
	}
	if two.Count != 0 || two.Low != nil || two.Mean != nil || two.First != nil || two.HeldMean == nil ||
		*two.HeldMean != 3 {
		t.Errorf("without a reading: %+v", two)
	}
}
