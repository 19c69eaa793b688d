// Package commit turns what comes and acts of people into committed transactions. It knows no noun: what a commit does
// is another's Work.
//
// One goroutine commits. What gathers while one commit runs is the next commit, so a lone reading waits for nothing and
// a storm shares its fsyncs. A commit takes the ledger's row first: over all processes commits stand in one line, and
// each works on the state that the one before it left. Submit and Do return after their transaction is committed, never
// before.
//
// It imports the store, for transactions, the ledger and the service's own signs of life, the clock and the meter, and
// nothing of the site. The pipeline makes one engine of it, and whoever acts hands it what is to be done.
package commit
