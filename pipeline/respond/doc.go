// Package respond has the acts by which people answer alarms, and say who is told: acknowledging, shelving, drills,
// contacts, rosters, statements, and how the site as a whole is. A file a noun.
//
// It stands on configure and evidence.
package respond
