// Package record has the acts by which people write down what they know of places and readings: assets, notes, runs and
// their plans, boards, totals, calibrations, verifications, and readings of the past. A file a noun.
//
// It stands on configure.
package record
