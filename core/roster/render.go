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

// How much a carrier brings: of text, messages; of the others, characters.
const (
	textMost  = 2
	voiceMost = 600
	chatMost  = 2000
	pushMost  = 500
)

// FormOf puts a message into the form that a carrier brings.
//
// An e-mail and a webhook bring all of it. The others bring the short line and as much of the rest as they have room
// for, and how to answer.
func FormOf(carrier string, w Message, m MessageData) Form {
	f := Form{Carrier: carrier}
	if c, _ := CarrierOf(carrier); c.form != nil {
		c.form(&f, w, m)
	} else {
		f.Subject, f.Text = w.Short, w.Long
	}
	f.Characters = len([]rune(f.Text))
	if carrier == Text {
		f.Messages, f.Characters = TextMessages(f.Text)
	}
	return f
}

func asText(f *Form, w Message, m MessageData) {
	f.Text = w.fill(func(rest string) (string, bool) {
		text := PlainText(join(" ", stop(w.Short), rest, answerBy("Reply 1", w.Asks), m.acknowledgeAddress(w.Asks)))
		n, _ := TextMessages(text)
		return text, n <= textMost
	})
}

func asVoice(f *Form, w Message, m MessageData) {
	f.Text = w.fill(func(rest string) (string, bool) {
		text := Spoken(join(" ", m.greeting(), stop(strings.TrimPrefix(w.Short, "Drill: ")),
			strings.TrimPrefix(rest, noDrill), answerBy("Press 1", w.Asks)))
		return text, len([]rune(text)) <= voiceMost
	})
}

func asChat(f *Form, w Message, m MessageData) {
	f.Text = w.fill(func(rest string) (string, bool) {
		text := join("\n", stop(w.Short), rest)
		if at := m.acknowledgeAddress(w.Asks); at != "" {
			text += "\nI have " + w.Asks + ": " + at
		}
		return text, len([]rune(text)) <= chatMost
	})
}

func asPush(f *Form, w Message, _ MessageData) {
	f.Subject = w.Short
	f.Text = w.fill(func(rest string) (string, bool) { return rest, len([]rune(rest)) <= pushMost })
}

// fill gives the fullest form of a message that has room, or else its shortest.
func (w Message) fill(form func(rest string) (text string, fits bool)) (text string) {
	rests := w.Rest
	if len(rests) == 0 {
		rests = []string{""}
	}
	for i, rest := range rests {
		if len(rest) > chatMost && i < len(rests)-1 { // no carrier has so much room
			continue
		}
		var fits bool
		if text, fits = form(rest); fits {
			break
		}
	}
	return text
}

// greeting is how a call begins.
func (m MessageData) greeting() string {
	drill := ""
	if m.Alarm.Drill {
		drill = "Drill. Nothing is wrong. "
	}
	return drill + "This is Jaunty Lark for " + m.Site.Name + "."
}

func answerBy(how, asks string) string {
	if asks == "" {
		return ""
	}
	return how + " if you have " + asks + "."
}

func (m MessageData) acknowledgeAddress(asks string) string {
	if asks == "" {
		return ""
	}
	return m.Take
}

func join(between string, parts ...string) string {
	kept := parts[:0]
	for _, p := range parts {
		if p = strings.TrimSpace(p); p != "" {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, between)
}
