// Package drive decides what outputs are told to do.
//
// An output has one ordered state at a time. Whoever wants it in a state makes a Demand: an emergency, a person's hand,
// an interlock; when nobody does, it rests. Choose gives the demand that wins (docs/semantics.md 24): emergency, then
// safety interlock, hand, interlock, schedule, rest. Order moves the output to what the winner asks, and lets it wait
// where a least time or the most starts in an hour forbid it; emergency and safety wait for nothing.
//
// Invariant: after Order with a demand of the ranks Emergency or Safety, Ordered is what it asks; after Order with any
// other, Ordered is what it asks or what it was before.
//
// What an interlock asks for follows from what it sees (Sight) and what it remembers (Memory). One that cannot see asks
// for the safe state.
//
// An order expires. Follower is the other end: a device that hears nothing for so long goes to the safe state by
// itself.
package drive
