package site

import (
	"fmt"
	"strings"

	"jauntylark/core/prose"

	"github.com/agnivade/levenshtein"
)

const maxName = 63

// CheckName tells why text cannot name a device, a signal or a guard: nil when it can. A name is 1 to
// 63 of a-z, 0-9 and -, and begins with a letter or digit.
func CheckName(text string) error {
	switch {
	case text == "":
		return fmt.Errorf("is empty; a name is 1 to %d of a-z, 0-9 and -", maxName)
	case len(text) > maxName:
		return fmt.Errorf("has %d characters; a name has %d at most", len(text), maxName)
	case text[0] == '-':
		return fmt.Errorf("%q begins with -; a name begins with a letter or digit", text)
	}
	for i := range len(text) {
		if c := text[i]; !(c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c == '-') {
			return fmt.Errorf("%q is not a name; only a-z, 0-9 and - are allowed%s", text, hint(text))
		}
	}
	return nil
}

func hint(text string) string {
	if name := NameFrom(text); name != "" {
		return fmt.Sprintf(" (perhaps %q)", name)
	}
	return ""
}

// NameFrom makes a name out of any text: lower case, - for all that is not allowed. It is empty when
// nothing is left.
func NameFrom(text string) string {
	var b strings.Builder
	dash := false
	for _, c := range strings.ToLower(text) {
		if c >= 'a' && c <= 'z' || c >= '0' && c <= '9' {
			if dash && b.Len() > 0 {
				b.WriteByte('-')
			}
			b.WriteRune(c)
			dash = false
		} else {
			dash = true
		}
	}
	name := b.String()
	if len(name) > maxName {
		name = strings.TrimRight(name[:maxName], "-")
	}
	return name
}

// SplitPath cuts DEVICE/SIGNAL into its two names and checks both.
func SplitPath(path string) (device, signal string, err error) {
	device, signal, found := strings.Cut(path, "/")
	if !found {
		return "", "", fmt.Errorf("%q is not DEVICE/SIGNAL", path)
	}
	if err = CheckName(device); err != nil {
		return "", "", fmt.Errorf("device %w", err)
	}
	if err = CheckName(signal); err != nil {
		return "", "", fmt.Errorf("signal %w", err)
	}
	return device, signal, nil
}

// Nearest gives the one of names that is most like text, or "" when none is like it: more than two
// edits and more than a third of its length away. It takes time proportional to the names' total
// length.
func Nearest(text string, names []string) string {
	best, found := max(2, len(text)/3)+1, ""
	for _, name := range names {
		if d := levenshtein.ComputeDistance(text, name); d < best {
			best, found = d, name
		}
	}
	return found
}

// Title is what people call a thing: its title, or its name made readable ("fern-house" is "Fern
// house").
func Title(title, name string) string {
	if title != "" || name == "" {
		return title
	}
	return prose.Capital(strings.ReplaceAll(name, "-", " "))
}
