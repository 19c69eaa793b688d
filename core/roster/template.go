package roster

import (
	"fmt"
	"strings"
	"time"

	"github.com/cbroglie/mustache"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// Silent is the kind of a template for alarms about silence; a notice of one is a raise.
const Silent = "silent"

// TemplateKinds lists what templates can be for.
var TemplateKinds = []string{Raise, Silent, Worsen, Ease, Latched, Return, Hand, Taken, Summary}

// Placeholder is one thing that a template can say.
type Placeholder struct {
	Name string `json:"name"`
	Doc  string `json:"doc"`
}

// Placeholders lists them. One that has nothing to say is empty, so {{#advice}}…{{/advice}} leaves out what is between.
var Placeholders = []Placeholder{
	{"sentence", "what is wrong: Fern house air temperature is above 30 °C"},
	{"was", "the same in the past"},
	{"severity", "advisory, warning or critical"},
	{"thing", "the device and the signal, as people call them"},
	{"signal", "DEVICE/SIGNAL"},
	{"guard", "the guard's name"},
	{"value", "what it reads now, with its unit"},
	{"limit", "the limit, with its unit"},
	{"extreme", "how far it went"},
	{"since", "when it was raised, in the site's time zone"},
	{"until", "when it was over"},
	{"lasted", "how long it stood"},
	{"cause", "why it is over, when it was not the value"},
	{"advice", "what to do"},
	{"who", "who has it, or who asks"},
	{"alarm", "the alarm's number"},
	{"link", "where to say that you have it"},
	{"site", "the site's name"},
	{"count", "of a summary: how many alarms"},
	{"list", "of a summary: the alarms, one a line"},
}

func placeholderNames() []string {
	names := make([]string, len(Placeholders))
	for i, p := range Placeholders {
		names[i] = p.Name
	}
	return names
}

// CheckTemplates tells what is wrong with templates: nil, or a *measure.Fault that names the unknown placeholder and
// the nearest.
func CheckTemplates(t alarm.Templates) error {
	seen := map[string]bool{}
	for i, one := range t {
		at := fmt.Sprintf("templates[%d].", i)
		known := false
		for _, kind := range TemplateKinds {
			known = known || kind == one.On
		}
		switch {
		case !known:
			return fault(at+"on", "%s; they are %s", site.Unknown("kind of notice", one.On, TemplateKinds),
				strings.Join(TemplateKinds, ", "))
		case seen[one.On]:
			return fault(at+"on", "there are two for %s", one.On)
		case one.Short == "" && one.Long == "":
			return fault(at+"short", "short and long are both empty")
		case strings.ContainsAny(one.Short, "\r\n"):
			return fault(at+"short", "it is one line")
		}
		seen[one.On] = true
		for field, text := range map[string]string{"short": one.Short, "long": one.Long} {
			if err := checkTemplate(text); err != nil {
				return fault(at+field, "%s", err)
			}
		}
	}
	return nil
}

func checkTemplate(text string) error {
	parsed, err := mustache.ParseStringRaw(text, true)
	if err != nil {
		return fmt.Errorf("it cannot be read: %w", err)
	}
	return checkTags(parsed.Tags())
}

func checkTags(tags []mustache.Tag) error {
	names := placeholderNames()
	for _, tag := range tags {
		if tag.Type() == mustache.Partial {
			return fmt.Errorf("{{> %s}}: a template holds no other", tag.Name())
		}
		known := false
		for _, name := range names {
			known = known || name == tag.Name()
		}
		if !known {
			return fmt.Errorf("%s; placeholders are %s", site.Unknown("placeholder", tag.Name(), names),
				strings.Join(names, ", "))
		}
		if tag.Type() == mustache.Section || tag.Type() == mustache.InvertedSection {
			if err := checkTags(tag.Tags()); err != nil {
				return err
			}
		}
	}
	return nil
}

// values gives what the placeholders stand for in a notice of a kind.
func (m MessageData) values(kind string) map[string]any {
	a := m.Alarm
	v := map[string]any{
		"sentence": a.Sentence, "was": alarm.Was(a.Sentence), "severity": string(a.Severity), "signal": a.Signal,
		"guard": a.Guard, "advice": a.Advice, "cause": a.Cause,
		"who": m.Who, "alarm": fmt.Sprint(a.ID), "link": m.acknowledge(), "site": m.Site.Name,
		"since": m.when(a.RaisedAt), "extreme": m.figure(a.Extreme), "value": m.figure(a.Value),
		"until": "", "lasted": "", "limit": "", "count": "", "list": "",
	}
	v["thing"] = m.thing()
	if kind == Hand {
		v["who"] = a.HandedBy
	}
	if a.ClearedAt != nil {
		v["until"], v["lasted"] = m.when(*a.ClearedAt), prose.Length(a.ClearedAt.Sub(a.RaisedAt))
		if a.ClearedValue != nil {
			v["value"] = m.figure(*a.ClearedValue)
		}
	}
	if a.Kind == alarm.ByGuard && m.Test.Measured() {
		test, unit := Shown(m.Test, a.Unit, m.Site.Units)
		_, v["limit"], _ = strings.Cut(limits(test, unit), " is ")
		if l := test.Limits(); len(l) == 2 {
			v["limit"] = fmt.Sprintf("%s and %s", measure.Figure(l[0], ""), measure.Figure(l[1], unit))
		}
	} else {
		v["value"], v["extreme"] = "", ""
	}
	return v
}

// kindOf is the kind of template that a notice looks for: silence has one of its own.
func (m MessageData) kindOf(kind string) string {
	if kind == Raise && (m.Alarm.Kind == alarm.BySilence || m.Test.Kind == alarm.Silent) {
		return Silent
	}
	return kind
}

// ComposeBy finds the words of a notice by templates: the first list that has one for it counts, part by part; what
// none has is built in.
func ComposeBy(kind string, m MessageData, lists ...alarm.Templates) Message {
	w := Compose(kind, m)
	values := m.values(kind)
	short, long := "", ""
	for _, wanted := range []string{m.kindOf(kind), kind} {
		for _, list := range lists {
			short, long = fill(list, wanted, values, short, long)
		}
	}
	own := Message{Short: short, Rest: m.rest(kind, true), Long: long}
	if long != "" && m.Since != "" {
		own.Long = m.Since + "\n\n" + long
	}
	own = m.asDrill(own)
	if short != "" {
		w.Short = own.Short
	}
	if stands := kind == Raise || kind == Worsen || kind == Ease || kind == Hand; short != "" && stands {
		w.Rest = own.Rest
	}
	if long != "" {
		w.Long = own.Long
	}
	return w
}

// fill renders what a list has for a kind, where nothing was found before.
func fill(list alarm.Templates, kind string, values map[string]any, short, long string) (string, string) {
	for _, t := range list {
		if t.On != kind {
			continue
		}
		if short == "" {
			short = oneLine(render(t.Short, values))
		}
		if long == "" {
			long = render(t.Long, values)
		}
	}
	return short, long
}

// render fills a template that was checked; one that cannot be filled after all gives nothing, so that the built-in
// words are told.
func render(text string, values map[string]any) string {
	if text == "" {
		return ""
	}
	out, err := mustache.RenderRaw(text, true, values)
	if err != nil {
		return ""
	}
	return out
}

func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }

