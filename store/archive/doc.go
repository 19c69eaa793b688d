// Package archive puts whole sites into files and back, and keeps what was removed, for a while, so that it can be put
// back.
//
// An archive is written within one look at the database, so it is of one moment; it is loaded in one transaction, or
// not at all.
package archive
