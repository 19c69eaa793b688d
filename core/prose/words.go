package prose

import (
	"fmt"
	"strings"
	"time"
)

// Bytes writes a number of bytes as people read it, in thousands: "512 B", "31 kB", "1.2 GB".
func Bytes(n int64) string {
	if n < 1000 {
		return fmt.Sprintf("%d B", n)
	}
	size, unit := float64(n)/1000, 0
	for size >= 999.5 && unit < 4 {
		size, unit = size/1000, unit+1
	}
	format := "%.0f %cB"
	if size < 9.95 {
		format = "%.1f %cB"
	}
	return fmt.Sprintf(format, size, "kMGTP"[unit])
}

// Count says how many of a thing there are: "1 alarm", "12 alarms".
func Count(n int, one, many string) string {
	if n == 1 || n == -1 {
		return fmt.Sprintf("%d %s", n, one)
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Length says how long in its two largest parts: "4 minutes", "1 hour 5 minutes", "12 seconds".
func Length(d time.Duration) string {
	d = d.Round(time.Second)
	parts := []string{}
	for _, unit := range []struct {
		name string
		size time.Duration
	}{{"day", 24 * time.Hour}, {"hour", time.Hour}, {"minute", time.Minute}, {"second", time.Second}} {
		n := int(d / unit.size)
		d -= time.Duration(n) * unit.size
		switch {
		case n > 0:
			parts = append(parts, Count(n, unit.name, unit.name+"s"))
		case len(parts) > 0:
			return parts[0]
		}
		if len(parts) == 2 {
			break
		}
	}
	if len(parts) == 0 {
		return "less than a second"
	}
	return strings.Join(parts, " ")
}

// List joins words: "a, b and c".
func List(words []string) string {
	if n := len(words); n > 1 {
		return strings.Join(words[:n-1], ", ") + " and " + words[n-1]
	}
	return strings.Join(words, "")
}

// Capital begins a text with a capital letter. It must not be empty.
func Capital(s string) string { return strings.ToUpper(s[:1]) + s[1:] }
