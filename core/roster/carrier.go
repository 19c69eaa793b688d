package roster

import (
	"fmt"
	"net/mail"
	"net/url"
	"regexp"
	"strings"

	"jauntylark/core/measure"
)

// The carriers.
const (
	Mail    = "e-mail"
	Text    = "text"    // a text message, through a gateway
	Voice   = "voice"   // a voice call, through a gateway
	Chat    = "chat"    // a message in a chat, through a gateway
	Webhook = "webhook" // a signed request to another system
	Push    = "push"    // to a browser or an installed console
)

// Carrier is a way to reach somebody. What sends by it is a notify.Carrier of the same name.
type Carrier struct {
	Name    string
	Words   string // as people say it: "text message"
	Noun    string // what people call an address of it: "number"
	Flag    string // with which the command line takes an address; empty: people do not write it
	Gateway bool   // it goes through a gateway, which the file of --carriers describes
	Needs   string // flag of the service that switches it on, where no gateway does; empty: it is always on
	check   func(*Address) error
	form    func(*Form, Message, MessageData) // empty: it brings all of a message
}

// table has a line for each carrier.
var table = []Carrier{
	{Name: Mail, Words: "e-mail", Noun: "address", Flag: "mail", Needs: "--smtp", check: checkMail},
	{Name: Text, Words: "text message", Noun: "number", Flag: "text", Gateway: true, check: checkPhone, form: asText},
	{Name: Voice, Words: "voice call", Noun: "number", Flag: "voice", Gateway: true, check: checkPhone, form: asVoice},
	{Name: Chat, Words: "chat", Noun: "chat", Flag: "chat", Gateway: true, check: checkChat, form: asChat},
	{Name: Webhook, Words: "webhook", Noun: "address", Flag: "webhook", check: checkURL},
	{Name: Push, Words: "push", Noun: "browser", check: checkPush, form: asPush},
}

// Carriers lists the names of all carriers, and Gateways of those that go through a gateway.
var Carriers, Gateways = names()

func names() (all, gateways []string) {
	for _, c := range table {
		all = append(all, c.Name)
		if c.Gateway {
			gateways = append(gateways, c.Name)
		}
	}
	return all, gateways
}

// CarrierOf gives the carrier of a name; known is false where there is none.
func CarrierOf(name string) (c Carrier, known bool) {
	for _, c := range table {
		if c.Name == name {
			return c, true
		}
	}
	return Carrier{Name: name, Words: name, Noun: "address"}, false
}

func wrongAddress(format string, args ...any) error {
	return &measure.Fault{Field: "addresses", Reason: fmt.Sprintf(format, args...)}
}

func checkMail(a *Address) error {
	if parsed, err := mail.ParseAddress(a.To); err != nil || parsed.Address != a.To {
		return wrongAddress("%q is not an e-mail address", a.To)
	}
	return nil
}

// phone is a number as ITU-T E.164 writes it: a plus and up to 15 digits.
var phone = regexp.MustCompile(`^\+[1-9][0-9]{6,14}$`)

// checkPhone puts a telephone number into its plain form.
func checkPhone(a *Address) error {
	said := a.To
	a.To = strings.NewReplacer(" ", "", "-", "", "(", "", ")", "", "/", "").Replace(said)
	if !phone.MatchString(a.To) {
		return wrongAddress("%q is not a telephone number; write it with the country, like +353 86 123 4567", said)
	}
	return nil
}

func checkChat(a *Address) error {
	if a.To == "" || strings.ContainsAny(a.To, "\r\n") {
		return wrongAddress("%q is no chat", a.To)
	}
	return nil
}

func checkURL(a *Address) error {
	u, err := url.Parse(a.To)
	if err != nil || u.Host == "" || u.User != nil || (u.Scheme != "https" && u.Scheme != "http") {
		return wrongAddress("%q is not an address like https://example.org/hook", a.To)
	}
	return nil
}

func checkPush(a *Address) error {
	if err := checkURL(a); err != nil {
		return err
	}
	if a.Keys == nil || a.Keys.Auth == "" || a.Keys.P256dh == "" {
		return wrongAddress("push needs the browser's keys; switch it on in the console, on the device that is to " +
			"get it")
	}
	return nil
}
