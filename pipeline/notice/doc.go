// Package notice plans who is told what, and when: rosters step by step, and the reasons for which a notice is held
// back.
//
// A notice is planned in the transaction that it tells of, so that it is told once and only if that is so. What is held
// back is told when its time comes as it stands then, or summed up with what else waits.
//
// It stands on event. The floor of the alarms calls it for each alarm, and what falls due for rosters and what was held
// back. Package notify sends what is planned here.
package notice
