package config

import (
	"fmt"
	"strings"
)

// of narrows a query, which ends with a condition, to what belongs to some devices, $devices in a further condition;
// without any it is about all.
func of(devices []int64, query, condition string, args ...any) (string, []any) {
	if len(devices) == 0 {
		return query, args
	}
	return query + " and " + strings.ReplaceAll(condition, "$devices", fmt.Sprintf("$%d::bigint[]", len(args)+1)),
		append(args, devices)
}

// statesOf completes a query of states, which ends with "where": those that commits after since have changed, or those
// of some devices.
func statesOf(devices []int64, since int64, query, condition string) (string, []any) {
	if len(devices) == 0 {
		return query + " changed_in > $1", []any{since}
	}
	return of(devices, query+" true", condition)
}

// Conditions on rows that belong to signals and outputs of some devices.
const (
	ofSignals = `signal_id in (select id from signal where device_id = any($devices))`
	ofOutputs = `output_id in (select id from output where device_id = any($devices))`
)
