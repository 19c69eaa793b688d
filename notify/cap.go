package notify

import (
	"encoding/xml"
	"fmt"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
)

// capMessage is an alert of the Common Alerting Protocol 1.2 (OASIS, 1 July 2010), its elements in the order of the
// schema.
type capMessage struct {
	XMLName    xml.Name `xml:"urn:oasis:names:tc:emergency:cap:1.2 alert"`
	Identifier string   `xml:"identifier"`
	Sender     string   `xml:"sender"`
	Sent       string   `xml:"sent"`
	Status     string   `xml:"status"`
	MsgType    string   `xml:"msgType"`
	Source     string   `xml:"source"`
	Scope      string   `xml:"scope"`
	Addresses  string   `xml:"addresses"`
	References string   `xml:"references,omitempty"`
	Incidents  string   `xml:"incidents"`
	Info       capInfo  `xml:"info"`
}

type capInfo struct {
	Language    string      `xml:"language"`
	Category    string      `xml:"category"`
	Event       string      `xml:"event"`
	Response    string      `xml:"responseType,omitempty"`
	Urgency     string      `xml:"urgency"`
	Severity    string      `xml:"severity"`
	Certainty   string      `xml:"certainty"`
	Onset       string      `xml:"onset"`
	SenderName  string      `xml:"senderName"`
	Headline    string      `xml:"headline"`
	Description string      `xml:"description"`
	Instruction string      `xml:"instruction,omitempty"`
	Web         string      `xml:"web,omitempty"`
	Parameters  []capExtra  `xml:"parameter"`
	Area        capAreaDesc `xml:"area"`
}

type capExtra struct {
	Name  string `xml:"valueName"`
	Value string `xml:"value"`
}

type capAreaDesc struct {
	Description string `xml:"areaDesc"`
}

// capTime writes an instant as CAP wants it: with an offset, and -00:00 for UTC (section 3.3.2 of the standard).
func capTime(i measure.Instant) string { return i.Time().Format("2006-01-02T15:04:05") + "-00:00" }

var capSeverity = map[alarm.Severity]string{alarm.Critical: "Severe", alarm.Warning: "Moderate",
	alarm.Advisory: "Minor"}

func capID(n int64) string { return fmt.Sprintf("notice-%d", n) }

// capSender names a site without the characters that the standard keeps for itself.
func capSender(name string) string {
	return "jaunty-lark/" + strings.Map(func(c rune) rune {
		if strings.ContainsRune(" ,<&\t\n", c) {
			return '-'
		}
		return c
	}, name)
}

// readerOf names the contact, or else the address.
func readerOf(n roster.Notice) string {
	if n.Contact != "" {
		return n.Contact
	}
	return n.Address
}

// capAlert writes a notice as a CAP alert: the first that an address gets of an alarm is an Alert, what comes after it an
// Update, the end a Cancel, each with references to all before it. What is over already is past, also where nobody was
// told of it before.
func capAlert(n roster.Notice, here site.Site, a alarm.Alarm, told conversation) ([]byte, error) {
	m := capMessage{Identifier: capID(n.ID), Sender: capSender(here.Name), Sent: capTime(n.CreatedAt), Status: "Actual",
		MsgType: "Alert", Source: "Jaunty Lark", Scope: "Private",
		Addresses: readerOf(n), Incidents: told.id,
		Info: capInfo{Language: "en", Category: "Infra", Event: a.Sentence, Urgency: "Immediate",
			Severity: capSeverity[n.Severity], Certainty: "Observed", Onset: capTime(a.RaisedAt),
			SenderName: here.Name, Headline: n.Subject, Description: n.Text, Instruction: a.Advice, Web: n.Route.Link,
			Parameters: capParameters(n, a, told), Area: capAreaDesc{here.Name}}}
	if m.Info.Severity == "" {
		m.Info.Severity = "Unknown"
	}
	if n.Route.Drill {
		m.Status = "Exercise"
	}
	if n.Kind == roster.Return || a.State == alarm.StateOver {
		m.Info.Urgency, m.Info.Response = "Past", "AllClear"
	}
	if len(told.before) > 0 {
		m.MsgType = "Update"
		if n.Kind == roster.Return {
			m.MsgType = "Cancel"
		}
		names := make([]string, len(told.before))
		for i, b := range told.before {
			names[i] = strings.Join([]string{m.Sender, capID(b.ID), capTime(b.CreatedAt)}, ",")
		}
		m.References = strings.Join(names, " ")
	}
	out, err := xml.MarshalIndent(m, "", "  ")
	return append([]byte(xml.Header), out...), err
}

func capParameters(n roster.Notice, a alarm.Alarm, told conversation) []capExtra {
	all := []capExtra{{"alarm", fmt.Sprint(a.ID)}, {"event", told.event(n)}, {"kind", n.Kind}, {"signal", a.Signal},
		{"value", measure.Figure(a.Value, a.Unit)}}
	if n.Route.Step > 0 {
		all = append(all, capExtra{"step", fmt.Sprint(n.Route.Step)})
	}
	if told.repeat > 0 {
		all = append(all, capExtra{"repeat", fmt.Sprint(told.repeat)})
	}
	return all
}
