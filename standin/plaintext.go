package standin

import (
	"encoding/base64"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net/mail"
	"net/textproto"
	"strings"
)

// plainText finds the plain text of a mail: its body, or the first text/plain part.
func plainText(m *mail.Message) (string, error) {
	return textOf(textproto.MIMEHeader(m.Header), m.Body)
}

func textOf(h textproto.MIMEHeader, body io.Reader) (string, error) {
	kind, params, err := mime.ParseMediaType(h.Get("Content-Type"))
	if err != nil {
		kind = "text/plain"
	}
	if strings.HasPrefix(kind, "multipart/") {
		parts := multipart.NewReader(body, params["boundary"])
		for {
			part, err := parts.NextRawPart()
			if err != nil {
				return "", errNoText
			}
			if text, err := textOf(part.Header, part); err == nil {
				return text, nil
			}
		}
	}
	if kind != "text/plain" {
		return "", errNoText
	}
	switch strings.ToLower(h.Get("Content-Transfer-Encoding")) {
	case "quoted-printable":
		body = quotedprintable.NewReader(body)
	case "base64":
		body = base64.NewDecoder(base64.StdEncoding, body)
	}
	text, err := io.ReadAll(body)
	return strings.ReplaceAll(string(text), "\r\n", "\n"), err
}
