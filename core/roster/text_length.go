package roster

import (
	"strings"
	"unicode/utf16"
)

// gsmBasic are the characters of the GSM 7-bit default alphabet (3GPP TS 23.038, section 6.2.1); gsmTwo those of its
// extension table, which count for two.
const (
	gsmBasic = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ " +
		"!\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà"
	gsmTwo = "\f^{}\\[~]|€"
)

// plainer puts characters that a text message has no cheap form of into ones that it has.
var plainer = strings.NewReplacer("°C", "C", "°F", "F", "°", " deg", "µ", "u", "μ", "u", "²", "2", "³", "3", "’", "'",
	"‘", "'", "“", "\"", "”", "\"", "–", "-", "—", "-", "−", "-", "…", "...", "·", ".", "\u00a0", " ", "₂", "2")

// PlainText gives a text as a text message sends it: with plain characters in place of those that would halve its
// length.
func PlainText(text string) string { return plainer.Replace(text) }

// TextMessages tells how many text messages a text takes, and how many characters it counts: 160 of the GSM alphabet in
// one, 153 in each of several; 70 and 67 where a character is of another alphabet (3GPP TS 23.040, section 9.2.3.24.1).
func TextMessages(text string) (messages, characters int) {
	one, each := 160, 153
	for _, c := range text {
		switch {
		case strings.ContainsRune(gsmBasic, c):
			characters++
		case strings.ContainsRune(gsmTwo, c):
			characters += 2
		default:
			one, each, characters = 70, 67, len(utf16.Encode([]rune(text)))
			return parts(characters, one, each), characters
		}
	}
	return parts(characters, one, each), characters
}

func parts(characters, one, each int) int {
	if characters <= one {
		return 1
	}
	return (characters + each - 1) / each
}
