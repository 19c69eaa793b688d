package mqttin

import (
	"strings"
	"testing"

	"jauntylark/core/alarm"
)

func TestWhatStandsOnTheAlarmTopics(t *testing.T) {
	over := alarm.Alarm{ID: 1, Kind: alarm.ByGuard, Guard: "g", Signal: "d/v", State: alarm.StateOver,
		Severity: alarm.Critical}
	low := alarm.Alarm{ID: 2, Kind: alarm.ByGuard, Guard: "g", Signal: "d/v", State: alarm.StateRaised,
		Severity: alarm.Warning}
	silent := alarm.Alarm{ID: 3, Kind: alarm.BySilence, Signal: "gate", State: alarm.StateRaised,
		Severity: alarm.Advisory}
	disk := alarm.Alarm{ID: 4, Kind: alarm.ByDisk, State: alarm.StateOver}
	got := map[string]string{}
	for _, m := range messagesOf([]alarm.Alarm{low, over, silent, disk}, []alarm.Alarm{low, silent}) {
		got[m.topic] = string(m.payload)
	}
	for topic, says := range map[string]string{
		"jaunty/-/alarms/g": `"state":"raised"`, "jaunty/-/alarms/silence/gate": `"severity":"advisory"`,
		"jaunty/-/alarms/disk": `"state":"over"`,
		"jaunty/-/alarms":      `{"raised":2,"not_acknowledged":2,"worst":"warning"}`,
	} {
		if !strings.Contains(got[topic], says) {
			t.Errorf("%s: %s", topic, got[topic])
		}
	}
	if len(got) != 4 {
		t.Errorf("%v", got)
	}
}
