// Package derive computes signals from other signals.
//
// The model: a Recipe says of which signals, how, and with which settings; a Machine is a recipe at work. It
// holds the newest value of each input, for no longer than that input's silence limit, and gives one value
// at each instant at which an input has a usable reading (docs/semantics.md 22). What it gives at an instant
// depends on the inputs up to then alone: on those as far back as Reach, and for some kinds on the value that
// it gave last. So computing a stretch again, from any beginning, gives the same values as live.
package derive
