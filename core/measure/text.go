package measure

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// WrongText says what is wrong with a text that somebody wrote; empty: nothing. No text has a character zero, broken
// UTF-8, or control characters; line breaks and tabs are for texts of several lines.
func WrongText(text string, lines bool) string {
	for i, r := range text {
		switch {
		case r == utf8.RuneError && brokenAt(text, i):
			return fmt.Sprintf("has broken UTF-8 at byte %d", i)
		case lines && (r == '\n' || r == '\r' || r == '\t'):
		case r == '\n' || r == '\r' || r == '\u2028' || r == '\u2029':
			return "has a line break; it is one line"
		case unicode.IsControl(r):
			return fmt.Sprintf("has the control character U+%04X", r)
		}
	}
	return ""
}

func brokenAt(text string, i int) bool {
	_, size := utf8.DecodeRuneInString(text[i:])
	return size == 1
}

// CheckJSON finds the first text of a JSON body, names of fields included, that is wrong as WrongText says, or that
// half of a surrogate pair stands in, which a decoder would change unseen. lines tells of a field, by its path like
// "steps.0.note", whether it may have several lines. The error is a *Fault; of what is no JSON it says nothing.
func CheckJSON(body []byte, lines func(path string) bool) error {
	c := jsonCheck{decode: json.NewDecoder(bytes.NewReader(body)), body: body, lines: lines}
	c.decode.UseNumber()
	return c.value("")
}

// SeveralLines lets every field have several lines.
func SeveralLines(string) bool { return true }

type jsonCheck struct {
	decode *json.Decoder
	body   []byte
	lines  func(string) bool
}

// token gives the next token and its text as it stands.
func (c *jsonCheck) token() (json.Token, []byte, bool) {
	from := c.decode.InputOffset()
	t, err := c.decode.Token()
	if err != nil {
		return nil, nil, false
	}
	return t, c.body[from:c.decode.InputOffset()], true
}

func (c *jsonCheck) value(path string) error {
	t, raw, ok := c.token()
	if !ok {
		return nil
	}
	switch t := t.(type) {
	case string:
		return wrongIn(path, raw, c.lines(path))
	case json.Delim:
		for i := 0; c.decode.More(); i++ {
			within := strconv.Itoa(i)
			if t == '{' {
				name, raw, ok := c.token()
				if !ok {
					return nil
				}
				within, _ = name.(string)
				if err := wrongIn(join(path, "a field's name"), raw, false); err != nil {
					return err
				}
			}
			at := c.decode.InputOffset()
			if err := c.value(join(path, within)); err != nil {
				return err
			}
			if c.decode.InputOffset() == at {
				return nil // it is no JSON
			}
		}
		c.token() // its end
	}
	return nil
}

func join(path, within string) string {
	if path == "" {
		return within
	}
	return path + "." + within
}

// wrongIn judges a text as it stands in JSON, with what stands before it.
func wrongIn(path string, raw []byte, lines bool) error {
	raw = raw[bytes.IndexByte(raw, '"'):]
	reason := ""
	switch half := halfPair(raw); {
	case !utf8.Valid(raw):
		reason = "has broken UTF-8"
	case half != "":
		reason = "has " + half + ", half of a surrogate pair (RFC 8259 section 8.2)"
	default:
		var text string
		if json.Unmarshal(raw, &text) == nil {
			reason = WrongText(text, lines)
		}
	}
	if reason == "" {
		return nil
	}
	return &Fault{Field: path, Reason: reason}
}

// halfPair finds an escaped surrogate without its other half.
func halfPair(raw []byte) string {
	for i := 0; i+1 < len(raw); i++ {
		if raw[i] != '\\' {
			continue
		}
		unit, ok := escaped(raw[i:])
		switch {
		case !ok:
			i++
		case unit >= 0xd800 && unit < 0xdc00:
			if low, ok := escaped(raw[i+6:]); !ok || low < 0xdc00 || low > 0xdfff {
				return string(raw[i : i+6])
			}
			i += 11
		case unit >= 0xdc00 && unit <= 0xdfff:
			return string(raw[i : i+6])
		default:
			i += 5
		}
	}
	return ""
}

// escaped reads a backslash, u and four hexadecimal digits.
func escaped(raw []byte) (uint64, bool) {
	if len(raw) < 6 || raw[0] != '\\' || raw[1] != 'u' {
		return 0, false
	}
	unit, err := strconv.ParseUint(string(raw[2:6]), 16, 32)
	return unit, err == nil && !strings.HasPrefix(string(raw[2:6]), "+")
}
