// Package measure holds what every other part of the core counts in: instants, durations,
// readings with their quality, and units.
//
// An Instant is a whole number of milliseconds since the Unix epoch, and a reading's identity is
// (signal, instant): two readings of one signal never share an instant. A Quality is a set of
// marks; the empty set means good. A unit is a code (SenML, RFC 8428 and RFC 8798, or UCUM); two
// units convert into each other exactly when they share a dimension.
package measure
