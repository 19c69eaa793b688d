// Package alarms makes what happened known: alarms are raised, change, wait to be reset and end, each with its entry in
// the journal and its notices.
//
// Besides the alarms of guards there are those that no guard stands behind: of devices, of signals, of rosters and of
// the service itself. An alarm has one raise and one end, whatever fails between.
//
// It stands on notice. TellAll is called where all that is to happen in a turn has happened.
package alarms
