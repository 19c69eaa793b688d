// Package limit finds limits from evidence: from trials, in which people made the thing happen on purpose; from what a
// signal did in the last weeks; and from the alarms of a guard that comes and goes too often. It says why, in words,
// and how sure it is. It reads no clock and no store.
package limit
