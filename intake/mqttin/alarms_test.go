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
	mail := alarm.Alarm{ID: 5, Kind: alarm.ByCarrier, About: "e-mail", State: alarm.StateRaised}
	text := alarm.Alarm{ID: 6, Kind: alarm.ByCarrier, About: "text", State: alarm.StateOver}
	cannot := alarm.Alarm{ID: 7, Kind: alarm.ByService, About: "seal a/b readings", State: alarm.StateOver}
	left := alarm.Alarm{ID: 8, Kind: alarm.ByGuard, Guard: "left", State: alarm.StateOver}
	got := map[string]string{}
	for _, m := range messagesOf([]alarm.Alarm{low, over, silent, disk, mail, text, cannot, left},
		[]alarm.Alarm{low, silent}, map[string]bool{"left": true}) {
		got[m.topic] = string(m.payload)
	}
	for topic, says := range map[string]string{
		"jaunty/-/alarms/g": `"state":"raised"`, "jaunty/-/alarms/silence/gate": `"severity":"advisory"`,
		"jaunty/-/alarms/disk":           `"state":"over"`,
		"jaunty/-/alarms/carrier/e-mail": `"state":"raised"`, "jaunty/-/alarms/carrier/text": `"alarm":6`,
		"jaunty/-/alarms/service/seal-a-b-readings": `"alarm":7`,
		"jaunty/-/alarms": `{"raised":2,"not_acknowledged":2,"worst":"warning"}`,
	} {
		if !strings.Contains(got[topic], says) {
			t.Errorf("%s: %s", topic, got[topic])
		}
	}
	if payload, told := got["jaunty/-/alarms/left"]; !told || payload != "" {
		t.Errorf("of a guard that is gone: %q, %v", payload, told)
	}
	if len(got) != 8 {
		t.Errorf("%v", got)
	}
}
