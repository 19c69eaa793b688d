// Package record answers the operations on what people write down: assets with their files, boards and runs. A file a
// noun: first the list of its operations, then what answers them.
package record
