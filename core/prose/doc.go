// Package prose writes numbers of things, lengths of time, sizes and lists in words, as messages, pages and the command
// line say them alike. It imports nothing of ours; everything that speaks uses it.
package prose
