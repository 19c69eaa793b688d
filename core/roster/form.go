package roster

import (
	"strings"
)

// Form is a message as one carrier brings it.
type Form struct {
	Carrier    string `json:"carrier"`
	Subject    string `json:"subject" doc:"empty where the carrier has none"`
	Text       string `json:"text"`
	Messages   int    `json:"messages" doc:"of a text message: how many it takes"`
	Characters int    `json:"characters"`
}

// FormOf puts a message into the form that a carrier brings.
//
// An e-mail brings all of it. A text message brings the short line, how to answer, and what to do as far as one message holds
// it. A call says the short line and what to do, in words to be heard. A chat and a push bring the short line and the first
// paragraph.
func FormOf(carrier, kind string, w Message, m Matter) Form {
	f := Form{Carrier: carrier}
	answers := kind == Raise || kind == Worsen || kind == Hand
	switch carrier {
	case Text:
		f.Text = textForm(w.Short, m, answers)
	case Voice:
		f.Text = voiceForm(w.Short, m, answers)
	case Chat:
		f.Text = join("\n", w.Short, firstParagraph(w), adviceLine(m, answers), m.takeLine(answers))
	case Push:
		f.Subject, f.Text = w.Short, join("\n", firstParagraph(w), adviceLine(m, answers))
	default:
		f.Subject, f.Text = w.Short, w.Long
	}
	f.Characters = len([]rune(f.Text))
	if carrier == Text {
		f.Messages, f.Characters = TextMessages(f.Text)
	}
	return f
}

func textForm(short string, m Matter, answers bool) string {
	parts := []string{short + "."}
	if answers {
		parts = append(parts, "Reply 1 if you have it.")
		if m.Take != "" {
			parts = append(parts, m.Take)
		}
	}
	text := PlainText(strings.Join(parts, " "))
	if !answers || m.Alarm.Advice == "" {
		return text
	}
	with := PlainText(join(" ", parts[0], m.Alarm.Advice, strings.Join(parts[1:], " ")))
	if n, _ := TextMessages(with); n == 1 {
		return with
	}
	return text
}

func voiceForm(short string, m Matter, answers bool) string {
	words := "This is Jaunty Lark for " + m.Site.Name + ". " + strings.TrimPrefix(short, "Drill: ") + "."
	if m.Alarm.Drill {
		words = "Drill. Nothing is wrong. " + words
	}
	if answers {
		words = join(" ", words, adviceLine(m, true), "Press 1 if you have it.")
	}
	return Spoken(words)
}

func adviceLine(m Matter, answers bool) string {
	if !answers || m.Alarm.Advice == "" {
		return ""
	}
	return "What to do: " + strings.TrimSuffix(m.Alarm.Advice, ".") + "."
}

func (m Matter) takeLine(answers bool) string {
	if !answers || m.Take == "" {
		return ""
	}
	return "I have it: " + m.Take
}

// firstParagraph is what a message says after the sentence that its short line has already.
func firstParagraph(w Message) string {
	for paragraph := range strings.SplitSeq(w.Long, "\n\n") {
		paragraph = strings.TrimSpace(paragraph)
		if paragraph == "" || strings.Contains(w.Short, strings.TrimSuffix(paragraph, ".")) || strings.HasPrefix(paragraph, "Drill: ") {
			continue
		}
		line, _, _ := strings.Cut(paragraph, "\n")
		return line
	}
	return ""
}

func join(between string, parts ...string) string {
	kept := parts[:0]
	for _, p := range parts {
		if p != "" {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, between)
}
