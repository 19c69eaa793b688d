// Package event steps guards, one event after the other, and gathers what happens to them in a turn. It writes the
// journal.
//
// What a guard does is core's (alarm.Step); here its state is kept, and everything but readings is written down beside
// it, so that a replay of what happened gives what was raised. Nothing is told here: the transitions of a turn wait in
// Happened, in order, for the floor of the alarms.
//
// It stands on memory. All floors above step guards by it.
package event
