// Package events keeps what happened: alarms, what guards went through, notices and their attempts, journal, runs,
// frames, trials, who came and who called; and, across all of that, what falls due, and what a leap of the clock moves.
//
// Its rows are written within commits of the pipeline, except for those on which no decision hangs: attempts at
// notices, sightings, that a process is up.
package events
