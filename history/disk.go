package history

import (
	"context"
	"syscall"
	"time"

	"jauntylark/pipeline/record"
)

const (
	megabyte  = int64(1e6)
	diskEvery = 5 * time.Second
)

// intakeStops is how much room of a disk of a size is left when readings are refused: a fiftieth, but 48 megabytes at
// least and a gigabyte at most. It is for PostgreSQL's own log, for people's acts, and for telling them.
func intakeStops(total int64) int64 { return min(max(total/50, 48*megabyte), 1000*megabyte) }

// nearlyFull is how much room is left when a disk of a size counts as nearly full: a twentieth, but twice what stops
// intake at least, and ten gigabytes at most.
func nearlyFull(total int64) int64 {
	return min(max(total/20, 2*intakeStops(total)), 10_000*megabyte)
}

// Room tells how much of a folder's disk is free for us, and how large it is.
func Room(folder string) (free, total int64, err error) {
	var fs syscall.Statfs_t
	if err := syscall.Statfs(folder, &fs); err != nil {
		return 0, 0, err
	}
	return int64(fs.Bavail) * fs.Bsize, int64(fs.Blocks) * fs.Bsize, nil
}

// watchDisk raises an alarm when the disk is nearly full, and has readings refused before it is quite full.
func (k *Upkeep) watchDisk(ctx context.Context) {
	told, nearly, full, fullTold := false, false, false, false
	for ctx.Err() == nil {
		if free, total, err := k.Room(k.Folder); err != nil {
			k.Log.Warn("the room on the disk cannot be told", "folder", k.Folder, "error", err)
		} else {
			// What has begun ends only when there is a quarter more room than what began it.
			if stops := intakeStops(total); (free < stops) != full && (!full || free > stops*5/4) {
				full, fullTold = !full, false
				k.pipeline.Refuse(full)
				k.Log.Error("the disk is full; readings are refused until there is room", "full", full, "free", free)
			}
			if !fullTold {
				fullTold = record.DiskFull(ctx, k.pipeline, free, total, full) == nil
			}
			if now := free < nearlyFull(total) || nearly && free < nearlyFull(total)*5/4; !told || now != nearly {
				if err := record.Disk(ctx, k.pipeline, free, total, now); err == nil {
					told, nearly = true, now
				}
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(k.DiskEvery):
		}
	}
}
