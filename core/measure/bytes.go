package measure

import "fmt"

// Bytes writes a number of bytes as people read it, in thousands: "512 B", "31 kB", "1.2 GB".
func Bytes(n int64) string {
	if n < 1000 {
		return fmt.Sprintf("%d B", n)
	}
	size, unit := float64(n)/1000, 0
	for size >= 999.5 && unit < 4 {
		size, unit = size/1000, unit+1
	}
	format := "%.0f %cB"
	if size < 9.95 {
		format = "%.1f %cB"
	}
	return fmt.Sprintf(format, size, "kMGTP"[unit])
}
