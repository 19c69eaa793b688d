// Package quality judges readings: whether the instrument can truly give a value, has warmed up, and
// still moves.
//
// The model: Rules say what is known of an instrument, State is what must be remembered of its readings,
// and Judge moves the State by one reading and gives its marks. Readings are judged in order of their own
// times and by their raw values, so that the same readings get the same marks, live or from a file.
package quality
