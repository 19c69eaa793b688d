// Package calibrate corrects what an instrument shows by what a reference instrument said.
//
// The model: Pairs of (shown, reference) are fitted to a Curve, which gives the true value for a raw one
// and can be turned round. A Calibration is a curve in force from an instant; a Timeline of them says what
// holds when: at each instant the newest one that had begun, and of two that begin together the later made.
// Only raw values are stored. A curve always rises or always falls, so lowest and highest stay so.
package calibrate
