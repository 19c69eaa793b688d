package history

import "testing"

// The limits are a share of the disk with a floor, so that a small disk works too.
func TestLimitsOfDisks(t *testing.T) {
	for total, want := range map[int64][2]int64{
		300e6: {48e6, 96e6}, 2e9: {48e6, 100e6}, 20e9: {400e6, 1e9}, 100e9: {1e9, 5e9}, 4e12: {1e9, 10e9},
	} {
		if stops, nearly := intakeStops(total), nearlyFull(total); stops != want[0] || nearly != want[1] {
			t.Errorf("%d: %d and %d, want %v", total, stops, nearly, want)
		}
	}
}