// SummaryBy lets a reader's or the site's own words tell a summary.
func SummaryBy(w Message, s site.Site, count int, lists ...alarm.Templates) Message {
	var lines []string
	for line := range strings.Lines(w.Long) {
		if strings.HasPrefix(line, "  ") {
			lines = append(lines, strings.TrimSpace(line))
		}
	}
	values := map[string]any{}
	for _, p := range Placeholders {
		values[p.Name] = ""
	}
	values["site"], values["count"], values["list"] = s.Name, fmt.Sprint(count), strings.Join(lines, "\n")
	short, long := "", ""
	for _, list := range lists {
		short, long = fill(list, Summary, values, short, long)
	}
	if short != "" {
		w.Short = short
	}
	if long != "" {
		w.Long = long
	}
	return w
}

// Example is the data with all that templates can say, for a preview where there is no alarm yet.
func Example(s site.Site, now measure.Instant) MessageData {
	test := alarm.Test{Kind: alarm.Above, A: 30}
	cleared, value := now, 28.4
	return MessageData{Site: s, Test: test, Who: "Orla", Alarm: alarm.Alarm{ID: 12, Kind: alarm.ByGuard,
		Guard: "fern-house-hot", Signal: "fern-house/air", Severity: alarm.Warning,
		RaisedAt: now.Add(-25 * time.Minute), ClearedAt: &cleared, ClearedValue: &value, Value: 31.2, Extreme: 33.5,
		Unit: "Cel", When: test.String(),
		Sentence: Sentence("Fern house", "Air temperature", test, "Cel"), Advice: "Open the roof vents by hand.",
		HandedBy: "Orla"}}
}

// Sample finds the words of a kind of template about an alarm: silence is a raise, and a summary tells of that alarm
// and of another.
func Sample(on string, m MessageData, templates alarm.Templates) Message {
	switch on {
	case Silent:
		if m.kindOf(Raise) != Silent {
			m.Alarm.Kind, m.Alarm.Value, m.Alarm.Sentence = alarm.BySilence, 900, "Gate node is silent"
		}
		return ComposeBy(Raise, m, templates)
	case Summary:
		news := []News{{AlarmID: m.Alarm.ID, Sentence: m.Alarm.Sentence, Severity: m.Alarm.Severity},
			{AlarmID: m.Alarm.ID + 1, Sentence: "Gate node is silent", Severity: alarm.Advisory, Over: true}}
		return SummaryBy(Digest(m.Site, news, 3*time.Minute), m.Site, len(news), templates)
	}
	return ComposeBy(on, m, templates)
}
