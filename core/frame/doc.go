// Package frame is about thermal pictures: grids of temperatures, their formats, what can be told from them, how they
// are packed without loss, thinned by age, and coloured.
//
// A Grid is what was sent: apparent temperatures in °C, as a camera shows them that takes every surface for black. An
// Eye says how the frames of a device are to be read: their span, their emissivity, and the regions that are looked at.
package frame
