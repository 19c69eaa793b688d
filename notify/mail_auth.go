package notify

import (
	"fmt"
	"slices"
	"strings"

	"github.com/wneessen/go-mail/smtp"
)

// offered signs in over TLS by the best way that the server offers.
type offered struct {
	user, password, host string
	smtp.Auth            // the way that was taken
}

// Start takes a way.
func (o *offered) Start(server *smtp.ServerInfo) (proto string, first []byte, err error) {
	ways := []struct {
		name string
		auth func() smtp.Auth
	}{
		{"SCRAM-SHA-256", func() smtp.Auth { return smtp.ScramSHA256Auth(o.user, o.password) }},
		{"PLAIN", func() smtp.Auth { return smtp.PlainAuth("", o.user, o.password, o.host, false) }},
		{"LOGIN", func() smtp.Auth { return smtp.LoginAuth(o.user, o.password, o.host, false) }},
	}
	for _, way := range ways {
		if slices.ContainsFunc(server.Auth, func(a string) bool { return strings.EqualFold(a, way.name) }) {
			o.Auth = way.auth()
			return o.Auth.Start(server)
		}
	}
	return "", nil, fmt.Errorf("the server offers no way to sign in that is known here: %s",
		strings.Join(server.Auth, ", "))
}
