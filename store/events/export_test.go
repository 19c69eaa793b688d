package events

import "strings"

// MovedByLeaps gives the columns that a leap moves, by table.
func MovedByLeaps() map[string][]string {
	moved := map[string][]string{}
	for _, e := range byElapsedTime {
		moved[e.table] = append(moved[e.table], strings.Fields(e.columns)...)
		if e.also != "" {
			column, _, _ := strings.Cut(e.also, " =")
			moved[e.table] = append(moved[e.table], column)
		}
	}
	return moved
}
