// Package readings answers the operations on what was measured: lines, figures, exports, imports, archives,
// calibrations and totals. A file a noun: first the list of its operations, then what answers them.
package readings
