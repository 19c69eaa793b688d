// Package standin holds small simulated things from outside: devices that send, and gateways that
// take messages. They speak the real protocols.
package standin

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net"
	"net/mail"
	"os"
	"sync"
	"time"

	"github.com/emersion/go-smtp"

	"jauntylark/core/measure"
)

// Message is one message that a stand-in received.
type Message struct {
	Carrier    string          `json:"carrier"`
	To         string          `json:"to"`
	Subject    string          `json:"subject"`
	Text       string          `json:"text"`
	ReceivedAt measure.Instant `json:"received_at" format:"date-time"`
}

// Inbox keeps what the stand-ins received, in a file so that it outlives a restart.
type Inbox struct {
	mu       sync.Mutex
	file     *os.File
	messages []Message
	arrived  func(Message)
}

// keptMessages is how many of the newest messages are shown.
const keptMessages = 10_000

// OpenInbox reads the messages in the file at path, and adds new ones to it; an empty path keeps them
// in memory alone. arrived, if not nil, is told of each new one.
func OpenInbox(path string, arrived func(Message)) (*Inbox, error) {
	in := &Inbox{messages: []Message{}, arrived: arrived}
	if path == "" {
		return in, nil
	}
	var err error
	if in.file, err = os.OpenFile(path, os.O_CREATE|os.O_RDWR|os.O_APPEND, 0o600); err != nil {
		return nil, err
	}
	lines := bufio.NewReader(in.file)
	for {
		line, err := lines.ReadBytes('\n')
		var m Message
		if json.Unmarshal(line, &m) == nil {
			in.messages = append(in.messages, m)
		}
		if err == io.EOF {
			if len(line) > 0 { // cut off by a crash; what comes next has a line of its own
				_, err = in.file.Write([]byte("\n"))
				return in, err
			}
			return in, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// Messages lists what was received, oldest first.
func (in *Inbox) Messages() []Message {
	in.mu.Lock()
	defer in.mu.Unlock()
	return append([]Message{}, in.messages...)
}

// add keeps a message. It fails when the file cannot take it.
func (in *Inbox) add(m Message) error {
	in.mu.Lock()
	defer in.mu.Unlock()
	if in.file != nil {
		line, err := json.Marshal(m)
		if err != nil {
			return err
		}
		if _, err := in.file.Write(append(line, '\n')); err != nil {
			return err
		}
	}
	in.messages = append(in.messages, m)
	if len(in.messages) > keptMessages {
		in.messages = in.messages[len(in.messages)-keptMessages:]
	}
	if in.arrived != nil {
		in.arrived(m)
	}
	return nil
}

// MailSink is an SMTP server that keeps all mail it is given.
type MailSink struct {
	server *smtp.Server
	Addr   string // where it listens
}

// StartMailSink listens on a free port of loopback and puts mail into the inbox.
func StartMailSink(in *Inbox) (*MailSink, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{in: in}, nil }))
	server.Domain, server.ReadTimeout, server.WriteTimeout = "standin.example", 30*time.Second, 30*time.Second
	server.MaxMessageBytes, server.MaxRecipients, server.EnableSMTPUTF8 = 10<<20, 50, true
	go server.Serve(listener)
	return &MailSink{server: server, Addr: listener.Addr().String()}, nil
}

// Close stops listening.
func (s *MailSink) Close() error { return s.server.Close() }

// session is one conversation.
type session struct {
	in *Inbox
	to []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { return nil }
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}
func (s *session) Reset()        { s.to = nil }
func (s *session) Logout() error { return nil }

// Data reads one mail.
func (s *session) Data(r io.Reader) error {
	m, err := mail.ReadMessage(r)
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: "this is no mail: " + err.Error()}
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(m.Header.Get("Subject"))
	if err != nil {
		subject = m.Header.Get("Subject")
	}
	text, err := plainText(m)
	if err != nil {
		return &smtp.SMTPError{Code: 554, EnhancedCode: smtp.EnhancedCode{5, 6, 0}, Message: err.Error()}
	}
	for _, to := range s.to {
		if err := s.in.add(Message{Carrier: "e-mail", To: to, Subject: subject, Text: text, ReceivedAt: measure.InstantOf(time.Now())}); err != nil {
			return fmt.Errorf("the inbox is full: %w", err)
		}
	}
	return nil
}

var errNoText = errors.New("the mail has no plain text")
