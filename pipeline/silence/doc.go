// Package silence judges what does not come: signals and devices that have fallen silent, clocks that are wrong, and
// the absence of the service itself, during which delays stand still.
//
// Silence is counted in arrival time while the ways in were up (docs/semantics.md 11).
//
// It stands on output.
package silence
