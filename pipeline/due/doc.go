// Package due does what falls due by time: delays that end, silence, rosters' next steps, what was held back,
// schedules, statements, and what late readings say about guards.
//
// What is due of one kind is done in a commit of its own. One thing that keeps failing is tried in longer and longer
// intervals and becomes an alarm of the service; it holds up nothing else. Run starts it, beside the pipeline.
package due
