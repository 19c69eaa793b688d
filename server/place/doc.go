// Package place answers the operations on what there is at a site and what looks at it: devices and their keys,
// arrivals, kits, signals, guards, outputs, frames, and what was removed. A file a noun: first the list of its
// operations, then what answers them.
package place
