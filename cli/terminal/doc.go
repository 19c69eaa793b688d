// Package terminal has what all commands share: who is signed in, asking the service, printing tables and JSON, reading
// spans of time and secrets, completion, progress, and saying that a command was written wrongly.
package terminal
