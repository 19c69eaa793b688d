// Package timeseries keeps readings: plain rows as they come, sealed into blocks, and what is computed from them:
// figures by the hour and by the day, totals, lines for charts, derived values.
//
// Its invariants: a reading is in exactly one place at any moment; only raw values are kept, and true ones are made on
// the way out by a lens (calibrations, derivations); what was computed and does not hold any more is noted in the
// transaction that made it so, and a question computes that anew. Locks go one way: the advisory lock on a signal's
// blocks, then the signal's row, then what belongs to it.
package timeseries
