// Package service puts a whole service together from its settings: the records, the pipeline and what falls due, the
// ways in, the face, what goes out, upkeep, and the watch over it all. Its goroutines start and end
// here: what has promised something to somebody ends last.
package service
