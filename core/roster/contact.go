package roster

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// Contact is a person or a duty phone, with addresses.
type Contact struct {
	ID        int64           `json:"id" db:"id" readOnly:"true"`
	Name      string          `json:"name" db:"name" required:"false" pattern:"^[a-z0-9][a-z0-9-]{0,62}$" example:"orla"`
	Title     string          `json:"title" db:"title" required:"false" maxLength:"80" doc:"what people call them; made from the name when left out"`
	Zone      string          `json:"zone" db:"zone" required:"false" doc:"IANA time zone that the quiet hours are meant in; empty: the site's"`
	Quiet     string          `json:"quiet" db:"quiet" required:"false" maxLength:"300" doc:"hours in which only what is bad enough gets through; the rest is told when they end, if it still stands" example:"daily 22:00-07:00"`
	Passes    alarm.Severity  `json:"passes,omitempty" db:"passes" required:"false" enum:"advisory,warning,critical" default:"critical" doc:"the lowest severity that gets through in the quiet hours"`
	Away      *Away           `json:"away,omitempty" db:"away" required:"false" doc:"when somebody else is told instead"`
	Addresses Addresses       `json:"addresses" db:"addresses" required:"false" nullable:"false" maxItems:"20"`
	Templates alarm.Templates `json:"templates" db:"templates" required:"false" nullable:"false" maxItems:"20" doc:"the contact's own words, before those of the guard and the site"`
}

// Away says from when until when somebody else is told instead of a contact.
type Away struct {
	From    measure.Instant `json:"from" format:"date-time"`
	Until   measure.Instant `json:"until" format:"date-time"`
	Instead string          `json:"instead" doc:"name of the contact who is told"`
}

// Address is where a carrier reaches somebody.
type Address struct {
	ID      string    `json:"id" required:"false" readOnly:"true" doc:"made by the service"`
	Carrier string    `json:"carrier" enum:"e-mail,text,voice,chat,webhook,push"`
	To      string    `json:"to" maxLength:"1000" doc:"an e-mail address, a telephone number like +353861234567, a chat's address, an URL" example:"+353861234567"`
	Format  string    `json:"format,omitempty" required:"false" enum:",json,cap" doc:"of a webhook: our JSON (docs/webhook.md), or CAP 1.2 (OASIS)"`
	Keys    *PushKeys `json:"keys,omitempty" required:"false" writeOnly:"true" doc:"of a push address"`
	Secret  string    `json:"secret,omitempty" required:"false" readOnly:"true" doc:"what a webhook is signed with; told once, when the address is new"`
}

// PushKeys are the keys of a push subscription (RFC 8291 section 2), base64url.
type PushKeys struct {
	P256dh string `json:"p256dh" doc:"the browser's public key"`
	Auth   string `json:"auth" doc:"the authentication secret"`
}

// Addresses is a list of addresses, as the database keeps it.
type Addresses []Address

// Called is what to call the contact in a sentence.
func (c *Contact) Called() string { return site.Title(c.Title, c.Name) }

// Check tells what is wrong with an address: nil or a *measure.Fault. It puts a telephone number into its plain form.
func (a *Address) Check() error {
	a.To = strings.TrimSpace(a.To)
	carrier, known := CarrierOf(a.Carrier)
	if !known {
		return wrongAddress("%s; carriers are %s", site.Unknown("carrier", a.Carrier, Carriers),
			strings.Join(Carriers, ", "))
	}
	if err := carrier.check(a); err != nil {
		return err
	}
	switch {
	case a.Format != "" && a.Format != "json" && a.Format != "cap":
		return wrongAddress("%q is no format of a webhook; formats are json and cap", a.Format)
	case a.Format != "" && a.Carrier != Webhook:
		return wrongAddress("format belongs to a webhook; %s has none", a.Carrier)
	}
	return nil
}

// Check tells what is wrong with the contact by itself: nil, or a *measure.Fault for the first field.
func (c *Contact) Check() error {
	wrong := func(field, format string, args ...any) error {
		return &measure.Fault{Field: field, Reason: fmt.Sprintf(format, args...)}
	}
	if err := site.CheckName(c.Name); err != nil {
		return wrong("name", "%s", err)
	}
	if c.Name == OnDuty {
		return wrong("name", "%q stands for whom a rotation names; choose another", OnDuty)
	}
	if c.Zone != "" {
		if _, err := time.LoadLocation(c.Zone); err != nil {
			return wrong("zone", "%q is no time zone; write one like Europe/Dublin", c.Zone)
		}
	}
	if c.Quiet != "" {
		if _, err := wall.ParseHours(c.Quiet); err != nil {
			return wrong("quiet", "%s", err)
		}
	}
	if c.Passes == "" {
		c.Passes = alarm.Critical
	}
	if a := c.Away; a != nil {
		switch {
		case a.Until <= a.From:
			return wrong("away", "it ends at %s, which is not after %s", a.Until, a.From)
		case a.Instead == c.Name || a.Instead == "":
			return wrong("away", "it must name another contact, who is told instead")
		}
	}
	for i := range c.Addresses {
		if err := c.Addresses[i].Check(); err != nil {
			return err
		}
		if slices.ContainsFunc(c.Addresses[:i], func(a Address) bool { return a.Same(c.Addresses[i]) }) {
			return wrong("addresses", "%s %s is there twice", c.Addresses[i].Carrier, c.Addresses[i].To)
		}
	}
	return CheckTemplates(c.Templates)
}

// Same tells whether two addresses are one place.
func (a Address) Same(o Address) bool { return a.Carrier == o.Carrier && a.To == o.To }

// Hidden gives an address without what may be a secret in it: of a webhook and a push service the host alone.
func (a Address) Hidden() Address {
	if a.Carrier != Webhook && a.Carrier != Push {
		return a
	}
	if u, err := url.Parse(a.To); err == nil {
		a.To = u.Scheme + "://" + u.Host + "/…"
	}
	return a
}

// quietUntil gives when the quiet hours end that keep something of a severity from a contact at an instant; 0: nothing
// does.
func (c *Contact) quietUntil(at measure.Instant, s alarm.Severity, w World) measure.Instant {
	if c.Quiet == "" || !c.Passes.Above(s) {
		return 0
	}
	zone := w.zone()
	if c.Zone != "" {
		if own, err := time.LoadLocation(c.Zone); err == nil {
			zone = own
		}
	}
	calendar, err := wall.NewCalendar(c.Quiet, zone, w.Site.Holidays)
	if err != nil || !calendar.At(at) {
		return 0
	}
	if end := calendar.Next(at); end != 0 {
		return end
	}
	return at.Add(24 * time.Hour) // always quiet: asked again tomorrow
}

// Public gives the contact without what is told once or never.
func (c Contact) Public() Contact {
	c.Addresses = slices.Clone(c.Addresses)
	for i := range c.Addresses {
		c.Addresses[i].Keys, c.Addresses[i].Secret = nil, ""
	}
	return c
}
