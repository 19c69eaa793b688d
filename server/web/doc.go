// Package web answers operations: it finds out who asks and whether they may, gives each its turn, calls what answers
// it, and says what went wrong (RFC 9457). It has the live stream, the console's files and the health of the service
// besides.
//
// It knows no noun: Answer and its kin take a declared operation (package api) and a function, and what no function
// answers keeps the service from starting. The packages beside it have the functions, a file a noun.
package web
