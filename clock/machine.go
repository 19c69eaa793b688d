package clock

import (
	"time"

	"golang.org/x/sys/unix"

	"jauntylark/core/measure"
)

// machine reads the clocks of this machine.
func machine() (measure.Instant, time.Duration) {
	var passed unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_BOOTTIME, &passed); err != nil {
		panic("this machine does not count the time since it was started: " + err.Error())
	}
	return measure.InstantOf(time.Now()), time.Duration(passed.Nano())
}
