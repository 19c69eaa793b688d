// Package total adds up: for how long a thing was on, how often, how much went through, and what it cost.
//
// The model: a value holds from one usable reading to the next, but over no gap longer than the silence
// limit, and never past the last reading (docs/semantics.md 23). An Aggregator cuts what was held at the edges of
// its pieces, local midnights and resets, and at the edges of a tariff's rates, and adds it up in whole
// numbers: milliseconds, and millionths of the unit times milliseconds. So the sum of the pieces is the sum
// of the readings to the last digit, in whichever steps it was computed.
package total
