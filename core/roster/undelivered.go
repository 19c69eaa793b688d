package roster

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
)

// status finds the code with which a server says no: SMTP's (RFC 5321 section 4.2.3), or HTTP's.
var status = regexp.MustCompile(`\b[45][0-9][0-9]\b`)

// WhatToDo says what helps when a notice was not delivered: whose address it is, what the other side said, where to
// mend it; empty when it was delivered, or may still be.
func (n *Notice) WhatToDo() string {
	if n.State == Sent || n.State == Delivered || n.State == SummedUp || len(n.Deliveries) == 0 ||
		n.Deliveries[len(n.Deliveries)-1].OK {
		return ""
	}
	answer := n.Deliveries[len(n.Deliveries)-1].Answer
	said := strings.ToLower(answer)
	has := func(words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(said, w) })
	}
	code := func(codes ...string) bool { return slices.Contains(codes, status.FindString(said)) }
	again := " It is tried again by itself."
	if n.State == GivenUp {
		again = " It is not tried again; send a test when it is mended" + n.testIt() + "."
	}
	switch {
	case has("is switched on"):
		return "Switch the carrier on in the service's settings, or take the address off the contact." + again
	case has("private address"):
		return "Give an address of the public internet, or run the service with --private-addresses." + again
	case has("switch push on"):
		return "Open the console on that device and switch push on again."
	case has("in time", "timeout", "i/o"):
		return "The other side does not answer; see whether it is up and can be reached from here." + again
	case has("connection refused", "no such host", "unreachable", "reset by peer", "eof"):
		return "Nobody answers there; check the address, and whether the other side is up." + again
	case code("401", "403", "535") || has("auth"):
		return "The other side does not know us; check user, password or key in the settings." + again
	case code("550", "551", "553", "404", "410") || n.Carrier != Mail && code("400", "422") ||
		has("invalid", "unknown subscriber", "no such", "not a valid", "unallocated", "not in service"):
		return fmt.Sprintf("%s is not known to the other side, which says: %s. %s", n.whose(),
			strings.TrimSuffix(answer, "."), n.mendIt()) + again
	case code("429", "451", "452", "503"):
		return "The other side is busy or out of order; nothing need be done unless it lasts." + again
	}
	return fmt.Sprintf("%s was not reached; the other side says: %s.", n.whose(), strings.TrimSuffix(answer, ".")) +
		again
}

// whose says whose address a notice went to: "The number +353861234567 of contact orla".
func (n *Notice) whose() string {
	carrier, _ := CarrierOf(n.Carrier)
	text := fmt.Sprintf("The %s %s", carrier.Noun, Address{Carrier: n.Carrier, To: n.Address}.Hidden().To)
	if n.Contact != "" {
		text += " of contact " + n.Contact
	}
	return text
}

// mendIt says where an address is mended.
func (n *Notice) mendIt() string {
	if n.Contact == "" {
		return "It stands where it is told: in a guard, a statement, or with the site; correct it there."
	}
	carrier, _ := CarrierOf(n.Carrier)
	if carrier.Flag == "" {
		return "Switch push on anew, on that device."
	}
	old := n.Address
	if n.Carrier == Webhook { // it may hold a secret
		old = n.Carrier
	}
	return fmt.Sprintf("Correct it at the contact: jaunty contact set %s --remove %s --%s NEW.", n.Contact, old,
		carrier.Flag)
}

func (n *Notice) testIt() string {
	if n.Contact == "" {
		return ""
	}
	return ": jaunty contact test " + n.Contact
}
