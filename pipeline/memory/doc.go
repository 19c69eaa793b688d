// Package memory keeps in memory what one process knows of the site, as the newest commit has left it: its devices,
// signals, guards, outputs, interlocks and plans, with their states, and who can be told. A commit need not read it
// then.
//
// Everybody who has a turn reads it; it is changed within a turn alone, which says what it has changed. What a turn
// that failed has changed is taken anew from the database.
//
// It imports core and the store. The steps of a turn work on it, one floor above the other.
package memory
