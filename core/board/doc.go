// Package board holds boards: what people put together to look at.
//
// A Tiling is a grid of Columns columns with tiles on it. A tile covers whole cells and shows one thing: a value,
// lines, a picture with values pinned to it (a mimic) and so on; each kind is one row of the table in tile.go.
//
// Invariant of a tiling that Check lets pass: each tile lies inside the columns, no two tiles share a cell, and the
// reading order (by row, then by column) is the order of the list. The same list is the one column of a phone.
//
// A Board has one tiling that is published and one draft at most. Each publishing keeps a version. Pictures are stored
// apart from boards; what is stored has been made anew from what was sent (picture.go, svg.go), so that it carries
// nothing along.
package board
