// Package evidence answers questions from what is stored, and changes nothing: what a guard or an interlock would have
// done, how a device does, what a run came to.
//
// It reads what is committed and keeps no commit waiting. It stands on configure, whose checks say what a guard means.
// Statements, the judging of late readings and the server's operations call it.
package evidence
