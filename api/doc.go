// Package api declares each operation of the service's API over HTTP once: its name, its place, who may do it, what
// goes in and what comes out. The server answers operations by these declarations, the client asks for them by the
// same, and the description in OpenAPI is made of them, so none can say anything else than the others.
//
// What the rest of the service knows too has its type in core; types that only the API has are here, one file a noun.
// The package imports core and what describes APIs, and is imported by server, client and whoever asks for something. A
// new operation is one line in the list of its noun's file: a service in which nothing answers it does not start.
package api
