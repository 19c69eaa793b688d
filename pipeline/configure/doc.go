// Package configure has the acts by which people say what there is and what looks at it: devices with their keys,
// arrivals and kits, signals, guards, outputs and interlocks, and how to have back what was removed. A file a noun.
//
// Each act is one commit, checked whole before anything is changed; a *measure.Fault names the field that is wrong. It
// stands on the pipeline. The server's operations call it, and so do other acts.
package configure
