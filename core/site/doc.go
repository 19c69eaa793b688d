// Package site holds the nouns of one site (device, signal, person, journal entry) and the rules
// about them that need nothing but the noun itself. The API, the store and the client use these same
// types.
package site
