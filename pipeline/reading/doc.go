// Package reading takes packs in: it finds out who sends, places each sample, tells new readings from those that are
// known or contradict them, and lets follow what follows from a new one, in this order.
//
// A pack is taken whole or not at all, but for the samples that its outcome names. Its Turn is the topmost floor: acts
// of people have it too.
package reading
