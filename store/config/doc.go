// Package config keeps what people have set up, one file a noun: what there is at a site (devices, signals, outputs,
// assets), what looks at it (guards, interlocks, boards, plans) and who is told (people, contacts, rosters), each with
// its present state, where it has one.
//
// What reads takes a store.Reader, so that it can be asked within a transaction and without; what writes runs within a
// commit of the pipeline, which says what it has changed (store.RaiseConfig). It computes nothing.
package config
