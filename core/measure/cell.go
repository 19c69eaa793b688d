package measure

import "strings"

// Cell gives a text as a cell of a CSV file, in which nothing is a formula: a spreadsheet takes what begins with one of
// =+-@, a tab or a line's end for one, so an apostrophe is put before it. FromCell takes it away again, so that a file
// that was written here and is read here has the texts that there were.
func Cell(text string) string {
	if likeFormula(text) {
		return "'" + text
	}
	return text
}

// FromCell gives the text of a cell that Cell wrote.
func FromCell(cell string) string {
	if rest, marked := strings.CutPrefix(cell, "'"); marked && likeFormula(rest) {
		return rest
	}
	return cell
}

// likeFormula tells whether a text begins like a formula, apostrophes before it or not.
func likeFormula(text string) bool {
	text = strings.TrimLeft(text, "'")
	return text != "" && strings.IndexByte("=+-@\t\r\n", text[0]) >= 0
}
