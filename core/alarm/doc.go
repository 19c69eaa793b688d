// Package alarm decides when a guard raises an alarm and when the alarm is over.
//
// A guard watches one signal with up to four rungs, each a test with a deadband and delays. Each rung moves through
// four phases; the outermost one that stands is the level of its side's alarm:
//
//	calm ──test met──▶ rising ──on-delay passed──▶ standing ──clear test met──▶ easing
//	  ▲                  │ not met                    ▲          not met any more │
//	  └──────────────────┘                            └───────────────────────────┘
//	  ▲                                                  off-delay passed │
//	  └───────────────────────────────────────────────────────────────────┘
//
// Step is the only way to move it. It is a function of the guard, the state and one event; it reads
// no clock. The same readings, in order of time, give the same transitions whether they come one by
// one, in packs, or again in a replay, because a delay that ends between two readings is settled at
// its own instant and not when somebody looked.
//
// The terms and the life cycle follow ISA-18.2 / IEC 62682; docs/semantics.md 13 to 20 states every
// edge, docs/alarm-states.md every state.
package alarm
