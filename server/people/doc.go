// Package people answers the operations of people about people and alarms: sessions, contacts, rosters, notices,
// alarms, statements, and links in messages. A file a noun: first the list of its operations, then what answers them.
package people
