// Package follow does what follows from one reading of one signal: what is derived from it, a fault of its sensor, the
// runs that it starts and ends, and what late readings and clocks that move leave to be judged again.
//
// It stands on silence. The floor of the readings calls it in the order in which docs/architecture.md says it happens.
package follow
