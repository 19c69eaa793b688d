package standin

import (
	"bytes"
	"context"
	"crypto/tls"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/mail"
	"strings"
	"time"

	"github.com/emersion/go-sasl"
	"github.com/emersion/go-smtp"

	"jauntylark/api"
	"jauntylark/core/measure"
)

// MailSink is an SMTP server that keeps all mail it is given.
type MailSink struct {
	server *smtp.Server
	Addr   string // where it listens
}

// Secure says that a mail sink wants TLS and a sign-in.
type Secure struct {
	TLS            *tls.Config
	FromStart      bool // TLS is there from the first byte; otherwise by STARTTLS
	User, Password string
}

// StartMailSink listens on a free port of loopback and puts mail into the inbox.
func StartMailSink(in *Inbox) (*MailSink, error) { return StartSecureMailSink(in, Secure{}) }

// StartSecureMailSink is StartMailSink for a sink that wants TLS and a sign-in.
func StartSecureMailSink(in *Inbox, secure Secure) (*MailSink, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	address := listener.Addr().String()
	server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) {
		plain := &session{in: in}
		if secure.User == "" {
			return plain, nil
		}
		return &guarded{session: plain, secure: secure}, nil
	}))
	if server.TLSConfig = secure.TLS; secure.FromStart {
		listener = tls.NewListener(listener, secure.TLS)
	}
	server.Domain, server.ReadTimeout, server.WriteTimeout = "standin.example", 30*time.Second, 30*time.Second
	server.MaxMessageBytes, server.MaxRecipients, server.EnableSMTPUTF8 = 10<<20, 50, true
	go server.Serve(listener)
	return &MailSink{server: server, Addr: address}, nil
}

// Close stops listening.
func (s *MailSink) Close() error { return s.server.Close() }

// guarded is a conversation with somebody who must sign in first.
type guarded struct {
	*session
	secure Secure
	in     bool
}

// AuthMechanisms lists how one can sign in.
func (g *guarded) AuthMechanisms() []string { return []string{sasl.Plain} }

// Auth checks who signs in (RFC 4616).
func (g *guarded) Auth(string) (sasl.Server, error) {
	return sasl.NewPlainServer(func(_, user, password string) error {
		if g.in = user == g.secure.User && password == g.secure.Password; !g.in {
			return smtp.ErrAuthFailed
		}
		return nil
	}), nil
}

// Mail begins a mail of who has signed in.
func (g *guarded) Mail(from string, o *smtp.MailOptions) error {
	if !g.in {
		return smtp.ErrAuthRequired
	}
	return g.session.Mail(from, o)
}

// session is one conversation.
type session struct {
	in *Inbox
	to []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	switch s.in.fault("e-mail") {
	case FaultRefuse:
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0},
			Message: "the stand-in was told to refuse"}
	case FaultReject:
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1},
			Message: "the stand-in was told to reject"}
	}
	s.to = append(s.to, to)
	return nil
}
func (s *session) Reset()        { s.to = nil }
func (s *session) Logout() error { return nil }

// Data reads one mail.
func (s *session) Data(r io.Reader) error {
	s.in.dawdle(context.Background(), "e-mail")
	bad := func(err error) error {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "this is no mail: " +
			err.Error()}
	}
	read, err := mail.ReadMessage(r)
	if err != nil {
		return bad(err)
	}
	m := api.Message{Carrier: "e-mail", ReceivedAt: measure.InstantOf(time.Now()),
		Thread: read.Header.Get("References"), Ref: read.Header.Get("Message-Id")}
	if m.Subject, err = new(mime.WordDecoder).DecodeHeader(read.Header.Get("Subject")); err != nil {
		m.Subject = read.Header.Get("Subject")
	}
	if err := readPart(&m, read.Header.Get("Content-Type"), read.Header.Get("Content-Transfer-Encoding"), "", read.Body,
		0); err != nil {
		return bad(err)
	}
	if m.Text == "" {
		return bad(errNoText)
	}
	for _, to := range s.to {
		m.To = to
		if _, err := s.in.add(m); err != nil {
			return fmt.Errorf("the inbox is full: %w", err)
		}
	}
	return nil
}

var errNoText = errors.New("the mail has no plain text")

// deepestPart bounds how deep parts are looked into.
const deepestPart = 5

// readPart takes a part of a mail into the message (RFC 2046).
func readPart(m *api.Message, contentType, encoding, file string, body io.Reader, depth int) error {
	kind, params, err := mime.ParseMediaType(contentType)
	if err != nil {
		kind = "text/plain"
	}
	if strings.HasPrefix(kind, "multipart/") && depth < deepestPart {
		parts := multipart.NewReader(body, params["boundary"])
		for {
			p, err := parts.NextRawPart()
			if err == io.EOF {
				return nil
			}
			if err != nil {
				return err
			}
			if err := readPart(m, p.Header.Get("Content-Type"), p.Header.Get("Content-Transfer-Encoding"), p.FileName(),
				p, depth+1); err != nil {
				return err
			}
		}
	}
	switch strings.ToLower(encoding) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	content, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	plain := string(bytes.ReplaceAll(content, []byte("\r\n"), []byte("\n")))
	switch {
	case kind == "image/png":
		m.Picture = content
	case file != "":
		m.Files = append(m.Files, file)
	case kind == "text/html":
		m.HTML = plain
	case kind == "text/plain" && m.Text == "":
		m.Text = plain
	}
	return nil
}
