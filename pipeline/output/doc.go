// Package output lets interlocks look at what has changed in a turn, and orders outputs what follows from it.
//
// It looks once, after everything else of the turn, until nothing moves any more: an order may raise an alarm that
// drives something. What is ordered is told to devices after the commit.
//
// It stands on alarms.
package output
