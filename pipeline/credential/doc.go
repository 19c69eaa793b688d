// Package credential says whose a key is: a device's, an arrival's, a former device's, or nobody's. It imports core and
// the store's rows. What is in memory for commits has one directory, and admission, which judges before anything waits
// for a commit, another.
package credential
