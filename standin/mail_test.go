package standin

import (
	"net/smtp"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"jauntylark/api"
)

const manyParts = "From: a@b.example\r\nTo: c@d.example\r\nSubject: =?UTF-8?q?30_=C2=B0C?=\r\nMIME-Version: " +
	"1.0\r\nContent-Type: multipart/alternative; boundary=xx\r\n\r\n" +
	"--xx\r\nContent-Type: text/html\r\n\r\n<p>no\r\n--xx\r\nContent-Type: text/plain; " +
	"charset=UTF-8\r\nContent-Transfer-Encoding: base64\r\n\r\nMzEgwrBDCg==\r\n--xx--\r\n"

func TestTheInboxOutlivesARestart(t *testing.T) {
	path := filepath.Join(t.TempDir(), "inbox.jsonl")
	told := 0
	in, err := OpenInbox(path, func(api.Message) { told++ })
	if err != nil {
		t.Fatal(err)
	}
	sink, err := StartMailSink(in)
	if err != nil {
		t.Fatal(err)
	}
	defer sink.Close()
	if err := smtp.SendMail(sink.Addr, nil, "a@b.example", []string{"c@d.example", "e@f.example"},
		[]byte(manyParts)); err != nil {
		t.Fatal(err)
	}
	if err := smtp.SendMail(sink.Addr, nil, "a@b.example", []string{"c@d.example"}, []byte("no mail")); err == nil ||
		!strings.Contains(err.Error(), "no mail") {
		t.Errorf("something that is no mail: %v", err)
	}
	file, err := os.OpenFile(path, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := file.WriteString(`{"carrier":"e-m`); err != nil { // cut off by a crash
		t.Fatal(err)
	}
	file.Close()
	again, err := OpenInbox(path, nil)
	if err != nil {
		t.Fatal(err)
	}
	got := again.Messages()
	if told != 2 || len(got) != 2 || got[0].Subject != "30 °C" || got[0].Text != "31 °C\n" ||
		got[1].To != "e@f.example" || got[0].ReceivedAt == 0 {
		t.Errorf("told %d, kept %+v", told, got)
	}
	if _, err := again.add(api.Message{To: "x"}); err != nil {
		t.Fatal(err)
	}
	if third, err := OpenInbox(path, nil); err != nil || len(third.Messages()) != 3 {
		t.Errorf("what came after a line that was cut off: %+v %v", third.Messages(), err)
	}
}
